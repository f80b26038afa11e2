import { useEffect, useState } from 'react';
import { secondsWords } from '@/ui/parts/clock-words';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { reportProblem } from '@/ui/parts/report-problem';
import { count } from '@/ui/parts/units';
import { ask } from '@/ui/session/ask';
import { usePlan } from '@/ui/session/plan-store';
import { serverNow } from '@/ui/session/server-clock';

/** Sends that wait for their moment, whoever set it; each can be cancelled. */
export function TimedSends() {
  const planId = usePlan((s) => s.planId) ?? '';
  const sends = usePlan((s) => s.timedSends);
  const [now, setNow] = useState(serverNow);
  useEffect(() => {
    if (sends.length === 0) return;
    const timer = setInterval(() => setNow(serverNow()), 1000);
    return () => clearInterval(timer);
  }, [sends]);
  if (sends.length === 0) return null;
  return (
    <>
      <PanelHeading>Timed sends</PanelHeading>
      <ul>
        {sends.map(({ id, author, at, channels }) => (
          <li key={id} className="flex items-center gap-2">
            <span className="min-w-0 flex-1">
              {count(channels, 'channel')} in {secondsWords(Math.max(0, Math.ceil((at - now) / 1000)))}
              <span className="text-dim">, by {author.name}</span>
            </span>
            <Button
              tone="quiet"
              aria-label={`Cancel the send of ${author.name}`}
              onClick={() =>
                void ask('POST /api/plans/:planId/send/stop', { planId, body: { id } }).catch((error: unknown) =>
                  reportProblem(error, 'Not cancelled'),
                )
              }
            >
              Cancel
            </Button>
          </li>
        ))}
      </ul>
    </>
  );
}
