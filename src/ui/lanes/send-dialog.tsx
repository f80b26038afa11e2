'use client';

import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import type { Plan } from '@/core/plan/plan';
import { Button, Modal } from '@/ui/parts/controls';
import { channelRuns, count } from '@/ui/parts/units';
import { deviceName, failureWords, STEP_WORDS } from '@/ui/parts/words';
import type { ChannelRef } from '@/field/send-plan';
import { api, ApiProblem, type SendAnswer } from '@/ui/session/api';
import { thisAuthor } from '@/ui/session/author';

const LEFT_WORDS = {
  refused: 'refused by the plan',
  'device-missing': 'the receiver is not there',
  'sender-missing': 'the sender is not there',
  'device-foreign': 'its patch is not ours and is never written',
  'sender-untold': 'neither the registry nor an announcement tells of this stream now',
  'in-a-block':
    'it is fed in one block with channels whose lanes are refused: feed the block whole, or clear all of it',
  'hearer-away': 'a device that hears another stream in its place is away or not ours',
  'sender-foreign': 'the patch of the sender is not ours and is never written',
} as const;

/** What sending the selected channels would do to the devices, then doing it, then what each device made of it. */
export function SendDialog({
  planId,
  plan,
  channels,
  onClose,
}: {
  planId: string;
  plan: Plan;
  channels: readonly ChannelRef[];
  onClose: () => void;
}) {
  const preview = useQuery({
    queryKey: ['send-preview', planId, channels],
    queryFn: () => api.previewSend(planId, channels),
    gcTime: 0,
  });
  const sending = useMutation({ mutationFn: (start: boolean) => api.send(planId, channels, thisAuthor(), start) });
  const work = preview.data;
  const isNothing = work !== undefined && work.receivers.length + work.stops.length === 0;
  const main = useRef<HTMLButtonElement>(null);
  const canSend = work !== undefined && !isNothing;
  // The dialog opens before it knows what can be sent; when it does, Enter sends.
  useEffect(() => main.current?.focus(), [canSend, sending.data]);
  return (
    <Modal title={`Send ${count(channels.length, 'channel')} to the devices`} onClose={onClose} wide>
      {sending.data ? (
        <Report report={sending.data} plan={plan} started={sending.variables} />
      ) : (
        <>
          {preview.isPending ? <p role="status">Looking at the devices …</p> : null}
          {preview.error ? <Problem error={preview.error} /> : null}
          {work ? (
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
                  <b className="font-medium">{deviceName(plan, s.senderDeviceId)}</b> stops stream {s.streamNumber}: no
                  lane needs it any more
                </p>
              ))}
              <Left left={work.left} plan={plan} />
            </div>
          ) : null}
          {sending.error ? <Problem error={sending.error} /> : null}
          <p className="mt-3 text-dim">
            Senders are set up first; at each receiver the channels that change are taken off, the stream is joined,
            then they are fed.
          </p>
          <div className="mt-3 flex justify-end gap-2">
            <Button onClick={onClose}>Cancel</Button>
            <Button disabled={!canSend || sending.isPending} onClick={() => sending.mutate(false)}>
              Stage
            </Button>
            <Button
              ref={main}
              tone="main"
              disabled={!canSend || sending.isPending}
              onClick={() => sending.mutate(true)}
            >
              {sending.isPending ? 'Sending …' : 'Activate'}
            </Button>
          </div>
        </>
      )}
      {sending.data ? (
        <div className="mt-3 flex justify-end gap-2">
          {sending.variables ? null : <Button onClick={() => sending.mutate(true)}>Start now</Button>}
          <Button ref={main} tone="main" onClick={onClose}>
            Close
          </Button>
        </div>
      ) : null}
    </Modal>
  );
}

function Problem({ error }: { error: Error }) {
  return (
    <p role="alert" className="mt-2 text-madder">
      {error instanceof ApiProblem ? error.message : 'Something went wrong. Nothing was sent.'}
    </p>
  );
}

function Left({ left, plan }: { left: SendAnswer['left']; plan: Plan }) {
  if (left.length === 0) return null;
  const groups = new Map<string, { deviceId: string; why: keyof typeof LEFT_WORDS; channels: number[] }>();
  for (const { deviceId, channel, why } of left) {
    const group = groups.get(`${deviceId}|${why}`);
    if (group) group.channels.push(channel);
    else groups.set(`${deviceId}|${why}`, { deviceId, why, channels: [channel] });
  }
  return (
    <>
      <p className="mt-2.5 text-ochre">Left as they are:</p>
      <ul>
        {[...groups.values()].map(({ deviceId, why, channels }) => (
          <li key={`${deviceId}|${why}`}>
            {deviceName(plan, deviceId)} {channelRuns(channels.sort((a, b) => a - b))}: {LEFT_WORDS[why]}
          </li>
        ))}
      </ul>
    </>
  );
}

function Report({ report, plan, started }: { report: SendAnswer; plan: Plan; started: boolean }) {
  const failed = report.devices.filter((d) => d.failed.length > 0);
  return (
    <div className="max-h-[50vh] overflow-y-auto" tabIndex={0} role="region" aria-label="What was done">
      <p role="status">
        {failed.length === 0
          ? `${count(report.devices.length, 'device')} did everything${started ? '' : '; nothing is started yet'}.`
          : `${report.devices.length - failed.length} of ${count(report.devices.length, 'device')} did everything; ${failed.length} did not.`}
      </p>
      <ul className="mt-2 flex flex-col gap-1">
        {report.devices.map((d) => (
          <li key={d.deviceId}>
            <b className="font-medium">{deviceName(plan, d.deviceId)}</b>{' '}
            <span className="text-dim">
              {d.done.length > 0 ? d.done.map((s) => STEP_WORDS[s]).join(', ') : 'nothing was changed'}
            </span>
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
