import type { DeviceReport } from '@/field/send-report';
import type { Plan } from '@/core/plan/plan';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { failureWords, STEP_WORDS } from '@/ui/parts/send-words';
import { sdpDifferenceWords } from '@/ui/parts/sdp-words';

/** By so much a change is late that may be heard between devices. */
const LATE_MS = 20;

function lateWords(ms: number): string {
  const rounded = Math.round(ms);
  if (rounded === 0) return 'switched at the set time';
  return `switched ${Math.abs(rounded)} ms ${rounded > 0 ? 'after' : 'before'} the set time`;
}

export interface SendingReport {
  readonly devices: readonly DeviceReport[];
  readonly notBegun: readonly string[];
}

/** Devices that did not do everything, or were not begun with. */
export const undoneIn = ({ devices, notBegun }: SendingReport): number =>
  new Set([...devices.filter((d) => d.failed.length > 0).map((d) => d.deviceId), ...notBegun]).size;

/** What each device made of it: those that did not do everything first. */
export function DeviceReports({
  report,
  plan,
  also = '',
}: {
  report: SendingReport;
  plan: Plan;
  /** What else there is to say where all did everything. */
  also?: string;
}) {
  const failed = report.devices.filter((d) => d.failed.length > 0);
  const others = report.devices.filter((d) => d.failed.length === 0);
  const notBegun = report.notBegun.map((id) => deviceName(plan, id));
  return (
    <>
      <p role="status">
        {failed.length === 0
          ? `${report.devices.length} done${also}.`
          : `${others.length} done, ${failed.length} failed.`}
        {notBegun.length > 0 ? (
          <span className="text-ochre">
            {' '}
            Stopped before {count(notBegun.length, 'device')}: {notBegun.join(', ')}.
          </span>
        ) : null}
      </p>
      <ul className="mt-2 flex flex-col gap-1">
        {[...failed, ...others].map((d) => (
          <li key={d.deviceId}>
            <b className="font-medium">{deviceName(plan, d.deviceId)}</b>{' '}
            <span className="text-dim">
              {d.done.length > 0 ? d.done.map((s) => STEP_WORDS[s]).join(', ') : 'nothing was changed'}
            </span>
            {d.lateMs === undefined ? null : (
              <span className={`block pl-3 ${d.lateMs > LATE_MS ? 'text-ochre' : 'text-dim'}`}>
                {lateWords(d.lateMs)}
              </span>
            )}
            {d.cautions.map((c) => (
              <span key={c.streamId} className="block pl-3 text-ochre">
                {c.streamId} is not sent as planned: {c.differences.map(sdpDifferenceWords).join('; ')}
              </span>
            ))}
            {d.failed.map((f, n) => (
              <span key={n} className="block pl-3 text-madder">
                Not done: {STEP_WORDS[f.step]}
                {f.streamId ? ` (${f.streamId})` : ''}: {failureWords(f.failure)}
              </span>
            ))}
          </li>
        ))}
      </ul>
    </>
  );
}
