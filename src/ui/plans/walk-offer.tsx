import { useState } from 'react';
import { isWalkOffered, noteWalk } from '@/ui/frame/walk-memory';
import { Button } from '@/ui/parts/controls';
import { useOfBrowser } from '@/ui/parts/in-browser';

/** At the first visit: five steps through the demo, to be taken or not. */
export function WalkOffer({ onStart, isBusy }: { onStart: () => void; isBusy: boolean }) {
  // What the browser remembers is not known to the server.
  const isFirst = useOfBrowser(isWalkOffered, false);
  const [isLeft, setLeft] = useState(false);
  if (!isFirst || isLeft) return null;
  return (
    <section
      aria-label="First visit"
      className="my-4 rounded border border-l-[3px] border-line border-l-jade px-3 py-2.5"
    >
      <p>
        <b className="font-medium">Here for the first time?</b> Five steps through Skerry Point, a made-up harbour, show
        how a plan is read, fed, checked and tested. You can leave at any step.
      </p>
      <p className="mt-2 flex gap-2">
        <Button
          tone="main"
          disabled={isBusy}
          onClick={() => {
            noteWalk('taken');
            onStart();
          }}
        >
          Start the walk
        </Button>
        <Button
          onClick={() => {
            noteWalk('declined');
            setLeft(true);
          }}
        >
          Not now
        </Button>
      </p>
    </section>
  );
}
