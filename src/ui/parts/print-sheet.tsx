import { useEffect, useState, type ReactNode } from 'react';
import { createPortal, flushSync } from 'react-dom';

/**
 * What is printed in place of the page: it stands beside the page, where no scroller cuts it off, is never on the screen, and is made only
 * when somebody prints.
 */
export function PrintSheet({ title, children }: { title: string; children: () => ReactNode }) {
  const [isPrinting, setPrinting] = useState(false);
  useEffect(() => {
    // The browser takes the page as it is when this returns.
    const begin = () => flushSync(() => setPrinting(true));
    const end = () => setPrinting(false);
    window.addEventListener('beforeprint', begin);
    window.addEventListener('afterprint', end);
    return () => {
      window.removeEventListener('beforeprint', begin);
      window.removeEventListener('afterprint', end);
    };
  }, []);
  if (!isPrinting) return null;
  return createPortal(
    <div data-print-sheet="" aria-hidden="true">
      <h1>{title}</h1>
      {children()}
    </div>,
    document.body,
  );
}
