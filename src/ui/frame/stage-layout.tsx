import { PanelRightClose, PanelRightOpen } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import { useFolded } from './folded';

/** A stage: its sheet in the middle and the reckoning panel on the right, which folds. */
export function StageLayout({ children, panel }: { children: ReactNode; panel: ReactNode }) {
  const [isFolded, setFolded] = useFolded('panel');
  // Where there is no room beside the sheet the panel is a sheet of its own, which comes up from the foot.
  const [isUp, setUp] = useState(false);
  return (
    <div
      className={`grid h-full max-md:grid-cols-1 max-md:grid-rows-[minmax(0,1fr)_auto] ${isFolded ? 'grid-cols-[1fr_36px]' : 'grid-cols-[1fr_320px]'}`}
    >
      <main className="flex min-h-0 min-w-0 flex-col">{children}</main>
      <aside
        aria-label="Reckoning"
        className={`relative flex min-h-0 flex-col border-l border-line bg-panel max-md:border-t max-md:border-l-0 ${isUp ? 'max-md:h-[55dvh]' : ''}`}
      >
        <button
          type="button"
          aria-expanded={isUp}
          onClick={() => setUp(!isUp)}
          className="hidden h-9 w-full shrink-0 items-center justify-center gap-2 text-dim focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade max-md:flex"
        >
          {isUp ? 'Close details' : 'Details'}
        </button>
        <button
          type="button"
          onClick={() => setFolded(!isFolded)}
          aria-label={isFolded ? 'Unfold the reckoning' : 'Fold the reckoning'}
          className="absolute top-2 right-2 z-10 rounded p-1 max-md:hidden text-dim hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
        >
          {isFolded ? <PanelRightOpen size={15} /> : <PanelRightClose size={15} />}
        </button>
        {isFolded && !isUp ? null : (
          <div
            className={`min-h-0 flex-1 overflow-y-auto px-3.5 py-3 ${isUp ? '' : 'max-md:hidden'} ${isFolded ? 'md:hidden' : ''}`}
            tabIndex={0}
            role="region"
            aria-label="Reckoning of the selection"
          >
            {panel}
          </div>
        )}
      </aside>
    </div>
  );
}
