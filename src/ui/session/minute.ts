import { useSyncExternalStore } from 'react';
import { minuteOf } from '@/core/findings/told-of-field';

function everyMinute(tell: () => void): () => void {
  const timer = setInterval(tell, 5_000);
  return () => clearInterval(timer);
}

/** What time it is by a clock, to the minute: milliseconds since 1970. The same number until the next minute begins. */
export const useMinute = (clock: () => number = Date.now): number =>
  useSyncExternalStore(
    everyMinute,
    () => minuteOf(clock()),
    () => 0,
  );
