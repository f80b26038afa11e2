import { isIn } from '@/core/findings/areas';
import type { Plan } from '@/core/plan/plan';
import { FindingList } from '@/ui/frame/finding-list';
import { LossesNow } from '@/ui/frame/losses-list';
import type { LiveEvent } from '@/field/live/happenings';
import { FieldEvents } from '@/ui/parts/field-events';
import { grandmasterName } from '@/ui/parts/clock-words';
import { PanelHeading } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/names';
import { count } from '@/ui/parts/units';
import { usePlan, type View } from '@/ui/session/plan-store';
import type { ClockView } from '@/workers/clock-view';
import { WhatFollows } from './group-panel';

const ORDER = { refusal: 0, caution: 1, note: 2 } as const;

/** All clocks together: who keeps time, what is wrong, and what the field says. */
export function ClocksOverview({ plan, view, clocks }: { plan: Plan; view: View; clocks: ClockView }) {
  const findings = view.findings.filter((f) => isIn('clocks', f)).sort((a, b) => ORDER[a.severity] - ORDER[b.severity]);
  const [first] = clocks.time.grandmasterIds;
  const followers = [...clocks.time.byDevice.values()].filter((k) => k.grandmasterId === first).length - 1;
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">Clocks of this plan</h2>
      <p className="text-dim">
        {first === undefined
          ? 'No grandmaster.'
          : `${deviceName(plan, first)} is grandmaster for ${count(followers, 'device')}.`}
      </p>
      <WhatFollows />
      <LossesNow plan={plan} area="clocks" />
      <PanelHeading>Findings</PanelHeading>
      {findings.length === 0 ? (
        <p className="text-dim">No findings.</p>
      ) : (
        <FindingList findings={findings} plan={plan} />
      )}
      <FieldClocks plan={plan} />
    </>
  );
}

const CLOCK_EVENTS: ReadonlySet<LiveEvent['what']> = new Set([
  'grandmaster-changed',
  'second-grandmaster',
  'one-grandmaster',
  'lock-lost',
]);

/** Who keeps time in the field, and what happened to it of late. */
function FieldClocks({ plan }: { plan: Plan }) {
  const clocks = usePlan((s) => s.field.clocks);
  const all = usePlan((s) => s.field.events);
  const events = all.filter((e) => CLOCK_EVENTS.has(e.what));
  if (clocks.size === 0) return null;
  const masters = new Map<string | null, { devices: number; unlocked: number }>();
  for (const { gmid, locked } of clocks.values()) {
    const known = masters.get(gmid) ?? { devices: 0, unlocked: 0 };
    masters.set(gmid, { devices: known.devices + 1, unlocked: known.unlocked + (locked ? 0 : 1) });
  }
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      <ul>
        {[...masters].map(([gmid, { devices, unlocked }]) => (
          <li key={gmid ?? 'none'}>
            {grandmasterName(plan, gmid)}: <span className="text-dim">{count(devices, 'device')}</span>
            {unlocked > 0 && gmid !== null ? <span className="text-ochre">, {unlocked} not locked</span> : null}
          </li>
        ))}
      </ul>
      <PanelHeading>Events</PanelHeading>
      {events.length === 0 ? (
        <p className="text-dim">None so far.</p>
      ) : (
        <FieldEvents plan={plan} events={events} label="Clock events" />
      )}
    </>
  );
}
