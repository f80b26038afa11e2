import type { Plan } from '@/core/plan/plan';
import type { SendPreview } from '@/server/send-lanes';
import { InterruptsList } from '@/ui/parts/interrupts';
import { channelRuns, count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { lanesIn } from '@/ui/session/effects';
import { Left } from './send-left';

/** The devices that feed these channels of a receiver, each once. */
function sendersOf(plan: Plan, { deviceId, feeds }: SendPreview['receivers'][number]): string[] {
  const lanes = plan.subscriptions.get(deviceId);
  return [...new Set(feeds.flatMap((channel) => lanes?.get(channel)?.senderDeviceId ?? []))].map((id) =>
    deviceName(plan, id),
  );
}

/** What sending would do to each device, before anything is done: first what is not sent and what is interrupted, then what changes. */
export function SendWork({ work, plan }: { work: SendPreview; plan: Plan }) {
  const { streams, receivers, stops, alike, interrupts, left } = work;
  const isNothing = streams.length + receivers.length + stops.length === 0;
  const alikeCount = lanesIn(alike);
  return (
    <div className="max-h-[46vh] overflow-y-auto" tabIndex={0} role="region" aria-label="What would be sent">
      <Left left={left} plan={plan} />
      {interrupts.length === 0 ? null : (
        <>
          <p className="mt-2.5 text-madder">Interrupts {count(lanesIn(interrupts), 'channel')} that play now:</p>
          <InterruptsList plan={plan} interruptions={interrupts} />
        </>
      )}
      {isNothing ? (
        <p className="mt-2.5">
          {alikeCount > 0 ? 'Nothing to send: the devices match the plan.' : 'There is nothing to send.'}
        </p>
      ) : (
        <p className="mt-2.5 text-faint">Changes</p>
      )}
      {streams.length > 0 ? (
        <ul aria-label="Streams" className="flex flex-col gap-1">
          {streams.map((s) => (
            <li key={s.id}>
              <b className="font-medium">{deviceName(plan, s.senderDeviceId)}</b>{' '}
              {plan.devices.get(s.senderDeviceId)?.isPatchForeign ? 'is left as it is; stream' : 'sends stream'}{' '}
              {s.streamNumber} with channels {channelRuns(s.channels)}
              <span className="text-dim"> to {s.receivers.map((r) => deviceName(plan, r)).join(', ')}</span>
            </li>
          ))}
        </ul>
      ) : null}
      {receivers.map((r) => (
        <p key={r.deviceId} className="mt-1">
          <b className="font-medium">{deviceName(plan, r.deviceId)}</b>{' '}
          {[
            r.feeds.length > 0
              ? `feeds channels ${channelRuns([...r.feeds].sort((a, b) => a - b))} from ${sendersOf(plan, r).join(', ')}`
              : '',
            r.clears.length > 0 ? `clears channels ${channelRuns([...r.clears].sort((a, b) => a - b))}` : '',
            r.leaves > 0 ? `leaves ${count(r.leaves, 'stream')}` : '',
          ]
            .filter(Boolean)
            .join(', ')}
        </p>
      ))}
      {stops.map((s) => (
        <p key={`${s.senderDeviceId}/${s.streamNumber}`} className="mt-1">
          <b className="font-medium">{deviceName(plan, s.senderDeviceId)}</b> stops stream {s.streamNumber}: no lane
          needs it any more
        </p>
      ))}
      {alikeCount === 0 ? null : (
        <details className="mt-2.5 text-dim">
          <summary className="cursor-pointer rounded focus-visible:outline-2 focus-visible:outline-jade">
            {count(alikeCount, 'channel')} already as planned
          </summary>
          <ul>
            {alike.map(({ deviceId, channels }) => (
              <li key={deviceId}>
                {deviceName(plan, deviceId)} {channelRuns(channels)}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}
