import { useEffect, useRef, type ReactNode } from 'react';

/** The bar above a sheet: what is shown, and what can be done with it. */
export const StageBar = ({ children }: { children: ReactNode }) => (
  <div className="flex h-10 shrink-0 items-center gap-2 border-b border-line px-3 text-dim max-md:overflow-x-auto max-md:*:shrink-0">
    {children}
  </div>
);

/** Single letters that do something from anywhere on a stage, but for fields and dialogs. @param keys by the letter; undefined: not now */
export function useStageKeys(keys: Readonly<Record<string, (() => void) | undefined>>): void {
  const now = useRef(keys);
  useEffect(() => {
    now.current = keys;
  });
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const isBusy =
        e.target instanceof HTMLElement && e.target.closest('input, textarea, select, [role=dialog]') !== null;
      const run = now.current[e.key.toLowerCase()];
      if (isBusy || e.ctrlKey || e.metaKey || e.altKey || run === undefined) return;
      e.preventDefault();
      run();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
