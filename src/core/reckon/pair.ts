import { ASSUMED } from '../models/unknown-figures';
import { LEGS, type Leg } from '../models/models-table';
import type { End, Topology, Way } from '../network/topology';
import { channelsTaken, firstMismatch, type FormatMismatch, type FormatRange } from '../streams/capability';
import type { StreamFormat } from '../streams/format';
import type { DeviceProfile, KeyedFormat } from './profile';

/** Why nothing that the sender sends can be heard by the receiver, or how it would be. */
export type Pair = PairFits | PairRefused;

export interface MissingLeg {
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
  readonly crossing: readonly [string, string] | null;
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

export interface PairRefused {
  readonly fits: false;
  readonly reason: PairReason;
}

/** What two kinds of ends come to, before it is asked which cables join two devices of them. */
type PairOfKinds = PairRefused | KindsFit;

interface KindsFit extends Pick<
  PairFits,
  'fits' | 'format' | 'formatKey' | 'channelsMax' | 'legs' | 'missingLeg' | 'crossing'
> {
  readonly isRouted: boolean;
  readonly delivery: 'unicast' | 'multicast';
  /** To which both kinds belong. */
  readonly topology: Topology;
}

type Ends = DeviceProfile['ends'];

/** Two devices that are joined on these legs. A plan has tens of thousands: what its kinds come to stands there once. */
class JoinedPair implements PairFits {
  readonly fits = true;

  constructor(
    private readonly kinds: KindsFit,
    readonly sender: DeviceProfile,
    readonly receiver: DeviceProfile,
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

  get crossing(): readonly [string, string] | null {
    return this.kinds.crossing;
  }

  get wayA(): Way | null {
    return wayOn('A', this.kinds, this.sender.ends, this.receiver.ends);
  }

  get wayB(): Way | null {
    return wayOn('B', this.kinds, this.sender.ends, this.receiver.ends);
  }

  get mostLinks(): number {
    const { legs, topology, delivery } = this.kinds;
    let most = 0;
    for (let n = 0; n < legs.length; n += 1) {
      const from = this.sender.ends[legs[n] as Leg];
      const to = this.receiver.ends[legs[n] as Leg];
      if (from !== null && to !== null) most = Math.max(most, topology.linksBetween(from, to, delivery));
    }
    return most;
  }

  transitNs(wireBytes: number): number {
    const { legs, topology, delivery } = this.kinds;
    let slowest = 0;
    for (let n = 0; n < legs.length; n += 1) {
      const from = this.sender.ends[legs[n] as Leg];
      const to = this.receiver.ends[legs[n] as Leg];
      if (from !== null && to !== null)
        slowest = Math.max(slowest, topology.transitBetween(from, to, delivery, wireBytes));
    }
    return slowest;
  }

  get isWayKnown(): boolean {
    const { legs } = this.kinds;
    for (let n = 0; n < legs.length; n += 1) {
      const leg = legs[n] as Leg;
      if (this.sender.ends[leg] === null || this.receiver.ends[leg] === null) return false;
    }
    return true;
  }
}

function wayOn(leg: Leg, { legs, topology, delivery }: KindsFit, sender: Ends, receiver: Ends): Way | null {
  const from = sender[leg];
  const to = receiver[leg];
  return from === null || to === null || !legs.includes(leg) ? null : topology.wayBetween(from, to, delivery);
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
  const crossing = isRouted ? crossingOn(sender, receiver, legs[0] as Leg) : null;
  const { format, formatKey, channelsMax } = common;
  const delivery = sender.device.sendsUnicast ? 'unicast' : 'multicast';
  const { topology } = sender;
  return { fits: true, format, formatKey, channelsMax, legs, missingLeg, crossing, isRouted, delivery, topology };
}

/** How a receiver hears a sender. */
export function pairOf(sender: DeviceProfile, receiver: DeviceProfile): Pair {
  const known = pairOfKinds(sender, receiver);
  if (!known.fits) return known;
  const { legs } = known;
  for (let n = 0; n < legs.length; n += 1) {
    const leg = legs[n] as Leg;
    if (areApart(known, sender.ends[leg], receiver.ends[leg])) return pairApart(known, sender, receiver);
  }
  return new JoinedPair(known, sender, receiver);
}

/** Whether both are plugged in, and no cables lead from one to the other. */
const areApart = ({ topology, delivery }: KindsFit, from: End | null, to: End | null): boolean =>
  from !== null && to !== null && topology.linksBetween(from, to, delivery) === 0;

/** How a receiver hears a sender where no cables join some leg of both. */
function pairApart(kinds: KindsFit, sender: DeviceProfile, receiver: DeviceProfile): Pair {
  const isApart = (leg: Leg) => areApart(kinds, sender.ends[leg], receiver.ends[leg]);
  const legs = kinds.legs.filter((leg) => !isApart(leg));
  const because: PairReason = { code: 'not-joined', leg: kinds.legs.find(isApart) as Leg };
  if (legs.length === 0) return { fits: false, reason: because };
  const missingLeg = kinds.missingLeg ?? { leg: because.leg, because };
  const crossing = kinds.isRouted ? crossingOn(sender, receiver, legs[0] as Leg) : kinds.crossing;
  return new JoinedPair({ ...kinds, legs, missingLeg, crossing }, sender, receiver);
}

function crossingOn(sender: DeviceProfile, receiver: DeviceProfile, leg: Leg): readonly [string, string] | null {
  const s = sender.legs[leg];
  const r = receiver.legs[leg];
  return s.ok && r.ok ? [s.at.subnetId, r.at.subnetId] : null;
}

interface CommonFormat {
  readonly format: StreamFormat;
  readonly formatKey: string;
  readonly channelsMax: number;
}

/** By what is sent and what is taken: the same few lists meet again and again. */
const commonFormats = new WeakMap<readonly KeyedFormat[], Map<readonly FormatRange[], CommonFormat | null>>();

/** The first format that the sender prefers and the receiver takes, with the channels that both and its packets can carry. */
function commonFormat(sender: DeviceProfile, receiver: DeviceProfile): CommonFormat | null {
  let byRanges = commonFormats.get(sender.sendFormats);
  if (byRanges === undefined) commonFormats.set(sender.sendFormats, (byRanges = new Map()));
  let common = byRanges.get(receiver.receiveRanges);
  if (common === undefined) {
    common = null;
    for (const { format, key } of sender.sendFormats) {
      const taken = channelsTaken(receiver.receiveRanges, format);
      if (taken === 0) continue;
      common = { format, formatKey: key, channelsMax: Math.min(taken, channelsTaken(sender.sendRanges, format)) };
      break;
    }
    byRanges.set(receiver.receiveRanges, common);
  }
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
