import { LEGS, type Leg, type Model } from '../models/models-table';
import type { LegState, Reach } from '../network/reach';
import type { Attachment, End, Topology, Way } from '../network/topology';
import type { PlanOf } from '../plan/plan';
import type { Device } from '../plan/devices-table';
import type { PlanSettings } from '../plan/settings-table';
import { channelsTaken, firstMismatch, rangesOf, type FormatMismatch, type FormatRange } from '../streams/capability';
import { formatKey, type StreamFormat } from '../streams/format';

/** Everything about one device that a lane's verdict needs, worked out once for the device. */
export interface DeviceProfile {
  readonly device: Device;
  readonly model: Model;
  readonly sendRanges: readonly FormatRange[];
  readonly receiveRanges: readonly FormatRange[];
  /** Formats it can send at its rate, the preferred one first. */
  readonly sendFormats: readonly StreamFormat[];
  readonly legs: Readonly<Record<Leg, LegState>>;
  readonly sockets: Readonly<Record<Leg, Attachment | null>>;
}

/** What follows from a model alone, and from a rate and preference, shared by all devices of the model. */
interface ModelFormats {
  readonly sendRanges: readonly FormatRange[];
  readonly receiveRanges: readonly FormatRange[];
  readonly sendFormatsByPreference: Map<string, readonly StreamFormat[]>;
}
const formatsOfModel = new WeakMap<Model, ModelFormats>();

export function profileOf(
  plan: PlanOf<'settings'>,
  reach: Reach,
  topology: Topology,
  device: Device,
  model: Model,
): DeviceProfile {
  let known = formatsOfModel.get(model);
  if (known === undefined) {
    known = {
      sendRanges: rangesOf(model.sends),
      receiveRanges: rangesOf(model.receives),
      sendFormatsByPreference: new Map(),
    };
    formatsOfModel.set(model, known);
  }
  const encoding = device.sendsEncoding ?? plan.settings.preferredEncoding;
  const packetTimeUs = device.sendsPacketTimeUs ?? plan.settings.preferredPacketTimeUs;
  const preference: StreamFormat = { encoding, rateHz: device.rateHz, packetTimeUs };
  const key = formatKey(preference);
  let sendFormats = known.sendFormatsByPreference.get(key);
  if (sendFormats === undefined) {
    sendFormats = formatsInPreference(preference, known.sendRanges);
    known.sendFormatsByPreference.set(key, sendFormats);
  }
  return {
    device,
    model,
    sendRanges: known.sendRanges,
    receiveRanges: known.receiveRanges,
    sendFormats,
    legs: { A: reach.legOf(device.id, model, 'A'), B: reach.legOf(device.id, model, 'B') },
    sockets: { A: socketOf(topology, device, model, 'A'), B: socketOf(topology, device, model, 'B') },
  };
}

function socketOf(topology: Topology, device: Device, model: Model, leg: Leg): Attachment | null {
  const port = model.ports.find((p) => p.role === leg);
  return port === undefined ? null : topology.attachmentOf(device.id, port.name);
}

/** Every format of the ranges at the preferred rate: first the preferred one, then its packet time, then the others. */
function formatsInPreference(preference: StreamFormat, ranges: readonly FormatRange[]): StreamFormat[] {
  const { rateHz } = preference;
  const formats = new Map<string, StreamFormat>();
  for (const r of ranges) {
    if (!r.ratesHz.includes(rateHz)) continue;
    for (const encoding of r.encodings) {
      for (const packetTimeUs of r.packetTimesUs) {
        const format = { encoding, rateHz, packetTimeUs };
        formats.set(formatKey(format), format);
      }
    }
  }
  const strangeness = (f: StreamFormat) =>
    (f.encoding === preference.encoding ? 0 : 1) + (f.packetTimeUs === preference.packetTimeUs ? 0 : 2);
  return [...formats.values()].sort((a, b) => strangeness(a) - strangeness(b));
}

/** Why nothing that the sender sends can be heard by the receiver, or how it would be. */
export type Pair = PairFits | PairRefused;

export interface MissingLeg {
  readonly leg: Leg;
  readonly because: PairReason;
}

export interface PairFits {
  readonly fits: true;
  readonly format: StreamFormat;
  readonly formatKey: string;
  readonly channelsMax: number;
  readonly legs: readonly Leg[];
  /** Set when both devices have this leg and yet it does not meet. */
  readonly missingLeg: MissingLeg | null;
  readonly routed: boolean;
  /** Null where the leg is not used, or where the drawing has no cables for it. */
  readonly wayA: Way | null;
  readonly wayB: Way | null;
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

export function pairOf(
  sender: DeviceProfile,
  receiver: DeviceProfile,
  topology: Topology,
  settings: Pick<PlanSettings, 'multicastTtl'>,
): Pair {
  const senderRateHz = sender.device.rateHz;
  const receiverRateHz = receiver.device.rateHz;
  // Sample-rate converters on the network inputs take another rate, if the model has streams at it.
  if (senderRateHz !== receiverRateHz && receiver.model.clock?.src !== 'inputs') {
    return { fits: false, reason: { code: 'rate-differs', senderRateHz, receiverRateHz } };
  }
  const reached = legsBetween(sender, receiver);
  if ('code' in reached) return { fits: false, reason: reached };
  const kind = sender.device.sendsUnicast ? 'unicast' : 'multicast';
  // A packet with a time to live of one stays in its subnet: each router takes one and lets nothing with zero pass.
  const routers = reached.routed ? mostRouters(topology, kind, sender, receiver, reached.legs) : 0;
  if (routers >= settings.multicastTtl) {
    return { fits: false, reason: { code: 'ttl-too-short', routers, ttl: settings.multicastTtl } };
  }

  let format: StreamFormat | null = null;
  let channelsMax = 0;
  for (const candidate of sender.sendFormats) {
    const taken = channelsTaken(receiver.receiveRanges, candidate);
    if (taken === 0) continue;
    const sent = channelsTaken(sender.sendRanges, candidate);
    format = candidate;
    channelsMax = Math.min(taken, sent, sender.model.channelsPerStreamMax, receiver.model.channelsPerStreamMax);
    if (candidate.encoding === 'AM824') channelsMax -= channelsMax % 2;
    break;
  }
  if (format === null || channelsMax < 1) {
    const missing = firstMismatch(sender.sendRanges, receiver.receiveRanges, sender.device.rateHz);
    return { fits: false, reason: { code: 'no-common-format', missing } };
  }
  const way = (leg: Leg): Way | null => {
    const from = endOf(sender, leg);
    const to = endOf(receiver, leg);
    return from === null || to === null || !reached.legs.includes(leg) ? null : topology.wayBetween(from, to, kind);
  };
  const ways = { A: way('A'), B: way('B') };
  const isApart = (leg: Leg) => ways[leg] === null && endOf(sender, leg) !== null && endOf(receiver, leg) !== null;
  const apart = reached.legs.find(isApart);
  const legs = apart === undefined ? reached.legs : reached.legs.filter((leg) => !isApart(leg));
  if (apart !== undefined && legs.length === 0) return { fits: false, reason: { code: 'not-joined', leg: apart } };
  return {
    fits: true,
    format,
    formatKey: formatKey(format),
    channelsMax,
    legs,
    missingLeg:
      reached.missingLeg ?? (apart === undefined ? null : { leg: apart, because: { code: 'not-joined', leg: apart } }),
    routed: reached.routed,
    wayA: ways.A,
    wayB: ways.B,
  };
}

/** Where a leg of a device is plugged in and in which subnet; null where it has no usable address or no cable. */
export function endOf(profile: DeviceProfile, leg: Leg): End | null {
  const state = profile.legs[leg];
  const at = profile.sockets[leg];
  return state.ok && at !== null ? { at, subnetId: state.at.subnetId } : null;
}

function mostRouters(
  topology: Topology,
  kind: 'unicast' | 'multicast',
  sender: DeviceProfile,
  receiver: DeviceProfile,
  legs: readonly Leg[],
): number {
  let most = 0;
  for (const leg of legs) {
    const s = sender.legs[leg];
    const r = receiver.legs[leg];
    if (!s.ok || !r.ok) continue;
    most = Math.max(most, topology.routes.between(kind, s.at.subnetId, r.at.subnetId)?.length ?? 0);
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
