import { useEffect, useState } from 'react';

const hasFiles = (e: DragEvent) => e.dataTransfer?.types.includes('Files') === true;

/** Files dropped anywhere on the window, unless something on the page takes them itself. */
export function DropAnywhere({ words, onFiles }: { words: string; onFiles: (files: readonly File[]) => void }) {
  const [isOver, setOver] = useState(false);
  useEffect(() => {
    // Enter and leave come for every element on the way: over for as long as there were more of the first.
    let depth = 0;
    const enter = (e: DragEvent) => {
      if (!hasFiles(e)) return;
      depth += 1;
      setOver(true);
    };
    const leave = (e: DragEvent) => {
      if (!hasFiles(e)) return;
      depth = Math.max(0, depth - 1);
      if (depth === 0) setOver(false);
    };
    const over = (e: DragEvent) => hasFiles(e) && e.preventDefault();
    const drop = (e: DragEvent) => {
      if (!hasFiles(e)) return;
      depth = 0;
      setOver(false);
      if (e.defaultPrevented) return;
      e.preventDefault();
      onFiles([...(e.dataTransfer?.files ?? [])]);
    };
    window.addEventListener('dragenter', enter);
    window.addEventListener('dragleave', leave);
    window.addEventListener('dragover', over);
    window.addEventListener('drop', drop);
    return () => {
      window.removeEventListener('dragenter', enter);
      window.removeEventListener('dragleave', leave);
      window.removeEventListener('dragover', over);
      window.removeEventListener('drop', drop);
    };
  }, [onFiles]);
  if (!isOver) return null;
  return (
    <div
      data-drop-anywhere
      className="pointer-events-none fixed inset-2 z-50 flex items-end justify-center rounded border-2 border-dashed border-jade pb-12"
    >
      <p className="max-w-[520px] rounded border border-edge bg-panel px-3 py-2 text-ink">{words}</p>
    </div>
  );
}
