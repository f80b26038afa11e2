import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import type { Moment } from '@/field/moment';
import type { ChannelRef } from '@/field/send-plan';
import { Tick } from '@/ui/parts/choice';
import { Button, SelectField, TextField } from '@/ui/parts/controls';
import { openDialog } from '@/ui/frame/frame-dialog';
import { count } from '@/ui/parts/units';
import { SendingDialog, SendingProblem } from '@/ui/sending/sending-dialog';
import type { LanesReport } from '@/server/messages';
import { ask, askTelling } from '@/ui/session/ask';
import { thisAuthor } from '@/ui/session/author';
import { SendReportView } from './send-report-view';
import { SendWork } from './send-work';

interface Wanted {
  readonly channels: readonly ChannelRef[];
  readonly start: boolean;
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
    queryFn: () => ask('POST /api/plans/:planId/send/preview', { planId, body: { channels } }),
    gcTime: 0,
  });
  const [isAtMoment, setAtMoment] = useState(false);
  const [seconds, setSeconds] = useState('30');
  const [by, setBy] = useState<Moment['by']>('clock');
  const [momentAt, setMomentAt] = useState<number | null>(null);
  const work = preview.data;
  const canSend =
    work !== undefined && work.receivers.length + work.stops.length + work.streams.length + work.alike.length > 0;
  const isElsewhere = work?.left.some(({ why }) => why === 'device-elsewhere' || why === 'sender-elsewhere') === true;
  const typed = Number(seconds.replace(',', '.'));
  const inSeconds = seconds.trim() !== '' && typed >= 1 && typed <= 3600 ? typed : null;
  return (
    <SendingDialog<Wanted, LanesReport>
      title={`Send ${count(channels.length, 'channel')} to the devices`}
      planId={planId}
      plan={plan}
      isReady={canSend}
      onClose={onClose}
      send={({ wanted: { inSeconds: s, ...wanted }, isRetry, id }, tell) => {
        const moment = s === undefined ? {} : { inMs: Math.round(s * 1000), momentBy: by };
        if (s !== undefined) setMomentAt(Date.now() + s * 1000);
        const body = { ...wanted, author: thisAuthor(), isRetry, id, ...moment };
        return askTelling('POST /api/plans/:planId/send', { planId, body }, tell);
      }}
      whileSending={(wanted) => (momentAt === null || wanted.inSeconds === undefined ? null : <Until at={momentAt} />)}
      reported={(report, { start }) => <SendReportView report={report} plan={plan} started={start} />}
      moreOf={(_report, wanted, start) =>
        wanted.start ? null : <Button onClick={() => start({ channels, start: true })}>Start now</Button>
      }
      againOf={(report, { start }) => ({ channels: report.again.length > 0 ? report.again : channels, start })}
    >
      {(start, main) => (
        <>
          {preview.isPending ? <p role="status">Looking at the devices …</p> : null}
          {preview.error ? <SendingProblem error={preview.error} /> : null}
          {work ? <SendWork work={work} plan={plan} /> : null}
          <p className="mt-3 text-dim">
            Senders are set up first; each receiver then joins its streams, switches its channels over, and leaves the
            streams it no longer needs.
          </p>
          <fieldset className="mt-3 flex flex-wrap items-center gap-2">
            <legend className="sr-only">When receivers switch</legend>
            <Tick label="switch at a set time" is={isAtMoment} isPossible onChange={setAtMoment} />
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
                <SelectField aria-label="Timed by" value={by} onChange={(e) => setBy(e.target.value as Moment['by'])}>
                  <option value="clock">the clock of the devices (TAI)</option>
                  <option value="countdown">a countdown in the devices</option>
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
            {isElsewhere ? (
              <Button
                className="mr-auto"
                onClick={() => {
                  onClose();
                  openDialog('take-over');
                }}
              >
                Take over devices …
              </Button>
            ) : null}
            <Button ref={main} onClick={onClose}>
              Cancel
            </Button>
            <Button disabled={!canSend} onClick={() => start({ channels, start: false })}>
              Stage
            </Button>
            <Button
              tone="main"
              disabled={!canSend || (isAtMoment && inSeconds === null)}
              onClick={() =>
                start({ channels, start: true, ...(isAtMoment && inSeconds !== null ? { inSeconds } : {}) })
              }
            >
              Activate
            </Button>
          </div>
        </>
      )}
    </SendingDialog>
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
      {left > 0 ? `Receivers switch in ${left} s; until then nothing changes.` : 'Switching now.'}
    </p>
  );
}
