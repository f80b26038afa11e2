'use client';

import { PanelRightClose, PanelRightOpen } from 'lucide-react';
import type { ReactNode } from 'react';
import { useFolded } from './folded';

/** A stage: its sheet in the middle and the reckoning panel on the right, which folds. */
export function StageLayout({ children, panel }: { children: ReactNode; panel: ReactNode }) {
  const [isFolded, setFolded] = useFolded('panel');
  return (
    <div className={`grid h-full ${isFolded ? 'grid-cols-[1fr_36px]' : 'grid-cols-[1fr_320px]'}`}>
      <main className="flex min-h-0 min-w-0 flex-col">{children}</main>
      <aside aria-label="Reckoning" className="relative flex min-h-0 flex-col border-l border-line bg-panel">
        <button
          type="button"
          onClick={() => setFolded(!isFolded)}
          aria-label={isFolded ? 'Unfold the reckoning' : 'Fold the reckoning'}
          className="absolute top-2 right-2 z-10 rounded p-1 text-dim hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
        >
          {isFolded ? <PanelRightOpen size={15} /> : <PanelRightClose size={15} />}
        </button>
        {isFolded ? null : (
          <div
            className="min-h-0 flex-1 overflow-y-auto px-3.5 py-3"
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
