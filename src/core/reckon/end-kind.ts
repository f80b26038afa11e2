import type { LegState } from '../network/reach';
import type { Topology } from '../network/topology';

/**
 * Everything by which one device hears another but the cables between them. A plan has a few hundred kinds of ends and tens of thousands of
 * pairs, so that what two kinds come to is worked out once.
 */
export interface EndKind {
  /** By the kind of the receiver, what its sender and it come to. */
  readonly toward: Map<EndKind, unknown>;
}

/** By topology, to which routes, subnets and models belong, then by what makes the kind. */
const kinds = new WeakMap<Topology, Map<string, EndKind>>();

/** What makes a kind; of an address only its subnet counts, or why there is none. */
export type EndFacts = readonly [
  modelId: string,
  rateHz: number,
  sendsUnicast: boolean,
  preferredFormat: string,
  multicastTtl: number,
  legA: LegState,
  legB: LegState,
];

export function endKindOf(topology: Topology, facts: EndFacts): EndKind {
  let known = kinds.get(topology);
  if (known === undefined) kinds.set(topology, (known = new Map()));
  const [modelId, rateHz, sendsUnicast, preferredFormat, multicastTtl, legA, legB] = facts;
  // No id has a space in it.
  const key = `${modelId} ${rateHz} ${sendsUnicast} ${preferredFormat} ${multicastTtl} ${textOf(legA)} ${textOf(legB)}`;
  let kind = known.get(key);
  if (kind === undefined) known.set(key, (kind = { toward: new Map() }));
  return kind;
}

const textOf = (leg: LegState): string => (leg.ok ? `at ${leg.at.subnetId}` : leg.reason);
