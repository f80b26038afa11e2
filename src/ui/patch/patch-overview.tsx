import { isIn } from '@/core/findings/areas';
import type { ReactNode } from 'react';
import type { Plan } from '@/core/plan/plan';
import { EmptyStage, FirstDevices } from '@/ui/frame/empty-stage';
import { FindingList } from '@/ui/frame/finding-list';
import { PanelHeading } from '@/ui/parts/controls';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import type { View } from '@/ui/session/plan-store';
import type { PatchChannel } from '@/workers/patch-view';
import { CoherenceList } from './alignment';
import { SubstitutionList } from './substitutions';

/** What there is to say of a device as long as no channel of it is selected. */
export function PatchOverview({
  plan,
  view,
  deviceId,
  channels,
  inField,
}: {
  plan: Plan;
  view: View;
  deviceId: string;
  channels: readonly PatchChannel[];
  inField: ReactNode;
}) {
  const findings = view.findings.filter((f) => isIn('patch', f));
  const here = findings.filter((f) => f.deviceIds.includes(deviceId));
  const others = findings.filter((f) => !f.deviceIds.includes(deviceId));
  const plugged = plan.pluggedIn.get(deviceId)?.size ?? 0;
  const patched = plan.patches.get(deviceId)?.size ?? 0;
  const sends = plan.busSends.get(deviceId)?.size ?? 0;
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">{deviceName(plan, deviceId)}</h2>
      <p className="text-dim">
        {[
          count(channels.length, 'channel'),
          `${plugged} plugged in`,
          ...(patched > 0 ? [count(patched, 'channel') + ' patched'] : []),
          ...(sends > 0 ? [count(sends, 'send')] : []),
        ].join(', ')}
        . Select a channel to see what feeds it and to follow its signal.
      </p>
      {inField}
      <SubstitutionList plan={plan} />
      <CoherenceList plan={plan} view={view} />
      <PanelHeading>Findings here</PanelHeading>
      {here.length === 0 ? <p className="text-dim">No findings.</p> : <FindingList findings={here} plan={plan} />}
      {others.length === 0 ? null : (
        <>
          <PanelHeading>Findings elsewhere</PanelHeading>
          <FindingList findings={others} plan={plan} />
        </>
      )}
    </>
  );
}

/** A plan in which nothing can be patched yet. */
export const EmptyPatch = ({ planId }: { planId: string }) => (
  <EmptyStage
    begin={<FirstDevices planId={planId} />}
    title="Device patch: from the microphone socket to the loudspeaker"
  >
    Here you say what is plugged into each socket, how the inputs of a device are patched to its outputs, and follow one
    signal from end to end. There is no device with channels yet, so start with the gear.
  </EmptyStage>
);
