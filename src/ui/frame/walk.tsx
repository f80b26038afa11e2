import { useRouter } from 'next/navigation';
import { parseAsInteger, useQueryState } from 'nuqs';
import { useEffect, useRef } from 'react';
import { Button } from '@/ui/parts/controls';

/** A step of the walk: what one sees, and where. */
interface WalkStep {
  readonly title: string;
  readonly text: string;
  /** Behind the plan's address. */
  readonly at: string;
}

const STEPS: readonly WalkStep[] = [
  {
    title: 'A row is a sentence',
    text: 'Each row is one receiver channel: where sound arrives, the state of its lane, what it is subscribed to, and the stream that brings it. The ribbons above are the same lanes from place to place: press one to see only its rows.',
    at: 'lanes',
  },
  {
    title: 'What is refused says why',
    text: 'Two channels of the lab recorder are refused: it runs at 96 kHz and the console at 48. The panel on the right has the numbers and the ways out; each shows what it mends and what it breaks before you apply it.',
    at: 'lanes?sel=lab-recorder:13-14',
  },
  {
    title: 'Feed eight channels at once',
    text: 'The eight channels of Dome amp 6 are selected and free. Press Enter, type “tank mic”, and look at the rows, the panel and the totals below before you apply. Ctrl Z takes it back.',
    at: 'lanes?sel=dome-amp-6:1-8',
  },
  {
    title: 'Every number opens to its working',
    text: 'The busiest cable leads to the Wave hall: most of it is reserved, and what is left is nearly full. Open its calculation to see every stream, and the clock and control traffic beside them.',
    at: 'network?view=cables&sel=link:up-wave-edge-a',
  },
  {
    title: 'Take something away',
    text: 'A failure drill: the grandmaster is gone. The tree shows who takes over and when, and the panel which lanes are disturbed. Restore ends the drill. Ctrl K finds anything; the totals at the foot open all findings.',
    at: 'clocks?lost=device:north-master',
  },
];

/** The walk of five steps through the demo, beside the stage; it is in the address, so that it goes along from stage to stage. */
export function Walk({ planId }: { planId: string }) {
  const router = useRouter();
  const [nth, setNth] = useQueryState('walk', parseAsInteger);
  const heading = useRef<HTMLHeadingElement>(null);
  const step = nth === null ? undefined : STEPS[nth - 1];
  useEffect(() => {
    if (step !== undefined) heading.current?.focus();
  }, [step]);
  if (nth === null || step === undefined) return null;
  const go = (to: number) => {
    const next = STEPS[to - 1];
    if (next === undefined) void setNth(null);
    else router.push(`/plans/${planId}/${next.at}${next.at.includes('?') ? '&' : '?'}walk=${to}`);
  };
  return (
    <section
      aria-label="Walk"
      className="fixed bottom-[38px] left-2 z-20 w-[330px] max-w-[calc(100vw-16px)] rounded border border-jade bg-panel px-3.5 py-3"
      onKeyDown={(e) => {
        if (e.key === 'Escape') void setNth(null);
      }}
    >
      <h2 ref={heading} tabIndex={-1} className="font-semibold outline-none">
        <span className="font-normal text-dim">
          Step {nth} of {STEPS.length}:
        </span>{' '}
        {step.title}
      </h2>
      <p className="mt-1">{step.text}</p>
      <p className="mt-2 flex gap-2">
        {nth > 1 ? <Button onClick={() => go(nth - 1)}>Back</Button> : null}
        <Button tone="main" onClick={() => go(nth + 1)}>
          {nth === STEPS.length ? 'Done' : 'Next'}
        </Button>
        {nth === STEPS.length ? null : (
          <Button tone="quiet" onClick={() => void setNth(null)}>
            Leave the walk
          </Button>
        )}
      </p>
    </section>
  );
}
