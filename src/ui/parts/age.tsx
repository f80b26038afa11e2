'use client';

import { useEffect, useState } from 'react';
import { age } from './units';

/** How old a live figure is; counts on by itself. */
export function Age({ at, what = 'read ' }: { at: number; what?: string }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  return (
    <span className="text-[12px] text-dim">
      {what}
      {age(at, now)}
    </span>
  );
}
