import { useEffect, useState } from 'react';
import { serverNow } from '../session/server-clock';
import { age } from './units';

/** How old a live figure is; counts on by itself. */
export function Age({ at, what = 'read ' }: { at: number; what?: string }) {
  const [now, setNow] = useState(serverNow);
  useEffect(() => {
    const timer = setInterval(() => setNow(serverNow()), 1000);
    return () => clearInterval(timer);
  }, []);
  return (
    <span className="text-[12px] text-dim">
      {what}
      {age(at, now)}
    </span>
  );
}
