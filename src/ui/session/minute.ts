'use client';

import { useSyncExternalStore } from 'react';
import { minuteOf } from '@/field/live/found-in-field';

const now = () => minuteOf(Date.now());

function everyMinute(tell: () => void): () => void {
  const timer = setInterval(tell, 5_000);
  return () => clearInterval(timer);
}

/** What time it is, to the minute: milliseconds since 1970. The same number until the next minute begins. */
export const useMinute = (): number => useSyncExternalStore(everyMinute, now, () => 0);
