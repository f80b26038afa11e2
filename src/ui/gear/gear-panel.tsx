import { isIn } from '@/core/findings/areas';
import { hasStreams } from '@/core/models/unknown-figures';
import type { Plan } from '@/core/plan/plan';
import { unitUse } from '@/core/signal/through';
import type { Device } from '@/core/plan/devices-table';
import type { OpenCount } from '@/core/reckon/reckoning';
import { FindingList, FindingSection } from '@/ui/frame/finding-list';
import { LiveLine } from '@/ui/frame/live-line';
import { LossesNow } from '@/ui/frame/losses-list';
import { PanelHeading } from '@/ui/parts/controls';
import { ModelLink } from '@/ui/parts/model-link';
import { SeveralHeading } from '@/ui/parts/several-devices';
import { BudgetBar } from '@/ui/parts/signs';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { mapWords, ordersWords } from '@/ui/parts/lane-words';
import type { View } from '@/ui/session/plan-store';
import { ManyDevices } from '@/ui/parts/many-devices';
import { Events, InField } from './device-in-field';
import { Settings, Addresses } from './device-settings';

/** What a device spends and has left, where it is, what is wrong with it, and what it says of itself. */
export function GearPanel({
  plan,
  view,
  deviceId,
  selectedIds,
}: {
  plan: Plan;
  view: View;
  deviceId: string | null;
  /** All that is selected in the sheet; of several the settings are set together. */
  selectedIds: readonly string[];
}) {
  const selected = selectedIds.flatMap((id) => plan.devices.get(id) ?? []);
  const device = deviceId === null ? undefined : plan.devices.get(deviceId);
  if (device === undefined) {
    const findings = view.findings.filter((f) => isIn('gear', f));
    return (
      <>
        <h2 className="pr-7 text-[14px] font-semibold">Gear of this plan</h2>
        <p className="text-dim">{count(plan.devices.size, 'device')}.</p>
        <LossesNow plan={plan} area="gear" />
        <PanelHeading>Findings</PanelHeading>
        {findings.length === 0 ? (
          <p className="text-dim">No findings.</p>
        ) : (
          <FindingList findings={findings} plan={plan} />
        )}
        <Events plan={plan} />
      </>
    );
  }
  if (selected.length > 1) return <SeveralPanel plan={plan} view={view} devices={selected} />;
  return <DevicePanel key={device.id} plan={plan} view={view} device={device} />;
}

/** Several devices: what is wrong with any of them, and what can be set for all. */
function SeveralPanel({ plan, view, devices }: { plan: Plan; view: View; devices: readonly Device[] }) {
  const ids = new Set(devices.map((d) => d.id));
  const findings = view.findings.filter((f) => f.deviceIds.some((id) => ids.has(id)));
  return (
    <>
      <SeveralHeading devices={devices} />
      <ManyDevices plan={plan} devices={devices} />
      <FindingSection findings={findings} plan={plan} />
    </>
  );
}

function DevicePanel({ plan, view, device }: { plan: Plan; view: View; device: Device }) {
  const model = plan.models.get(device.modelId);
  const budget = view.budgets.get(device.id);
  const findings = view.findings.filter((f) => f.deviceIds.includes(device.id));
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{device.name}</h2>
      <p className="text-dim">
        {model?.name}
        {model?.maker ? `, ${model.maker}` : ''}
      </p>
      <LiveLine plan={plan} deviceId={device.id} />
      <FindingSection findings={findings} plan={plan} />
      {budget && model && hasStreams(model) ? (
        <>
          <PanelHeading>Budget</PanelHeading>
          <div className="flex flex-col gap-1">
            <Spent name="Channels in" of={budget.channelsReceive} />
            <Spent name="Channels out" of={budget.channelsSend} />
            {budget.channelPool ? <Spent name="In and out, one pool" of={budget.channelPool} /> : null}
            <Spent name="Streams in" of={budget.streamsReceive} />
            <Spent name="Streams out" of={budget.streamsSend} />
            {model.receiveMap === null ? null : <p className="text-dim">Channels fed {mapWords(model.receiveMap)}.</p>}
            {model.sendOrder === null ? null : (
              <p className="text-dim">Streams out, without a channel map: {ordersWords(model.sendOrder)}.</p>
            )}
            {model.receiveOrder === null ? null : (
              <p className="text-dim">Streams in, without a channel map: {ordersWords(model.receiveOrder)}.</p>
            )}
          </div>
        </>
      ) : null}
      <Through plan={plan} device={device} />
      <Settings plan={plan} device={device} />
      <Addresses plan={plan} device={device} />
      <InField device={device} />
      {model ? <ModelLink plan={plan} model={model} /> : null}
    </>
  );
}

function Spent({ name, of }: { name: string; of: OpenCount }) {
  if (of.limit === 0) return null;
  if (of.limit === null) {
    return (
      <p className="flex items-center justify-between gap-1">
        <span className="flex-1 whitespace-nowrap">{name}</span>
        <span className="font-mono text-[12px] text-ochre">{of.used} of not known</span>
      </p>
    );
  }
  return (
    <p className="flex items-center justify-between gap-1">
      <span className="flex-1 whitespace-nowrap">{name}</span>
      <BudgetBar used={of.used} limit={of.limit} label={name} />
      <span
        className={`w-[126px] whitespace-nowrap text-right font-mono text-[12px] ${of.used > of.limit ? 'text-madder' : 'text-dim'}`}
      >
        {of.used} of {of.limit}, {Math.max(0, of.limit - of.used)} left
      </span>
    </p>
  );
}

/** What a processing unit spends on those whose everything goes through it. */
function Through({ plan, device }: { plan: Plan; device: Device }) {
  const { members, passes, fed, heard, ownHeard } = unitUse(plan, device.id);
  if (members.length === 0) return null;
  const names = members.slice(0, 4).map((id) => deviceName(plan, id));
  return (
    <>
      <PanelHeading>Everything through it</PanelHeading>
      <p>
        {names.join(', ')}
        {members.length > names.length ? ` and ${members.length - names.length} more` : ''}{' '}
        {members.length === 1 ? 'is' : 'are'} routed through it.
      </p>
      <table className="mt-1 w-full font-mono text-[12px]">
        <tbody>
          {(
            [
              ['passed, in', fed.length],
              ['passed, out', heard.length],
              ['its own players, out', ownHeard.length],
              ['together', fed.length + heard.length + ownHeard.length],
            ] as const
          ).map(([what, n], row) => (
            <tr key={what} className={row === 3 ? 'border-t border-line' : ''}>
              <td className="font-sans text-[13px] text-dim">{what}</td>
              <td className="text-right">{n}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-dim">
        {Math.max(0, passes - fed.length)} of {passes} passes left. However many hear a channel, it costs one in and one
        out.
      </p>
    </>
  );
}
