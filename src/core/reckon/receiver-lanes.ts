import { linkOffset, offsetInForce, type LinkOffset } from '../delay/link-offset';
import type { Way } from '../network/topology';
import type { Subscription } from '../plan/subscriptions-table';
import { unmappable } from '../streams/map-limits';
import { placementFor, type Packing, type Stream } from '../streams/pack';
import { wireBytesOf } from '../streams/wire';
import type { DeviceProfile, Pair, PairFits } from './profile';
import type { DeviceBudget, Hearing, Lane, LaneCaution, LaneReason } from './reckoning';

/** The lanes of one receiver and the budget of one device, once everyone's streams are packed. */

export type PairFor = (sender: DeviceProfile, receiver: DeviceProfile) => Pair;

export const NO_PACKING: Packing = { streams: [], placementByFormat: new Map(), others: [] };

/** A hearing while its place among the receiver's streams is still open. */
interface OpenHearing extends Hearing {
  readonly sender: DeviceProfile;
  receiverSlot: number;
}

export function lanesOf(
  receiver: DeviceProfile,
  runs: ReadonlyMap<string, readonly Subscription[]> | undefined,
  profiles: ReadonlyMap<string, DeviceProfile>,
  packings: ReadonlyMap<string, Packing>,
  pairFor: PairFor,
): Map<number, Lane> {
  const lanes = new Map<number, Lane>();
  if (runs === undefined) return lanes;
  const receiverId = receiver.device.id;
  const hearings = new Map<Stream, OpenHearing>();
  for (const senderId of [...runs.keys()].sort()) {
    const sender = profiles.get(senderId);
    const pair = sender && pairFor(sender, receiver);
    const packing = packings.get(senderId) ?? NO_PACKING;
    for (const subscription of runs.get(senderId) as readonly Subscription[]) {
      const missing = sender === undefined ? MISSING_SENDER : channelReason(sender, receiver, subscription);
      if (missing !== null || sender === undefined || pair === undefined || !pair.fits) {
        const reason = missing ?? (pair && !pair.fits ? pair.reason : MISSING_SENDER);
        lanes.set(subscription.receiverChannel, { verdict: 'refused', subscription, reason, hearing: null });
        continue;
      }
      const placement = placementFor(packing, pair.formatKey, subscription.senderChannel, receiverId);
      if (placement === null)
        throw new Error(`no place for ${senderId} ${subscription.senderChannel} at ${receiverId}`);
      const { stream, position } = placement;
      let hearing = hearings.get(stream);
      if (hearing === undefined) {
        const offset = offsetFor(receiver, stream, pair);
        hearing = {
          stream,
          sender,
          receiverSlot: 0,
          legs: pair.legs,
          offset,
          caution: cautionOf(sender, receiver, pair, stream),
        };
        hearings.set(stream, hearing);
      }
      const verdict = hearing.caution === null || hearing.caution === PATH_UNKNOWN ? 'fits' : 'caution';
      lanes.set(subscription.receiverChannel, { verdict, subscription, hearing, position });
    }
  }
  assignSlots(receiverId, [...hearings.values()]);
  refuseUnmappable(receiver, lanes);
  refuseBeyondBudgets(receiver, lanes, [...hearings.values()], packings);
  return lanes;
}

/** Refuses what the receiver's channel map cannot do, once it is known where everything stands. */
function refuseUnmappable(receiver: DeviceProfile, lanes: Map<number, Lane>): void {
  const limits = receiver.model.receiveMap;
  if (limits === null) return;
  const mapped = [...lanes].flatMap(([channel, lane]) =>
    lane.verdict === 'refused'
      ? []
      : [{ channel, stream: lane.hearing.stream, position: lane.position, width: lane.hearing.stream.channels.length }],
  );
  for (const [channel, broken] of unmappable(limits, mapped)) {
    const { subscription, hearing } = lanes.get(channel) as Lane;
    const reason: LaneReason =
      broken === 'block' ? { code: 'map-block', blockSize: limits.blockSize } : { code: 'map-order' };
    lanes.set(channel, { verdict: 'refused', subscription, reason, hearing });
  }
}

/** Refuses the lanes of streams that have no place at either end or come too late, then those beyond a shared pool. */
function refuseBeyondBudgets(
  receiver: DeviceProfile,
  lanes: Map<number, Lane>,
  hearings: readonly OpenHearing[],
  packings: ReadonlyMap<string, Packing>,
): void {
  const { streamsReceive, channelPool: pool } = receiver.model;
  for (const hearing of hearings) {
    const { stream, sender, receiverSlot, offset } = hearing;
    let reason: LaneReason | null = null;
    if (stream.slot > sender.model.streamsSend) {
      const wanted = (packings.get(stream.senderDeviceId) as Packing).streams.length;
      reason = { code: 'stream-budget', end: 'sender', wanted, limit: sender.model.streamsSend };
    } else if (receiverSlot > streamsReceive) {
      reason = { code: 'stream-budget', end: 'receiver', wanted: hearings.length, limit: streamsReceive };
    } else if (offset.marginNs < 0) {
      reason = { code: 'link-offset', neededNs: offset.neededNs, offsetNs: offset.offsetNs };
    }
    if (reason === null) continue;
    for (const [channel, lane] of lanes) {
      if (lane.hearing !== hearing) continue;
      lanes.set(channel, { verdict: 'refused', subscription: lane.subscription, reason, hearing });
    }
  }
  if (pool === null) return;
  const sent = channelsSent(packings.get(receiver.device.id) ?? NO_PACKING);
  const carried = [...lanes.values()].filter((l) => l.verdict !== 'refused');
  const wanted = sent + carried.length;
  if (wanted <= pool) return;
  carried.sort((a, b) => a.subscription.receiverChannel - b.subscription.receiverChannel);
  for (const { subscription, hearing } of carried.slice(Math.max(0, pool - sent))) {
    const reason: LaneReason = { code: 'channel-pool', end: 'receiver', wanted, limit: pool };
    lanes.set(subscription.receiverChannel, { verdict: 'refused', subscription, reason, hearing });
  }
}

const MISSING_SENDER: LaneReason = { code: 'no-address', end: 'sender' };

function channelReason(sender: DeviceProfile, receiver: DeviceProfile, s: Subscription): LaneReason | null {
  if (s.senderChannel > sender.model.channelsSend) {
    return { code: 'channel-missing', end: 'sender', channel: s.senderChannel, count: sender.model.channelsSend };
  }
  if (s.receiverChannel > receiver.model.channelsReceive) {
    return {
      code: 'channel-missing',
      end: 'receiver',
      channel: s.receiverChannel,
      count: receiver.model.channelsReceive,
    };
  }
  return null;
}

const PATH_UNKNOWN: LaneCaution = { code: 'path-unknown' };
const FOREIGN_RECEIVER: LaneCaution = { code: 'foreign-patch', end: 'receiver' };
const FOREIGN_SENDER: LaneCaution = { code: 'foreign-patch', end: 'sender' };

function cautionOf(sender: DeviceProfile, receiver: DeviceProfile, pair: PairFits, stream: Stream): LaneCaution | null {
  if (receiver.device.isPatchForeign) return FOREIGN_RECEIVER;
  // A stream that is held is heard as it is: nothing has to be written at its sender.
  if (sender.device.isPatchForeign && !stream.isHeld) return FOREIGN_SENDER;
  if (pair.missingLeg !== null) {
    const { leg, because } = pair.missingLeg;
    return { code: 'one-leg', missing: leg, because };
  }
  const isKnown = (leg: 'A' | 'B', way: Way | null) => way !== null || !pair.legs.includes(leg);
  return isKnown('A', pair.wayA) && isKnown('B', pair.wayB) ? null : PATH_UNKNOWN;
}

/** Which of the receiver's streams hears which: streams that were sent keep their slot, the others fill the gaps in order. */
function assignSlots(receiverId: string, heard: readonly OpenHearing[]): void {
  const taken = new Set<number>();
  for (const h of heard) {
    const slot = h.stream.sent?.receivers.find((r) => r.deviceId === receiverId)?.slot ?? 0;
    if (slot === 0 || taken.has(slot)) continue;
    h.receiverSlot = slot;
    taken.add(slot);
  }
  let next = 1;
  for (const h of heard) {
    if (h.receiverSlot !== 0) continue;
    while (taken.has(next)) next += 1;
    h.receiverSlot = next;
    taken.add(next);
  }
}

function offsetFor(receiver: DeviceProfile, stream: Stream, pair: PairFits): LinkOffset {
  const offsetNs = offsetInForce(stream.format, receiver.model.linkOffsetMinNs, receiver.device.linkOffsetNs);
  return linkOffset(stream.format, offsetNs, wireBytesOf(stream.width, stream.format), [pair.wayA, pair.wayB]);
}

function channelsSent(packing: Packing): number {
  const [only, ...more] = packing.placementByFormat.values();
  if (only === undefined) return 0;
  return more.length === 0 ? only.size : new Set(packing.streams.flatMap((s) => s.channels)).size;
}

export function budgetOf(
  profile: DeviceProfile,
  lanes: ReadonlyMap<number, Lane> | undefined,
  packing: Packing,
): DeviceBudget {
  const { model } = profile;
  const streamIds = new Set<string>();
  for (const lane of lanes?.values() ?? []) if (lane.hearing !== null) streamIds.add(lane.hearing.stream.id);
  const sent = channelsSent(packing);
  const received = lanes?.size ?? 0;
  return {
    channelsReceive: { used: received, limit: model.channelsReceive },
    channelsSend: { used: sent, limit: model.channelsSend },
    channelPool: model.channelPool === null ? null : { used: received + sent, limit: model.channelPool },
    streamsReceive: { used: streamIds.size, limit: model.streamsReceive },
    streamsSend: { used: packing.streams.length, limit: model.streamsSend },
  };
}
