import type { InSteps } from '../plan/in-steps';

/**
 * Things worked out from others, each once. A step says what it reads, is given just that, and is worked out again when any of
 * it is another object than before. So what is kept follows from what is read, and not from conditions written by hand.
 */

export interface Before<Now, Made> {
  readonly now: Now;
  readonly made: Made;
}

export interface Step<Facts, Reads extends keyof Facts, Made> {
  readonly reads: readonly Reads[];
  /** Given what was worked out before, whatever came out the same may be kept: the result has to be that of a first time. */
  readonly make: (now: Pick<Facts, Reads>, before: Before<Pick<Facts, Reads>, Made> | undefined) => Made;
}

/** A step that takes long in a large plan: it may be left between its parts. */
export interface LongStep<Facts, Reads extends keyof Facts, Made> {
  readonly reads: readonly Reads[];
  readonly makeInSteps: (
    now: Pick<Facts, Reads>,
    before: Before<Pick<Facts, Reads>, Made> | undefined,
  ) => InSteps<Made>;
}

/** A step to a result, whatever it reads. */
export type StepTo<Facts, Made> = { readonly reads: readonly (keyof Facts)[] } & (
  | { readonly make: (now: never, before: never) => Made }
  | { readonly makeInSteps: (now: never, before: never) => InSteps<Made> }
);

/** What steps were given and came to: what the next time starts from. */
export type Done = ReadonlyMap<string, Before<object, unknown>>;

interface AnyStep {
  readonly reads: readonly string[];
  readonly make?: (now: object, before: Before<object, unknown> | undefined) => unknown;
  readonly makeInSteps?: (now: object, before: Before<object, unknown> | undefined) => InSteps<unknown>;
}

/** The names of steps in an order in which each comes after those it reads. */
export function inOrder(steps: Readonly<Record<string, { readonly reads: readonly string[] }>>): string[] {
  const order: string[] = [];
  const left = new Set(Object.keys(steps));
  while (left.size > 0) {
    const ready = [...left].filter((name) => steps[name]?.reads.every((read) => !left.has(read)));
    if (ready.length === 0) throw new Error(`steps read each other in a ring: ${[...left].join(', ')}`);
    for (const name of ready) {
      left.delete(name);
      order.push(name);
    }
  }
  return order;
}

/** Works steps out in this order, adding each to the facts by its name. May be left after each that had to be worked out. */
export function* work(
  order: readonly string[],
  steps: Readonly<Record<string, unknown>>,
  facts: Record<string, unknown>,
  done: Done | undefined,
): InSteps<Done> {
  const after = new Map<string, Before<object, unknown>>();
  for (const name of order) {
    const { reads, make, makeInSteps } = steps[name] as AnyStep;
    const before = done?.get(name);
    const was = before?.now as Record<string, unknown> | undefined;
    let entry = before;
    if (before === undefined || was === undefined || reads.some((read) => was[read] !== facts[read])) {
      const now: Record<string, unknown> = {};
      for (const read of reads) now[read] = facts[read];
      entry = { now, made: makeInSteps === undefined ? make?.(now, before) : yield* makeInSteps(now, before) };
      yield;
    }
    after.set(name, entry as Before<object, unknown>);
    facts[name] = (entry as Before<object, unknown>).made;
  }
  return after;
}
