import type { LegState } from '../network/reach';
import type { Topology } from '../network/topology';
import { onceFor } from '../plan/once-for';

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

/** By topology, to which routes, subnets, models and settings belong: by all the facts of a kind. */
const kindsOf = onceFor((_: Topology) => new Map<string, EndKind>());

export function endKindOf(topology: Topology, [modelId, format, sendsUnicast, legA, legB]: EndFacts): EndKind {
  const kinds = kindsOf(topology);
  const facts = [modelId, format, sendsUnicast, factOf(legA), factOf(legB)].join('|');
  let kind = kinds.get(facts);
  if (kind === undefined) kinds.set(facts, (kind = { number: kinds.size, toward: [] }));
  return kind;
}

const factOf = (leg: LegState): string => (leg.ok ? `in ${leg.at.subnetId}` : leg.reason);
