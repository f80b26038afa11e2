'use client';

import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { toast } from 'sonner';
import type { Plan } from '@/core/plan/plan';
import type { Moment } from '@/field/moment';
import type { ChannelRef } from '@/field/send-plan';
import { Tick } from '@/ui/parts/choice';
import { Button, Modal, SelectField, TextField } from '@/ui/parts/controls';
import { reportProblem } from '@/ui/parts/report-problem';
import { count } from '@/ui/parts/units';
import { api, ApiProblem, type SendAnswer } from '@/ui/session/api';
import { thisAuthor } from '@/ui/session/author';
import { newId } from '@/ui/session/new-id';
import { NOT_BEGUN, SendProgressList, withNews } from './send-progress';
import { SendReportView } from './send-report-view';
import { SendWork } from './send-work';

interface Wanted {
  readonly channels: readonly ChannelRef[];
  readonly start: boolean;
  readonly isRetry?: boolean;
  /** Receivers change over together after so many seconds. */
  readonly inSeconds?: number;
}

/** What sending the selected channels would do to the devices, then doing it device by device, then what each made of it. */
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
  const [going, setGoing] = useState(NOT_BEGUN);
  const [sendId, setSendId] = useState<string | null>(null);
  const [isStopping, setStopping] = useState(false);
  const [isAtMoment, setAtMoment] = useState(false);
  const [seconds, setSeconds] = useState('30');
  const [by, setBy] = useState<Moment['by']>('clock');
  const [momentAt, setMomentAt] = useState<number | null>(null);
  const isClosed = useRef(false);
  const sending = useMutation({
    mutationFn: async ({ channels, start, isRetry = false, inSeconds }: Wanted) => {
      const id = newId();
      setSendId(id);
      setStopping(false);
      setGoing(NOT_BEGUN);
      const moment = inSeconds === undefined ? {} : { inMs: Math.round(inSeconds * 1000), momentBy: by };
      if (inSeconds !== undefined) setMomentAt(Date.now() + inSeconds * 1000);
      const body = { channels, author: thisAuthor(), start, isRetry, id, ...moment };
      const report = await api.send(planId, body, (news) => setGoing((now) => withNews(now, news)));
      if (isClosed.current) tellOutcome(report);
      return report;
    },
    onError: (error) => isClosed.current && reportProblem(error, 'Not sent'),
  });
  const work = preview.data;
  const canSend = work !== undefined && work.receivers.length + work.stops.length > 0;
  const main = useRef<HTMLButtonElement>(null);
  // The dialog opens before it knows what can be sent; when it does, Enter sends.
  useEffect(() => main.current?.focus(), [canSend, sending.data, sending.isPending]);
  const close = () => {
    isClosed.current = true;
    onClose();
  };
  const stop = async () => {
    if (sendId === null) return;
    setStopping(true);
    await api.stopSending(planId, sendId).catch((e: unknown) => reportProblem(e, 'Not stopped'));
  };
  const typed = Number(seconds.replace(',', '.'));
  const inSeconds = seconds.trim() !== '' && typed >= 1 && typed <= 3600 ? typed : null;
  const report = sending.isPending ? undefined : sending.data;
  const started = sending.variables?.start === true;
  const undone = report === undefined ? 0 : undoneIn(report);
  return (
    <Modal title={`Send ${count(channels.length, 'channel')} to the devices`} onClose={close} wide>
      {sending.isPending ? (
        <>
          <SendProgressList going={going} plan={plan} isStopping={isStopping} />
          {momentAt === null || sending.variables?.inSeconds === undefined ? null : <Until at={momentAt} />}
          <div className="mt-3 flex items-center justify-end gap-2">
            <span className="mr-auto text-dim">Closing this does not stop it.</span>
            <Button ref={main} disabled={isStopping} onClick={() => void stop()}>
              Stop
            </Button>
          </div>
        </>
      ) : report ? (
        <>
          <SendReportView report={report} plan={plan} started={started} />
          <div className="mt-3 flex justify-end gap-2">
            {started ? null : <Button onClick={() => sending.mutate({ channels, start: true })}>Start now</Button>}
            {undone > 0 ? (
              <Button
                onClick={() =>
                  sending.mutate({
                    channels: report.again.length > 0 ? report.again : channels,
                    start: started,
                    isRetry: true,
                  })
                }
              >
                Retry {count(undone, 'device')}
              </Button>
            ) : null}
            <Button ref={main} tone="main" onClick={close}>
              Close
            </Button>
          </div>
        </>
      ) : (
        <>
          {preview.isPending ? <p role="status">Looking at the devices …</p> : null}
          {preview.error ? <Problem error={preview.error} /> : null}
          {work ? <SendWork work={work} plan={plan} /> : null}
          {sending.error ? <Problem error={sending.error} /> : null}
          <p className="mt-3 text-dim">
            Senders are set up first; each receiver joins its streams, then its channels go over to them, and what it
            needs no more is left.
          </p>
          <fieldset className="mt-3 flex flex-wrap items-center gap-2">
            <legend className="sr-only">When channels change over</legend>
            <Tick label="change over together at a moment" is={isAtMoment} isPossible onChange={setAtMoment} />
            {isAtMoment ? (
              <>
                <label className="flex items-center gap-1.5">
                  in
                  <TextField
                    className="w-16 font-mono"
                    inputMode="decimal"
                    value={seconds}
                    aria-label="Seconds until then"
                    aria-invalid={inSeconds === null}
                    onChange={(e) => setSeconds(e.target.value)}
                  />
                  s
                </label>
                <SelectField
                  aria-label="How devices know the moment"
                  value={by}
                  onChange={(e) => setBy(e.target.value as Moment['by'])}
                >
                  <option value="clock">by the time of day of the devices (TAI)</option>
                  <option value="countdown">by counting down</option>
                </SelectField>
                {inSeconds === null ? (
                  <span role="alert" className="text-[12px] text-madder">
                    From 1 to 3600 s.
                  </span>
                ) : null}
              </>
            ) : null}
          </fieldset>
          <div className="mt-3 flex justify-end gap-2">
            <Button onClick={close}>Cancel</Button>
            <Button disabled={!canSend} onClick={() => sending.mutate({ channels, start: false })}>
              Stage
            </Button>
            <Button
              ref={main}
              tone="main"
              disabled={!canSend || (isAtMoment && inSeconds === null)}
              onClick={() =>
                sending.mutate({
                  channels,
                  start: true,
                  ...(isAtMoment && inSeconds !== null ? { inSeconds } : {}),
                })
              }
            >
              Activate
            </Button>
          </div>
        </>
      )}
    </Modal>
  );
}

/** How long it is until receivers change over. */
function Until({ at }: { at: number }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 250);
    return () => clearInterval(timer);
  }, []);
  const left = Math.ceil((at - now) / 1000);
  return (
    <p role="timer" className="mt-2 text-dim">
      {left > 0 ? `Receivers change over in ${left} s; until then they hear what they hear.` : 'The moment has come.'}
    </p>
  );
}

/** Devices that did not do everything, or were not begun with. */
const undoneIn = (report: SendAnswer): number =>
  new Set([...report.devices.filter((d) => d.failed.length > 0).map((d) => d.deviceId), ...report.notBegun]).size;

/** For whoever closed the dialog meanwhile. */
function tellOutcome(report: SendAnswer): void {
  const undone = undoneIn(report);
  if (undone === 0) toast(`Sent: ${count(report.devices.length, 'device')} did everything`);
  else toast.warning(`Sent in part: ${count(undone, 'device')} did not do everything`, { duration: 10_000 });
}

function Problem({ error }: { error: Error }) {
  return (
    <p role="alert" className="mt-2 text-madder">
      {error instanceof ApiProblem ? error.message : 'Something went wrong. Nothing was sent.'}
    </p>
  );
}
