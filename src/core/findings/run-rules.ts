import type { InSteps } from '../plan/in-steps';
import { work, type Done } from '../reckon/step';
import type { About, Finding } from './finding';

/** A rule, whatever it reads and finds. */
export interface AnyRule {
  readonly finds: readonly About[];
  readonly reads: readonly string[];
  readonly find: unknown;
}

/** What rules found, and what the next run starts from. */
export interface Found {
  readonly findings: readonly Finding[];
  readonly done: Done;
}

/**
 * Runs every one of the rules, in their order. Those that read nothing that is another object than in the run before find what they
 * found then.
 */
export function* runRules(
  rules: Readonly<Record<string, AnyRule>>,
  facts: object,
  before: Done | undefined,
): InSteps<Found> {
  const steps = Object.fromEntries(
    Object.entries(rules).map(([name, { reads, find }]) => [name, { reads, make: find }]),
  );
  const names = Object.keys(rules);
  const done = yield* work(names, steps, { ...facts } as Record<string, unknown>, before);
  return { findings: names.flatMap((name) => done.get(name)?.made as readonly Finding[]), done };
}
