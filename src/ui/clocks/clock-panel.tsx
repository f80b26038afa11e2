import { isIn } from '@/core/findings/areas';
import { ModelLink } from '@/ui/parts/model-link';
import { plannedClock } from '@/core/clocks/clock-settings';
import { clockIdentityText, type ComparedField } from '@/core/clocks/dataset';
import type { KeptTime } from '@/core/clocks/kept-time';
import type { Plan } from '@/core/plan/plan';
import type { ClockSettings } from '@/core/clocks/clocks-table';
import type { Device } from '@/core/plan/devices-table';
import { FindingSection } from '@/ui/frame/finding-list';
import { LiveLine } from '@/ui/frame/live-line';
import { FIELD_WORDS, grandmasterName, PORT_WORDS } from '@/ui/parts/clock-words';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/names';
import { subnetName } from '@/ui/parts/network-words';
import { count, timeOfDay } from '@/ui/parts/units';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { commit } from '@/ui/session/actions';
import { usePlan, type View } from '@/ui/session/plan-store';
import type { ClockView } from '@/workers/clock-view';
import { ClockPace } from './clock-pace';
import { roleOf, type ClockRole } from './clock-rows';
import { ClockSettingsForm } from './clock-settings-form';

/** One clock: what it does and why, what it is set to, what paces its samples, and what if it dies. */
export function ClockPanel({
  plan,
  view,
  clocks,
  device,
  isLost,
  onLose,
  onLoseReferences,
}: {
  plan: Plan;
  view: View;
  clocks: ClockView;
  device: Device;
  isLost: boolean;
  onLose: () => void;
  onLoseReferences: (ids: readonly string[]) => void;
}) {
  const planned = plannedClock(plan, device.id);
  const findings = view.findings.filter((f) => isIn('clocks', f) && f.deviceIds.includes(device.id));
  if (planned === null) {
    return (
      <>
        <h2 className="pr-7 text-[14px] font-semibold">{device.name}</h2>
        <p className="text-dim">No clock: it does not run PTP and has no media clock.</p>
      </>
    );
  }
  const { settings, ability } = planned;
  const save = (title: string, change: Partial<ClockSettings>) =>
    void commit(`${title} of ${device.name}`, [{ kind: 'put-clock', settings: { ...settings, ...change } }]);
  const kept = clocks.time.byDevice.get(device.id);
  const role = roleOf(kept, settings);
  const listensTo = settings.mediaClock === 'references' ? settings.referenceIds : [];
  const followers = [...clocks.time.byDevice.values()].filter(
    (k) => k.grandmasterId === device.id && k.deviceId !== device.id,
  ).length;
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{device.name}</h2>
      <p className="text-dim">{isLost ? 'Lost in this drill.' : whatItDoes(plan, role, kept, followers)}</p>
      <LiveLine plan={plan} deviceId={device.id} />
      <p className="mt-2 flex flex-wrap gap-2">
        <Button onClick={onLose} disabled={isLost}>
          What if this fails?
        </Button>
        {listensTo.length > 0 ? (
          <Button onClick={() => onLoseReferences(listensTo)} disabled={isLost}>
            What if it loses {listensTo.length === 1 ? 'its reference' : 'its references'}?
          </Button>
        ) : null}
      </p>
      <FindingSection findings={findings} plan={plan} />
      <Why plan={plan} clocks={view.clocks} deviceId={device.id} />
      {kept !== undefined && kept.ports.length > 0 ? (
        <>
          <PanelHeading>Ports</PanelHeading>
          <ul className="text-[12px]">
            {kept.ports.map((p) => (
              <li key={`${p.interface} ${p.segment}`} className="flex justify-between gap-2">
                <span className="truncate">
                  {p.subnetId === null ? 'across routers' : subnetName(plan, p.subnetId)}
                </span>
                <span className="text-dim">{PORT_WORDS[p.state]}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      <InField plan={plan} deviceId={device.id} />
      <ClockPace plan={plan} clocks={clocks} device={device} settings={settings} ability={ability} save={save} />
      <ClockSettingsForm plan={plan} settings={settings} ability={ability} save={save} />
      <ModelLink plan={plan} model={planned.model} section="clock" />
    </>
  );
}

/** In one sentence: whose time it keeps and how far away that is. */
function whatItDoes(plan: Plan, role: ClockRole, kept: KeptTime | undefined, followers: number): string {
  if (role === 'grandmaster') return `Grandmaster of ${count(followers, 'device')}.`;
  if (kept?.parentId != null) {
    const { parentId, grandmasterId, stepsRemoved } = kept;
    const parent = deviceName(plan, parentId);
    if (parentId === grandmasterId) return `Follows ${parent}, the grandmaster.`;
    return `Follows ${parent}; grandmaster is ${deviceName(plan, grandmasterId ?? '')}, ${count(stepsRemoved ?? 0, 'step')} away.`;
  }
  if (role === 'standby') return 'Standby, locked to its own reference.';
  return role === 'no PTP' ? 'Runs no PTP.' : 'Unsynchronised.';
}

/** What the device itself reports of its clock. */
function InField({ plan, deviceId }: { plan: Plan; deviceId: string }) {
  const clock = usePlan((s) => s.field.clocks.get(deviceId) ?? null);
  const since = usePlan((s) => s.field.since.clocks.get(deviceId) ?? 0);
  if (clock === null) return null;
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      <p>
        {clock.gmid === null
          ? 'It reports no grandmaster'
          : clock.gmid === plan.clocks.get(deviceId)?.clockIdentity
            ? `It is grandmaster itself, ${clock.locked ? 'locked to its reference' : 'with no reference'}`
            : `It follows ${grandmasterName(plan, clock.gmid)}, ${clock.locked ? 'locked' : 'not locked'}`}
        {clock.traceable ? ', traceable' : ''}, since {timeOfDay(since)}.
      </p>
    </>
  );
}

/** Field by field between the grandmaster and the one that comes next, or this one. */
function Why({ plan, clocks, deviceId }: { plan: Plan; clocks: ClockView; deviceId: string }) {
  const why = useWorkerAnswer({
    question: 'clockWhy',
    about: [deviceId, clocks],
    ask: (worker) => worker.clockWhy(deviceId),
    failed: 'Why this clock leads could not be worked out',
  });
  if (why === null) return null;
  const { comparison, leads } = why;
  const { aId, bId, before, fields } = comparison;
  const b = deviceName(plan, bId);
  return (
    <>
      <PanelHeading>{leads ? 'Why this one?' : `Why ${deviceName(plan, aId)} and not this one?`}</PanelHeading>
      {before === 'b-only-follows' ? (
        <p className="text-[12px]">{b} follows only, so it is not compared.</p>
      ) : before === 'other-domain' ? (
        <p className="text-[12px]">{b} is in another PTP domain.</p>
      ) : null}
      <table className="w-full text-[12px]">
        <thead className="text-faint">
          <tr>
            <th scope="col" className="text-left font-normal">
              Lower wins
            </th>
            <th scope="col" className="max-w-[90px] truncate text-right font-normal" title={deviceName(plan, aId)}>
              {deviceName(plan, aId)}
            </th>
            <th scope="col" className="max-w-[90px] truncate pl-2 text-right font-normal" title={b}>
              {b}
            </th>
          </tr>
        </thead>
        <tbody>
          {fields.map((line) => (
            <tr
              key={line.field}
              className={
                before === null && line.role === 'decides' ? 'bg-selected' : line.role === 'not-asked' ? 'text-dim' : ''
              }
            >
              <th scope="row" className="text-left font-normal">
                {FIELD_WORDS[line.field]}
                {before === null && line.role === 'decides' ? ', decides' : ''}
              </th>
              <td className="text-right font-mono">{valueWords(line.field, line.a)}</td>
              <td className="pl-2 text-right font-mono">{valueWords(line.field, line.b)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Accuracy and variance as the standard writes them, in hexadecimal. */
function valueWords(field: ComparedField, value: number | string): string {
  if (typeof value === 'string') return value === '' ? 'not known' : `…${clockIdentityText(value).slice(-8)}`;
  const isHex = field === 'clockAccuracy' || field === 'offsetScaledLogVariance';
  return isHex ? `0x${value.toString(16).toUpperCase()}` : String(value);
}
