import { useQuery } from '@tanstack/react-query';
import type { Remote } from 'comlink';
import { useEffect } from 'react';
import { reportProblem } from '@/ui/parts/report-problem';
import type { ReckonWorker } from '@/workers/reckon-desk';
import { reckonWorker } from './plan-store';

let numbered = 0;
const numbers = new WeakMap<object, number>();

/** The same for the same object, and for no other. Texts and numbers stand for themselves. */
export function identityOf(value: unknown): unknown {
  if (typeof value !== 'object' || value === null) return value;
  let number = numbers.get(value);
  if (number === undefined) numbers.set(value, (number = numbered += 1));
  return `object ${number}`;
}

interface Asked<T> {
  /** What is asked, with `about` the key of the question. */
  readonly question: keyof ReckonWorker;
  /** All that the answer depends on: it is asked again when any of it is another. */
  readonly about: readonly unknown[];
  readonly ask: (worker: Remote<ReckonWorker>) => Promise<T>;
  /** What to say when there is no answer. */
  readonly failed: string;
  /** False: nobody wants to know yet. */
  readonly isWanted?: boolean;
  /** What is shown until the answer is there: that of before, or nothing. */
  readonly until?: 'before' | 'nothing';
}

/**
 * Asks the worker that reckons. The only way in which a component asks it anything by itself: an answer that comes too late is
 * dropped, and a question that fails is told, never swallowed. Null: there is no answer yet.
 */
export function useWorkerAnswer<T>({
  question,
  about,
  ask,
  failed,
  isWanted = true,
  until = 'before',
}: Asked<T>): T | null {
  const { data, error } = useQuery<{ answer: T }>({
    queryKey: ['worker', question, ...about.map(identityOf)],
    // An answer may be nothing at all, which a query may not.
    queryFn: async () => ({ answer: await ask(reckonWorker()) }),
    enabled: isWanted,
    // The question holds all that it depends on: the answer to it never changes.
    staleTime: Infinity,
    gcTime: 10_000,
    networkMode: 'always',
    structuralSharing: false,
    placeholderData: (previous) => (until === 'before' ? previous : undefined),
  });
  useEffect(() => {
    if (error !== null) reportProblem(error, failed);
  }, [error, failed]);
  return data?.answer ?? null;
}
