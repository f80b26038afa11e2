import type { Plan } from '@/core/plan/plan';
import type { SendPreview } from '@/server/send-lanes';
import { channelRuns, count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { Left } from './send-left';

/** What sending would do to each device, before anything is done. */
export function SendWork({ work, plan }: { work: SendPreview; plan: Plan }) {
  const isNothing = work.receivers.length + work.stops.length === 0;
  return (
    <div className="max-h-[46vh] overflow-y-auto" tabIndex={0} role="region" aria-label="What would be sent">
      {isNothing ? <p>There is nothing to send.</p> : null}
      {work.streams.length > 0 ? (
        <ul aria-label="Streams" className="flex flex-col gap-1">
          {work.streams.map((s) => (
            <li key={s.id}>
              <b className="font-medium">{deviceName(plan, s.senderDeviceId)}</b>{' '}
              {plan.devices.get(s.senderDeviceId)?.isPatchForeign
                ? 'is left as it is, and heard in stream'
                : 'sends stream'}{' '}
              {s.streamNumber} with channels {channelRuns(s.channels)}
              <span className="text-dim">
                {' '}
                to {s.receivers.map((r) => deviceName(plan, r)).join(', ')}
                {s.isNew ? '' : ', as before'}
              </span>
            </li>
          ))}
        </ul>
      ) : null}
      {work.receivers.map((r) => (
        <p key={r.deviceId} className="mt-1">
          <b className="font-medium">{deviceName(plan, r.deviceId)}</b>{' '}
          {[
            r.feeds > 0 ? `feeds ${count(r.feeds, 'channel')}` : '',
            r.clears > 0 ? `takes off ${count(r.clears, 'channel')}` : '',
            r.leaves > 0 ? `leaves ${count(r.leaves, 'stream')}` : '',
          ]
            .filter(Boolean)
            .join(', ')}
        </p>
      ))}
      {work.stops.map((s) => (
        <p key={`${s.senderDeviceId}/${s.streamNumber}`} className="mt-1">
          <b className="font-medium">{deviceName(plan, s.senderDeviceId)}</b> stops stream {s.streamNumber}: no lane
          needs it any more
        </p>
      ))}
      <Left left={work.left} plan={plan} />
    </div>
  );
}
