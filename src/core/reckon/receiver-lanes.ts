import { ASSUMED, streamsMax } from '../models/unknown-figures';
import { linkOffset, offsetInForce, type LinkOffset } from '../delay/link-offset';
import type { Subscription } from '../plan/subscriptions-table';
import { unmappable, type MappedLane } from '../streams/map-limits';
import { otherPlace, PLACE_BITS, placesIn, POSITION_MASK, type Packing } from '../streams/packing';
import { NOTHING, type Stream } from '../streams/stream';
import { wireBytesOf } from '../streams/wire';
import type { Reception, LaneCaution, LaneReason } from './lane';
import { RECEPTION_SHIFT, LaneTable } from './lane-table';
import { heardAlong, orderedPlaces, orderReason } from './ordered-places';
import type { Pair, PairFits } from './pair';
import type { DeviceProfile } from './profile';
import type { DeviceBudget } from './reckoning';
import { lanesOfRun, placeInWish, type Wish } from './wishes';

/** The lanes of one receiver and the budget of one device, once everyone's streams are packed. */

export const NO_PACKING: Packing = { streams: [], formats: [], others: [] };

/** A reception while its place among the receiver's streams is still open. */
interface OpenReception extends Reception {
  readonly sender: DeviceProfile;
  receiverStreamNumber: number;
}

export function lanesOf(
  receiver: DeviceProfile,
  wish: Wish,
  pairs: readonly (Pair | null)[],
  profiles: ReadonlyMap<string, DeviceProfile>,
  packings: ReadonlyMap<string, Packing>,
): LaneTable {
  const { receiverChannels, senderChannels, runs } = wish;
  const count = receiverChannels.length;
  const { receiveOrder, channelsReceive } = receiver.model;
  const heard = new Array<number>(count).fill(0);
  const reasons = new Reasons(count);
  const receptions: OpenReception[] = [];
  for (const run of runs) {
    const { senderId } = run;
    const pair = pairs[run.index] ?? null;
    const sender = pair?.fits === true ? pair.sender : profiles.get(senderId);
    const refusal = refusalOf(sender, pair);
    const isAllThere =
      run.highestReceiverChannel <= channelsReceive &&
      sender !== undefined &&
      run.highestSenderChannel <= sender.model.channelsSend;
    if (refusal !== null || sender === undefined || pair?.fits !== true) {
      for (let k = 0; k < run.count; k += 1) {
        const n = placeInWish(run, k);
        const missing = sender && !isAllThere ? channelReason(sender, receiver, wish.lanes[n] as Subscription) : null;
        reasons.set(n, missing ?? refusal ?? MISSING_SENDER);
      }
      continue;
    }
    const packing = packings.get(senderId) ?? NO_PACKING;
    const firstOfSender = receptions.length;
    const places = placesIn(packing, pair.formatKey);
    const ordered =
      receiveOrder === null ? null : orderedPlaces(receiver, receiveOrder, wish, lanesOfRun(run), pair, packing);
    const hasOthers = packing.others.length > 0 || sender.model.sendOrder !== null;
    let lastStream = -1;
    let last = -1;
    for (let k = 0; k < run.count; k += 1) {
      const n = placeInWish(run, k);
      const missing = isAllThere ? null : channelReason(sender, receiver, wish.lanes[n] as Subscription);
      if (missing !== null) {
        reasons.set(n, missing);
        continue;
      }
      const senderChannel = senderChannels[n] as number;
      let code = places?.[senderChannel] ?? 0;
      if (ordered !== null) code = ordered.places.get(receiverChannels[n] as number) ?? 0;
      else if (hasOthers) code = otherPlace(packing, code, pair.formatKey, senderChannel, receiver.device.id);
      if (code === 0) {
        if (ordered === null && sender.model.sendOrder === null)
          throw new Error(`no place for ${senderId} ${senderChannel} at ${receiver.device.id}`);
        reasons.set(n, orderReason(sender, receiver, wish, wish.lanes[n] as Subscription));
        continue;
      }
      const index = (code >> PLACE_BITS) - 1;
      if (index !== lastStream) {
        const stream = packing.streams[index] as Stream;
        last = -1;
        for (let h = firstOfSender; h < receptions.length; h += 1)
          if ((receptions[h] as OpenReception).stream === stream) last = h;
        if (last === -1) {
          last = receptions.length;
          const number = ordered?.numbers.get(stream) ?? 0;
          const along = receiveOrder === null ? NOTHING_ALONG : heardAlong(receiveOrder, number, stream, wish);
          receptions.push({
            stream,
            sender,
            receiverStreamNumber: number,
            legs: pair.legs,
            pair,
            offset: offsetFor(receiver, stream, pair),
            caution: cautionOf(sender, receiver, pair, stream, along),
          });
        }
        lastStream = index;
      }
      heard[n] = ((last + 1) << RECEPTION_SHIFT) | (code & POSITION_MASK);
    }
  }
  if (receiveOrder === null) assignStreamNumbers(receiver.device.id, receptions);
  refuseUnmappable(receiver, wish, receptions, heard, reasons);
  refuseBeyondBudgets(receiver, receptions, heard, reasons, packings);
  // Just as long as it has to be: this one is kept.
  return new LaneTable(wish, receptions.slice(), heard, reasons.all);
}

const NOTHING_ALONG: ReturnType<typeof heardAlong> = [];

/** Why nothing of a sender can be received; null: what it sends can be. */
function refusalOf(sender: DeviceProfile | undefined, pair: Pair | null): LaneReason | null {
  if (sender === undefined || pair === null) return MISSING_SENDER;
  if (!pair.fits) return pair.reason;
  const { sendMap } = sender.model;
  return sendMap !== null && sendMap.blockSize > pair.channelsMax
    ? { code: 'send-block', blockSize: sendMap.blockSize, limit: pair.channelsMax }
    : null;
}

/** Why lanes are refused, by their place. Most receivers have none that is. */
class Reasons {
  all: (LaneReason | null)[] | null = null;

  constructor(private readonly count: number) {}

  has(n: number): boolean {
    return this.all !== null && this.all[n] !== null;
  }

  set(n: number, reason: LaneReason): void {
    this.all ??= new Array<LaneReason | null>(this.count).fill(null);
    this.all[n] = reason;
  }
}

/** Refuses what the receiver's channel map cannot do, once it is known where everything stands. */
function refuseUnmappable(
  receiver: DeviceProfile,
  wish: Wish,
  receptions: readonly OpenReception[],
  heard: number[],
  reasons: Reasons,
): void {
  const limits = receiver.model.receiveMap;
  if (limits === null || receiver.model.receiveOrder !== null) return;
  const mapped: MappedLane[] = [];
  const placeOf = new Map<number, number>();
  for (const [n, { receiverChannel: channel }] of wish.lanes.entries()) {
    placeOf.set(channel, n);
    if (reasons.has(n)) continue;
    const code = heard[n] as number;
    const { stream } = receptions[(code >> RECEPTION_SHIFT) - 1] as OpenReception;
    mapped.push({ channel, stream, position: code & POSITION_MASK, width: stream.channels.length });
  }
  for (const [channel, broken] of unmappable(limits, mapped)) {
    const reason: LaneReason =
      broken === 'block' ? { code: 'map-block', blockSize: limits.blockSize } : { code: 'map-order' };
    reasons.set(placeOf.get(channel) as number, reason);
  }
}

/** Refuses the lanes of streams that have no place at either end or come too late, then those beyond a shared pool. */
function refuseBeyondBudgets(
  receiver: DeviceProfile,
  receptions: readonly OpenReception[],
  heard: number[],
  reasons: Reasons,
  packings: ReadonlyMap<string, Packing>,
): void {
  const { channelPool: pool } = receiver.model;
  const streamsReceive = streamsMax(receiver.model.streamsReceive);
  for (let h = 0; h < receptions.length; h += 1) {
    const { stream, sender, receiverStreamNumber, offset } = receptions[h] as OpenReception;
    let reason: LaneReason | null = null;
    const streamsSend = streamsMax(sender.model.streamsSend);
    if (stream.streamNumber > streamsSend) {
      const wanted = (packings.get(stream.senderDeviceId) as Packing).streams.length;
      reason = { code: 'stream-budget', end: 'sender', wanted, limit: streamsSend };
    } else if (receiverStreamNumber > streamsReceive) {
      reason = { code: 'stream-budget', end: 'receiver', wanted: receptions.length, limit: streamsReceive };
    } else if (offset.marginNs < 0) {
      reason = { code: 'link-offset', neededNs: offset.neededNs, offsetNs: offset.offsetNs };
    }
    if (reason === null) continue;
    for (let n = 0; n < heard.length; n += 1)
      if ((heard[n] as number) >> RECEPTION_SHIFT === h + 1) reasons.set(n, reason);
  }
  if (pool === null) return;
  const sent = channelsSent(packings.get(receiver.device.id) ?? NO_PACKING);
  let carried = 0;
  for (let n = 0; n < heard.length; n += 1) if (!reasons.has(n)) carried += 1;
  const wanted = sent + carried;
  if (wanted <= pool) return;
  let room = Math.max(0, pool - sent);
  // What carries has its place first.
  const carries = receptions.map(
    (h) => h.stream.sent?.receivers.some((r) => r.deviceId === receiver.device.id) === true,
  );
  for (const isTurnOf of [true, false]) {
    for (let n = 0; n < heard.length; n += 1) {
      if (carries[((heard[n] as number) >> RECEPTION_SHIFT) - 1] !== isTurnOf || reasons.has(n)) continue;
      if (room > 0) room -= 1;
      else reasons.set(n, { code: 'channel-pool', end: 'receiver', wanted, limit: pool });
    }
  }
}

const MISSING_SENDER: LaneReason = { code: 'no-address', end: 'sender' };

function channelReason(sender: DeviceProfile, receiver: DeviceProfile, s: Subscription): LaneReason | null {
  const { channelsSend } = sender.model;
  const { channelsReceive } = receiver.model;
  if (s.senderChannel > channelsSend) {
    return { code: 'channel-missing', end: 'sender', channel: s.senderChannel, count: channelsSend };
  }
  if (s.receiverChannel > channelsReceive) {
    return { code: 'channel-missing', end: 'receiver', channel: s.receiverChannel, count: channelsReceive };
  }
  return null;
}

const PATH_UNKNOWN: LaneCaution = { code: 'path-unknown' };
const FOREIGN_RECEIVER: LaneCaution = { code: 'foreign-patch', end: 'receiver' };
const FOREIGN_SENDER: LaneCaution = { code: 'foreign-patch', end: 'sender' };

function cautionOf(
  sender: DeviceProfile,
  receiver: DeviceProfile,
  pair: PairFits,
  stream: Stream,
  along: ReturnType<typeof heardAlong>,
): LaneCaution | null {
  if (receiver.device.isPatchForeign) return FOREIGN_RECEIVER;
  // A stream that is held is received as it is: nothing has to be written at its sender.
  if (sender.device.isPatchForeign && !stream.isHeld) return FOREIGN_SENDER;
  if (along.length > 0) return { code: 'heard-along', heard: along };
  if (pair.missingLeg !== null) {
    const { leg, because } = pair.missingLeg;
    return { code: 'one-leg', missing: leg, because };
  }
  return pair.isWayKnown ? null : PATH_UNKNOWN;
}

/** Which of the receiver's streams receives which: streams that were sent keep their number, the others fill the gaps in order. */
function assignStreamNumbers(receiverId: string, heard: readonly OpenReception[]): void {
  if (heard.every((h) => h.stream.sent === null)) {
    for (let n = 0; n < heard.length; n += 1) (heard[n] as OpenReception).receiverStreamNumber = n + 1;
    return;
  }
  const taken = new Set<number>();
  for (const h of heard) {
    const streamNumber = h.stream.sent?.receivers.find((r) => r.deviceId === receiverId)?.streamNumber ?? 0;
    if (streamNumber === 0 || taken.has(streamNumber)) continue;
    h.receiverStreamNumber = streamNumber;
    taken.add(streamNumber);
  }
  let next = 1;
  for (const h of heard) {
    if (h.receiverStreamNumber !== 0) continue;
    while (taken.has(next)) next += 1;
    h.receiverStreamNumber = next;
    next += 1;
  }
}

function offsetFor(receiver: DeviceProfile, stream: Stream, pair: PairFits): LinkOffset {
  const offsetNs = offsetInForce(
    stream.format,
    receiver.model.linkOffsetMinNs ?? ASSUMED.linkOffsetMinNs,
    receiver.device.linkOffsetNs,
  );
  return linkOffset(stream.format, offsetNs, pair.transitNs(wireBytesOf(stream.width, stream.format)));
}

function channelsSent(packing: Packing): number {
  const { streams, formats, others } = packing;
  // Within a format a channel stands in one stream, but for others; over formats it may stand again.
  if (formats.length <= 1 && others.length === 0) {
    let sent = 0;
    for (const { channels, isInOrder } of streams) {
      // Only streams that are wanted just so may have empty positions, or a channel twice.
      sent += isInOrder ? new Set(channels.filter((c) => c !== NOTHING)).size : channels.length;
    }
    return sent;
  }
  return new Set(streams.flatMap((s) => s.channels.filter((c) => c !== NOTHING))).size;
}

export function budgetOf(profile: DeviceProfile, lanes: LaneTable | undefined, packing: Packing): DeviceBudget {
  const { model } = profile;
  const sent = channelsSent(packing);
  const received = lanes?.size ?? 0;
  return {
    channelsReceive: { used: received, limit: model.channelsReceive },
    channelsSend: { used: sent, limit: model.channelsSend },
    channelPool: model.channelPool === null ? null : { used: received + sent, limit: model.channelPool },
    streamsReceive: { used: lanes?.receptions.length ?? 0, limit: model.streamsReceive },
    streamsSend: { used: packing.streams.length, limit: model.streamsSend },
  };
}
