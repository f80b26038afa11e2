import type { LegState } from '../network/reach';
import type { Topology } from '../network/topology';

/**
 * Everything by which one device receives another but the cables between them. A plan has a few hundred kinds of ends and tens of thousands of
 * pairs, so that what two kinds come to is worked out once.
 */
export interface EndKind {
  /** Counted within its topology. */
  readonly number: number;
  /** By the number of the receiver's kind, what its sender and it come to. */
  readonly toward: unknown[];
}

/**
 * What makes a kind: of an address only its subnet counts, or why there is none. The format that it prefers to send has its rate in it; the
 * time to live stands in the settings, to which the topology belongs.
 */
type EndFacts = readonly [
  modelId: string,
  preferredFormat: string,
  sendsUnicast: boolean,
  legA: LegState,
  legB: LegState,
];

/** Kinds fact by fact, as looking up is quicker than writing all facts down as one. */
interface Branch {
  readonly next: Map<string | boolean, Branch>;
  kind: EndKind | null;
}
const branch = (): Branch => ({ next: new Map(), kind: null });

/** By topology, to which routes, subnets, models and settings belong. */
const kinds = new WeakMap<Topology, { readonly first: Branch; count: number }>();

export function endKindOf(topology: Topology, [modelId, format, sendsUnicast, legA, legB]: EndFacts): EndKind {
  let known = kinds.get(topology);
  if (known === undefined) kinds.set(topology, (known = { first: branch(), count: 0 }));
  let at = following(known.first, modelId);
  at = following(at, format);
  at = following(at, sendsUnicast);
  at = following(at, factOf(legA));
  at = following(at, factOf(legB));
  if (at.kind === null) {
    at.kind = { number: known.count, toward: [] };
    known.count += 1;
  }
  return at.kind;
}

function following({ next }: Branch, fact: string | boolean): Branch {
  let at = next.get(fact);
  if (at === undefined) next.set(fact, (at = branch()));
  return at;
}

/** No id of a subnet begins so. */
const WHY_NOT = { 'no-leg': '~no-leg', 'no-address': '~no-address', 'outside-subnet': '~outside-subnet' } as const;
const factOf = (leg: LegState): string => (leg.ok ? leg.at.subnetId : WHY_NOT[leg.reason]);
