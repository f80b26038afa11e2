import { useMutation } from '@tanstack/react-query';
import { useEffect, useRef, useState, type ReactNode, type RefObject } from 'react';
import { toast } from 'sonner';
import type { Plan } from '@/core/plan/plan';
import type { SendNews } from '@/server/messages';
import { Button, Modal } from '@/ui/parts/controls';
import { reportProblem } from '@/ui/parts/report-problem';
import { count } from '@/ui/parts/units';
import { ask, ApiProblem } from '@/ui/session/ask';
import { newId } from '@/ui/session/new-id';
import { undoneIn, type SendingReport } from './device-reports';
import { NOT_BEGUN, SendProgressList, withNews } from './send-progress';

export interface Sending<Wanted> {
  readonly isRetry: boolean;
  /** By which it can be stopped. */
  readonly id: string;
  readonly wanted: Wanted;
}

/** Telling devices something: what would be done, then doing it device by device, then what each made of it. */
export function SendingDialog<Wanted, Report extends SendingReport>({
  title,
  planId,
  plan,
  send,
  reported,
  whileSending,
  moreOf = () => null,
  againOf,
  isReady,
  onClose,
  children,
}: {
  title: string;
  planId: string;
  plan: Plan;
  send: (sending: Sending<Wanted>, tell: (news: SendNews<Report>) => void) => Promise<Report>;
  /** What became of it, in words. */
  reported: (report: Report, wanted: Wanted) => ReactNode;
  whileSending?: (wanted: Wanted) => ReactNode;
  /** What can be done next, beside trying again. */
  moreOf?: (report: Report, wanted: Wanted, start: (wanted: Wanted) => void) => ReactNode;
  /** What trying again is about. */
  againOf: (report: Report, wanted: Wanted) => Wanted;
  /** Whether it is known what can be sent: the dialog opens before that. */
  isReady: boolean;
  onClose: () => void;
  /** Before it begins: what would be done. `main` is the button that has the focus: never one that sends. */
  children: (start: (wanted: Wanted) => void, main: RefObject<HTMLButtonElement | null>) => ReactNode;
}) {
  const [going, setGoing] = useState(NOT_BEGUN);
  const [sendId, setSendId] = useState<string | null>(null);
  const [isStopping, setStopping] = useState(false);
  const isClosed = useRef(false);
  const sending = useMutation({
    mutationFn: async ({ wanted, isRetry }: { wanted: Wanted; isRetry: boolean }) => {
      const id = newId();
      setSendId(id);
      setStopping(false);
      setGoing(NOT_BEGUN);
      const report = await send({ wanted, isRetry, id }, (news) => setGoing((now) => withNews(now, news)));
      if (isClosed.current) tellOutcome(report);
      return report;
    },
    onError: (error) => isClosed.current && reportProblem(error, 'Not sent'),
  });
  const main = useRef<HTMLButtonElement>(null);
  useEffect(() => main.current?.focus(), [isReady, sending.data, sending.isPending]);
  const start = (wanted: Wanted, isRetry = false) => sending.mutate({ wanted, isRetry });
  const close = () => {
    isClosed.current = true;
    onClose();
  };
  const stop = async () => {
    if (sendId === null) return;
    setStopping(true);
    await ask('POST /api/plans/:planId/send/stop', { planId, body: { id: sendId } }).catch((e: unknown) =>
      reportProblem(e, 'Not stopped'),
    );
  };
  const report = sending.isPending ? undefined : sending.data;
  const wanted = sending.variables?.wanted;
  return (
    <Modal title={title} onClose={close} wide>
      {sending.isPending ? (
        <>
          <SendProgressList going={going} plan={plan} isStopping={isStopping} />
          {wanted === undefined ? null : whileSending?.(wanted)}
          <div className="mt-3 flex items-center justify-end gap-2">
            <span className="mr-auto text-dim">Closing this does not stop it.</span>
            <Button ref={main} disabled={isStopping} onClick={() => void stop()}>
              Stop
            </Button>
          </div>
        </>
      ) : report !== undefined && wanted !== undefined ? (
        <>
          <div className="max-h-[50vh] overflow-y-auto" tabIndex={0} role="region" aria-label="What was done">
            {reported(report, wanted)}
          </div>
          <div className="mt-3 flex justify-end gap-2">
            {moreOf(report, wanted, start)}
            {undoneIn(report) > 0 ? (
              <Button onClick={() => start(againOf(report, wanted), true)}>
                Retry {count(undoneIn(report), 'device')}
              </Button>
            ) : null}
            <Button ref={main} tone="main" onClick={close}>
              Close
            </Button>
          </div>
        </>
      ) : (
        <>
          {sending.error ? <SendingProblem error={sending.error} /> : null}
          {children(start, main)}
        </>
      )}
    </Modal>
  );
}

/** For whoever closed the dialog meanwhile. */
function tellOutcome(report: SendingReport): void {
  const undone = undoneIn(report);
  if (undone === 0) toast(`Sent: ${count(report.devices.length, 'device')} done`);
  else toast.warning(`Sent in part: ${count(undone, 'device')} not done`, { duration: 10_000 });
}

export function SendingProblem({ error }: { error: Error }) {
  return (
    <p role="alert" className="mt-2 text-madder">
      {error instanceof ApiProblem ? error.message : 'Something went wrong. Nothing was sent.'}
    </p>
  );
}
