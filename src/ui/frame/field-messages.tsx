import { useRouter } from 'next/navigation';
import { useEffect, useRef } from 'react';
import { toast } from 'sonner';
import { lastAtOf, type LiveEvent } from '@/field/live/happenings';
import { happeningWords } from '@/ui/parts/field-events';
import { lossesOf } from '@/ui/session/losses';
import { NO_FIELD, planNow, usePlan } from '@/ui/session/plan-store';
import { lostLanesWords } from './losses-list';

/** What is told when it happens; all the rest is in the list of events. */
const IS_LOSS: Readonly<Partial<Record<LiveEvent['what'], boolean>>> = {
  'devices-gone': true,
  'devices-back': false,
  'switches-silent': true,
  'switches-answer': false,
  'cables-down': true,
  'cables-up': false,
  'registry-lost': true,
  'registry-back': false,
  'second-grandmaster': true,
  'lock-lost': true,
};
/** What lanes may wait for. */
const TAKES_LANES: ReadonlySet<LiveEvent['what']> = new Set(['devices-gone', 'cables-down']);
const LOSS_MS = 12_000;
const BACK_MS = 6000;
/** What is older than this when the page hears of it is history. */
const FRESH_MS = 15_000;

/**
 * Says what was lost or came back, at any stage, when it happens. Like things that happen together are one message, which grows; what
 * happened before the page was opened is left to the list of events.
 */
export function FieldMessages() {
  const planId = usePlan((s) => s.planId);
  const events = usePlan((s) => s.field.events);
  const isRead = usePlan((s) => s.plan !== null && s.view !== null && s.field !== NO_FIELD);
  const told = useRef<{ planId: string | null; entries: Map<number, string> } | null>(null);
  const router = useRouter();
  useEffect(() => {
    const { plan, view, field } = planNow();
    if (!isRead || plan === null || view === null) return;
    // What is known when the plan opens is taken as told.
    if (told.current === null || told.current.planId !== planId) {
      told.current = { planId, entries: new Map(events.map((e) => [e.id, JSON.stringify(e)])) };
      return;
    }
    for (const event of [...events].reverse()) {
      const text = JSON.stringify(event);
      if (told.current.entries.get(event.id) === text) continue;
      told.current.entries.set(event.id, text);
      const isLoss = IS_LOSS[event.what];
      if (isLoss === undefined || Date.now() - lastAtOf(event) > FRESH_MS) continue;
      const lanes = TAKES_LANES.has(event.what) ? lostLanesWords(lossesOf(plan, view, field)) : null;
      (isLoss ? toast.warning : toast.success)(happeningWords(plan, event), {
        id: `event ${event.id}`,
        duration: isLoss ? LOSS_MS : BACK_MS,
        ...(lanes === null ? {} : { description: `Now ${lanes}.` }),
        ...(isLoss ? { action: { label: 'Show', onClick: () => router.push(hrefOf(planId ?? '', event)) } } : {}),
      });
    }
  }, [events, planId, isRead, router]);
  return null;
}

function hrefOf(planId: string, event: LiveEvent): string {
  const base = `/plans/${planId}`;
  if ('linkIds' in event) return `${base}/network?view=cables&sel=link:${encodeURIComponent(event.linkIds[0] ?? '')}`;
  const device = encodeURIComponent(('deviceIds' in event ? event.deviceIds[0] : undefined) ?? '');
  if (event.what === 'switches-silent') return `${base}/network?view=switches&sel=device:${device}`;
  if (event.what === 'second-grandmaster' || event.what === 'lock-lost') return `${base}/clocks?sel=device:${device}`;
  return `${base}/gear?sel=${device}`;
}
