import type { Plan } from '../plan/plan';
import type { Facts, FactName } from '../reckon/facts';
import type { Before } from '../reckon/step';
import type { About, FindingAbout } from './finding';
import type { Fix } from './fix';
import type { LanesOfStream } from './network-fix';

/**
 * A rule is declared once: which kinds of findings it finds, what it reads (tables, results, or what devices report), and how it finds
 * them. It finds no other kinds; the incremental reckoning follows from what it reads.
 */
export interface Rule<F, A extends About, R extends keyof F> {
  readonly finds: readonly A[];
  readonly reads: readonly R[];
  readonly find: (
    now: Pick<F, R>,
    before: Before<Pick<F, R>, readonly FindingAbout<NoInfer<A>>[]> | undefined,
  ) => readonly FindingAbout<NoInfer<A>>[];
}

/** A rule about a plan. */
export const rule = <const A extends About, const R extends FactName>(
  declaration: Rule<Facts, A, R>,
): typeof declaration => declaration;

/** The ways out of a finding, the gentlest first. */
export interface WayOut<A extends About> {
  readonly fixes: (plan: Plan, finding: FindingAbout<A>, lanesOf: LanesOfStream) => readonly Fix[];
  /** Whether one helps follows from the whole network: it is offered when, applied to a copy, it takes the finding away. */
  readonly areTried: boolean;
}
export type WaysOut<A extends About> = { readonly [K in A]: WayOut<K> };

export const tried = <A extends About>(fixes: WayOut<A>['fixes']): WayOut<A> => ({ fixes, areTried: true });
export const untried = <A extends About>(fixes: WayOut<A>['fixes']): WayOut<A> => ({ fixes, areTried: false });
