import { onceFor, onceWith } from '../plan/once-for';
import { ASSUMED } from '../models/unknown-figures';
import { LEGS, type Leg } from '../models/models-table';
import { linksOver, type Path } from '../network/paths';
import type { End, Topology, Way } from '../network/topology';
import { channelsTaken, firstMismatch, type FormatMismatch, type FormatRange } from '../streams/capability';
import type { StreamFormat } from '../streams/format';
import type { DeviceProfile, KeyedFormat } from './profile';

/** Why nothing that the sender sends can be received by the receiver, or how it would be. */
export type Pair = PairFits | PairRefused;

interface MissingLeg {
  readonly leg: Leg;
  readonly because: PairReason;
}

export interface PairFits {
  readonly fits: true;
  readonly sender: DeviceProfile;
  readonly receiver: DeviceProfile;
  readonly format: StreamFormat;
  readonly formatKey: string;
  readonly channelsMax: number;
  readonly legs: readonly Leg[];
  /** Set when both devices have this leg and yet it does not meet. */
  readonly missingLeg: MissingLeg | null;
  /** Subnets on leg A (or B where there is no A) when a router lies between; null within a subnet. */
  readonly betweenSubnets: readonly [string, string] | null;
  /** Null where the leg is not used, or where the drawing has no cables for it. Made when asked for. */
  readonly wayA: Way | null;
  readonly wayB: Way | null;
  /** The drawing has cables for each of its legs. */
  readonly isWayKnown: boolean;
  /** On the longer of the two ways; 0 where none is known. */
  readonly mostLinks: number;
  /** The worst-case time of a packet of so many octets on the slower leg; 0 where no way is known. */
  transitNs(wireBytes: number): number;
}

export type PairReason =
  | { readonly code: 'rate-differs'; readonly senderRateHz: number; readonly receiverRateHz: number }
  | { readonly code: 'no-common-format'; readonly missing: FormatMismatch }
  | { readonly code: 'ttl-too-short'; readonly routers: number; readonly ttl: number }
  /** Both are plugged in, and yet no cables, or no VLAN that is let through, lead from one to the other. */
  | { readonly code: 'not-joined'; readonly leg: Leg }
  | { readonly code: 'no-address'; readonly end: 'sender' | 'receiver' }
  | { readonly code: 'outside-subnet'; readonly end: 'sender' | 'receiver' }
  | {
      readonly code: 'not-reachable';
      readonly senderSubnetId: string;
      readonly receiverSubnetId: string;
      readonly unicastOnly: boolean;
    };

interface PairRefused {
  readonly fits: false;
  readonly reason: PairReason;
}

/** What two kinds of ends come to, before it is asked which cables join two devices of them. */
type PairOfKinds = PairRefused | KindsFit;

interface KindsFit extends Pick<
  PairFits,
  'fits' | 'format' | 'formatKey' | 'channelsMax' | 'legs' | 'missingLeg' | 'betweenSubnets'
> {
  readonly isRouted: boolean;
  readonly delivery: 'unicast' | 'multicast';
  /** To which both kinds belong. */
  readonly topology: Topology;
}

/** Two devices that are joined on these legs. A plan has tens of thousands: what its kinds come to stands there once. */
class JoinedPair implements PairFits {
  readonly fits = true;

  /** @param joinA and @param joinB null where the leg is not used, or where the drawing has no cables for it */
  constructor(
    private readonly kinds: KindsFit,
    readonly sender: DeviceProfile,
    readonly receiver: DeviceProfile,
    private readonly joinA: Path | null,
    private readonly joinB: Path | null,
  ) {}

  get format(): StreamFormat {
    return this.kinds.format;
  }

  get formatKey(): string {
    return this.kinds.formatKey;
  }

  get channelsMax(): number {
    return this.kinds.channelsMax;
  }

  get legs(): readonly Leg[] {
    return this.kinds.legs;
  }

  get missingLeg(): MissingLeg | null {
    return this.kinds.missingLeg;
  }

  get betweenSubnets(): readonly [string, string] | null {
    return this.kinds.betweenSubnets;
  }

  get wayA(): Way | null {
    return this.joinA && this.wayOn('A');
  }

  get wayB(): Way | null {
    return this.joinB && this.wayOn('B');
  }

  private wayOn(leg: Leg): Way | null {
    const { topology, delivery } = this.kinds;
    return topology.wayBetween(this.sender.ends[leg] as End, this.receiver.ends[leg] as End, delivery);
  }

  get mostLinks(): number {
    return Math.max(linksOver(this.joinA), linksOver(this.joinB));
  }

  transitNs(wireBytes: number): number {
    const { joinA, joinB } = this;
    const a = joinA === null ? 0 : this.transitOn('A', joinA, wireBytes);
    return joinB === null ? a : Math.max(a, this.transitOn('B', joinB, wireBytes));
  }

  private transitOn(leg: Leg, join: Path, wireBytes: number): number {
    const { sender, receiver, kinds } = this;
    return kinds.topology.transitOver(join, sender.ends[leg] as End, receiver.ends[leg] as End, wireBytes);
  }

  get isWayKnown(): boolean {
    const { legs } = this.kinds;
    return legs.length === Number(this.joinA !== null) + Number(this.joinB !== null);
  }
}

function pairOfKinds(sender: DeviceProfile, receiver: DeviceProfile): PairOfKinds {
  const toward = sender.kind.toward as (PairOfKinds | null)[];
  const { number } = receiver.kind;
  while (toward.length <= number) toward.push(null);
  return (toward[number] ??= withoutCables(sender, receiver));
}

/** Reads nothing of the two but what makes their kinds. */
function withoutCables(sender: DeviceProfile, receiver: DeviceProfile): PairOfKinds {
  const senderRateHz = sender.device.rateHz;
  const receiverRateHz = receiver.device.rateHz;
  // Sample-rate converters on the network inputs take another rate, if the model has streams at it.
  if (senderRateHz !== receiverRateHz && receiver.model.clock?.src !== 'inputs') {
    return { fits: false, reason: { code: 'rate-differs', senderRateHz, receiverRateHz } };
  }
  const reached = legsBetween(sender, receiver);
  if ('code' in reached) return { fits: false, reason: reached };
  const { legs, missingLeg, routed: isRouted } = reached;
  // A packet with a time to live of one stays in its subnet: each router takes one and lets nothing with zero pass.
  const routers = isRouted ? mostRouters(sender, receiver, legs) : 0;
  // What is sent to one receiver goes out with the usual time to live of the system, which no house uses up.
  if (!sender.device.sendsUnicast && routers >= sender.multicastTtl) {
    return { fits: false, reason: { code: 'ttl-too-short', routers, ttl: sender.multicastTtl } };
  }
  const common = commonFormat(sender, receiver);
  if (common === null) {
    const missing = firstMismatch(sender.sendRanges, receiver.receiveRanges, senderRateHz);
    return { fits: false, reason: { code: 'no-common-format', missing } };
  }
  const betweenSubnets = isRouted ? subnetsOn(sender, receiver, legs[0] as Leg) : null;
  const { format, formatKey, channelsMax } = common;
  const delivery = sender.device.sendsUnicast ? 'unicast' : 'multicast';
  const { topology } = sender;
  return { fits: true, format, formatKey, channelsMax, legs, missingLeg, betweenSubnets, isRouted, delivery, topology };
}

/** How a receiver receives a sender. */
export function pairOf(sender: DeviceProfile, receiver: DeviceProfile): Pair {
  const known = pairOfKinds(sender, receiver);
  if (!known.fits) return known;
  const joinA = joinOn('A', known, sender, receiver);
  const joinB = joinOn('B', known, sender, receiver);
  if (joinA !== 'apart' && joinB !== 'apart') return new JoinedPair(known, sender, receiver, joinA, joinB);

  const legs = known.legs.filter((leg) => (leg === 'A' ? joinA : joinB) !== 'apart');
  const because: PairReason = { code: 'not-joined', leg: joinA === 'apart' ? 'A' : 'B' };
  if (legs.length === 0) return { fits: false, reason: because };
  const missingLeg = known.missingLeg ?? { leg: because.leg, because };
  const betweenSubnets = known.isRouted ? subnetsOn(sender, receiver, legs[0] as Leg) : known.betweenSubnets;
  const whereJoined = (join: Path | null | 'apart') => (join === 'apart' ? null : join);
  const kinds = { ...known, legs, missingLeg, betweenSubnets };
  return new JoinedPair(kinds, sender, receiver, whereJoined(joinA), whereJoined(joinB));
}

/**
 * What joins two devices on a leg. Null: the leg is not used, or the drawing has no cable at one of them. `apart`: both are plugged in, and yet no
 * cables lead from one to the other.
 */
function joinOn(
  leg: Leg,
  { legs, topology, delivery }: KindsFit,
  sender: DeviceProfile,
  receiver: DeviceProfile,
): Path | null | 'apart' {
  const from = sender.ends[leg];
  const to = receiver.ends[leg];
  if (from === null || to === null || !legs.includes(leg)) return null;
  return topology.joinBetween(from, to, delivery) ?? 'apart';
}

function subnetsOn(sender: DeviceProfile, receiver: DeviceProfile, leg: Leg): readonly [string, string] | null {
  const s = sender.legs[leg];
  const r = receiver.legs[leg];
  return s.ok && r.ok ? [s.at.subnetId, r.at.subnetId] : null;
}

interface CommonFormat {
  readonly format: StreamFormat;
  readonly formatKey: string;
  readonly channelsMax: number;
}

/** By what is sent and what is taken: the first format that the one prefers and the other takes, with the channels that both can carry. */
const firstShared = onceFor((sendFormats: readonly KeyedFormat[]) =>
  onceWith((receiveRanges: readonly FormatRange[], sendRanges: readonly FormatRange[]): CommonFormat | null => {
    for (const { format, key } of sendFormats) {
      const taken = channelsTaken(receiveRanges, format);
      if (taken > 0) return { format, formatKey: key, channelsMax: Math.min(taken, channelsTaken(sendRanges, format)) };
    }
    return null;
  }),
);

/** The first format that the sender prefers and the receiver takes, with the channels that both and its packets can carry. */
function commonFormat(sender: DeviceProfile, receiver: DeviceProfile): CommonFormat | null {
  const common = firstShared(sender.sendFormats)(receiver.receiveRanges, sender.sendRanges);
  if (common === null) return null;
  let channelsMax = Math.min(
    common.channelsMax,
    sender.model.channelsPerStreamMax ?? ASSUMED.channelsPerStreamMax,
    receiver.model.channelsPerStreamMax ?? ASSUMED.channelsPerStreamMax,
  );
  if (common.format.encoding === 'AM824') channelsMax -= channelsMax % 2;
  return channelsMax < 1 ? null : { format: common.format, formatKey: common.formatKey, channelsMax };
}

function mostRouters(sender: DeviceProfile, receiver: DeviceProfile, legs: readonly Leg[]): number {
  const { routes } = sender.topology;
  const kind = sender.device.sendsUnicast ? 'unicast' : 'multicast';
  let most = 0;
  for (const leg of legs) {
    const s = sender.legs[leg];
    const r = receiver.legs[leg];
    if (!s.ok || !r.ok) continue;
    most = Math.max(most, routes.between(kind, s.at.subnetId, r.at.subnetId)?.length ?? 0);
  }
  return most;
}

function legsBetween(
  sender: DeviceProfile,
  receiver: DeviceProfile,
): PairReason | { legs: readonly Leg[]; missingLeg: MissingLeg | null; routed: boolean } {
  const legs: Leg[] = [];
  let missingLeg: MissingLeg | null = null;
  let routed = false;
  let reason: PairReason | null = null;
  for (const leg of ['A', 'B'] as const) {
    const s = sender.legs[leg];
    const r = receiver.legs[leg];
    if (s.ok && r.ok) {
      const meet = sender.device.sendsUnicast ? s.at.routedDomain === r.at.routedDomain : s.at.domain === r.at.domain;
      if (meet) {
        legs.push(leg);
        routed ||= s.at.subnetId !== r.at.subnetId;
        continue;
      }
      const unicastOnly = s.at.routedDomain === r.at.routedDomain;
      const because: PairReason = {
        code: 'not-reachable',
        senderSubnetId: s.at.subnetId,
        receiverSubnetId: r.at.subnetId,
        unicastOnly,
      };
      reason ??= because;
      missingLeg = { leg, because };
    } else if (!(!s.ok && s.reason === 'no-leg') && !(!r.ok && r.reason === 'no-leg')) {
      const end = s.ok ? 'receiver' : 'sender';
      const state = s.ok ? r : s;
      const because: PairReason = {
        code: !state.ok && state.reason === 'outside-subnet' ? 'outside-subnet' : 'no-address',
        end,
      };
      reason ??= because;
      // A leg that neither end is plugged into is no leg of this plan; one that only one end has is missed.
      if (s.ok || r.ok) missingLeg = { leg, because };
    }
  }
  if (legs.length > 0) return { legs: legs.length === 2 ? LEGS : legs, missingLeg, routed };
  return reason ?? { code: 'no-address', end: sender.legs.A.ok || sender.legs.B.ok ? 'receiver' : 'sender' };
}
