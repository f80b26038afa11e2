import type { Plan } from '../plan/plan';
import type { Facts, FactName } from '../reckon/facts';
import type { Before } from '../reckon/step';
import type { About, Finding, FindingAbout } from './finding';
import type { Fix } from './fix';
import type { LanesOfStream } from './network-fix';

/**
 * A rule is declared once: what it finds, what it reads (tables, results, or what devices report), how it finds it, the ways out of
 * each finding, and whether these have to be tried. The incremental reckoning follows from what rules read.
 */

/** The ways out of a finding, the gentlest first. */
export interface WayOut<A extends About> {
  readonly fixes: (plan: Plan, finding: FindingAbout<A>, lanesOf: LanesOfStream) => readonly Fix[];
  /** Whether one helps follows from the whole network: it is offered when, applied to a copy, it takes the finding away. */
  readonly areTried: boolean;
}
export type WaysOut<A extends About> = { readonly [K in A]: WayOut<K> };

export interface Rule<F, A extends About, R extends keyof F> {
  readonly finds: WaysOut<A>;
  readonly reads: readonly R[];
  readonly find: (now: Pick<F, R>, before: Before<Pick<F, R>, readonly Finding[]> | undefined) => readonly Finding[];
}

/** A rule about a plan. */
export const rule = <A extends About, const R extends FactName>(declaration: Rule<Facts, A, R>): typeof declaration =>
  declaration;

/** Some of the ways out that stand together in one place. */
export function waysOf<A extends About, const K extends A>(all: WaysOut<A>, ...abouts: readonly K[]): WaysOut<K> {
  return Object.fromEntries(abouts.map((about) => [about, all[about]])) as unknown as WaysOut<K>;
}

export const tried = <A extends About>(fixes: WayOut<A>['fixes']): WayOut<A> => ({ fixes, areTried: true });
export const untried = <A extends About>(fixes: WayOut<A>['fixes']): WayOut<A> => ({ fixes, areTried: false });
