import type { Area } from '@/core/findings/areas';
import Link from 'next/link';
import type { Plan } from '@/core/plan/plan';
import { PanelHeading } from '@/ui/parts/controls';
import { lossWords, sinceWords } from '@/ui/parts/loss-words';
import { count } from '@/ui/parts/units';
import { AREA_OF_LOSS, useLosses, type Loss, type Losses } from '@/ui/session/losses';
import { usePlan } from '@/ui/session/plan-store';

const SHOWN_MAX = 5;

/** Where to see what is lost. */
export function lossHref(planId: string, loss: Loss): string {
  const stage = `/plans/${planId}/${AREA_OF_LOSS[loss.kind]}`;
  switch (loss.kind) {
    case 'registry':
      return stage;
    case 'device':
    case 'failing':
    case 'contested':
      return `${stage}?sel=${encodeURIComponent(loss.deviceId)}`;
    case 'switch':
      return `${stage}?view=switches&sel=device:${encodeURIComponent(loss.deviceId)}`;
    case 'cable':
      return `${stage}?view=cables&sel=link:${encodeURIComponent(loss.linkId)}`;
  }
}

/** One loss as it stands in every list of them. */
function LossEntry({ plan, loss }: { plan: Plan; loss: Loss }) {
  const planId = usePlan((s) => s.planId) ?? '';
  return (
    <li className="rounded border border-l-[3px] border-line border-l-ochre px-2.5 py-2">
      <Link
        href={lossHref(planId, loss)}
        className="underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
      >
        <span className="text-ochre">Lost: </span>
        {lossWords(plan, loss)}
      </Link>
      {loss.since === null ? null : <span className="text-dim"> {sinceWords(loss.since)}</span>}
    </li>
  );
}

/** The lanes that a list of losses leads to: of the state of which there are some. */
export function lostLanesHref(planId: string, { waiting, oneLegged }: Losses): string {
  return `/plans/${planId}/lanes?state=${waiting > 0 ? 'waiting' : oneLegged > 0 ? 'one-legged' : 'unknown'}`;
}

/** Lanes that do not carry what they should, in words; null: all do. */
export function lostLanesWords({ waiting, oneLegged, notKnown }: Losses): string | null {
  const words = [
    ...(waiting === 0 ? [] : [`${count(waiting, 'lane')} waiting`]),
    ...(oneLegged === 0 ? [] : [`${count(oneLegged, 'lane')} on one leg`]),
    ...(notKnown === 0 ? [] : [`${count(notKnown, 'lane')} not known`]),
  ];
  return words.length === 0 ? null : words.join(', ');
}

/** What is lost now, in the overview of a stage: that of its own area first. Nothing: nothing is shown. */
export function LossesNow({ plan, area }: { plan: Plan; area: Area }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const losses = useLosses();
  const lanes = lostLanesWords(losses);
  if (losses.all.length === 0 && lanes === null) return null;
  const isOwn = (loss: Loss) => AREA_OF_LOSS[loss.kind] === area;
  const inOrder = [...losses.all.filter(isOwn), ...losses.all.filter((l) => !isOwn(l))];
  const shown = inOrder.slice(0, SHOWN_MAX);
  return (
    <section aria-label="Lost now">
      <PanelHeading>Lost now</PanelHeading>
      {lanes === null ? null : (
        <p className="mb-1.5">
          <Link
            href={lostLanesHref(planId, losses)}
            className="text-ochre underline underline-offset-2 focus-visible:outline-2 focus-visible:outline-jade"
          >
            {lanes}
          </Link>
        </p>
      )}
      <ul className="flex flex-col gap-2">
        {shown.map((loss) => (
          <LossEntry key={loss.key} plan={plan} loss={loss} />
        ))}
      </ul>
      {inOrder.length > shown.length ? (
        <p className="mt-1 text-dim">and {inOrder.length - shown.length} more, in the list behind the totals.</p>
      ) : null}
    </section>
  );
}
