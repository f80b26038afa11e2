'use client';

import { useSyncExternalStore } from 'react';

const MINUTE_MS = 60_000;
const now = () => Math.floor(Date.now() / MINUTE_MS) * MINUTE_MS;

function everyMinute(tell: () => void): () => void {
  const timer = setInterval(tell, 5_000);
  return () => clearInterval(timer);
}

/** What time it is, to the minute: milliseconds since 1970. The same number until the next minute begins. */
export const useMinute = (): number => useSyncExternalStore(everyMinute, now, () => 0);
