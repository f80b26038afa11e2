import type { Plan } from '@/core/plan/plan';
import { count } from '@/ui/parts/units';
import { deviceName, failureWords, sdpDifferenceWords, STEP_WORDS } from '@/ui/parts/words';
import type { SendAnswer } from '@/ui/session/api';
import { Left } from './send-left';

/** By so much a change is late that may be heard between devices. */
const LATE_MS = 20;

function lateWords(ms: number): string {
  const rounded = Math.round(ms);
  if (rounded === 0) return 'changed over at the moment';
  return `changed over ${Math.abs(rounded)} ms ${rounded > 0 ? 'after' : 'before'} the moment`;
}

/** What each device made of it: those that did not do everything first. */
export function SendReportView({ report, plan, started }: { report: SendAnswer; plan: Plan; started: boolean }) {
  const failed = report.devices.filter((d) => d.failed.length > 0);
  const others = report.devices.filter((d) => d.failed.length === 0);
  const notBegun = report.notBegun.map((id) => deviceName(plan, id));
  return (
    <div className="max-h-[50vh] overflow-y-auto" tabIndex={0} role="region" aria-label="What was done">
      <p role="status">
        {failed.length === 0
          ? `${count(report.devices.length, 'device')} did everything${started ? '' : '; nothing is started yet'}.`
          : `${others.length} of ${count(report.devices.length, 'device')} did everything; ${failed.length} did not.`}
        {notBegun.length > 0 ? (
          <span className="text-ochre">
            {' '}
            Stopped before {count(notBegun.length, 'device')}: {notBegun.join(', ')}.
          </span>
        ) : null}
      </p>
      {report.notNoted === null ? null : (
        <p role="alert" className="mt-2 text-madder">
          The devices were told, but the plan could not note what came of it. {report.notNoted}.
        </p>
      )}
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
                {c.streamId} goes out otherwise than planned: {c.differences.map(sdpDifferenceWords).join('; ')}
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
      <Left left={report.left} plan={plan} />
    </div>
  );
}
