import type { LaneCarried } from '../core/reckon/lane';
import type { Reckoning } from '../core/reckon/reckoning';
import type { Stream } from '../core/streams/stream';
import { modelOf } from '../core/plan/plan';
import { passesOf, passingUnits } from '../core/signal/through';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { SentStreamKey } from '../core/plan/commands';
import { announcedSdp, NOTHING_ANNOUNCED, type AnnouncedStreams } from './announcements';
import { type Bindings } from './binding';
import { isAlwaysFed } from '../core/formats/is08';
import { nowOf } from './receiver-map';
import { streamFeeding } from '../core/streams/channel-order';
import { fedInOrder, fedNow, orderOf } from './device-order';
import type { FieldNode } from './field-resources';
import type { FieldSnapshot } from './field-snapshot';

/** A receiver channel that is to be brought in line with the plan. */
export interface ChannelRef {
  readonly deviceId: string;
  readonly channel: number;
}

/**
 * Why a channel is not sent. Foreign: the patch of that end is never written; a sender's stream is joined as it is where it is held.
 * Untold: neither a registry nor an announcement tells of such a stream now. Receiver away: its stream would take the place of
 * one that a device receives and that cannot be named. Elsewhere: another plan runs that end. In a block: it can only be cleared together with channels that the plan feeds. Always
 * fed: the device does not let it be fed by nothing.
 */
type LeftWhy =
  | 'refused'
  | 'device-missing'
  | 'sender-missing'
  | 'device-contested'
  | 'sender-contested'
  | 'device-foreign'
  | 'sender-foreign'
  | 'device-elsewhere'
  | 'sender-elsewhere'
  | 'sender-untold'
  | 'receiver-away'
  | 'in-a-block'
  | 'always-fed';

/** What has to be done to devices so that the chosen channels do what the plan says. */
export interface SendPlan {
  readonly streams: readonly { readonly stream: Stream; readonly receivers: readonly string[] }[];
  /** Receivers by device: which streams they join or leave and how their channels are mapped. */
  readonly receivers: readonly ReceiverWork[];
  /** Streams of earlier sends that nobody wants any more. */
  readonly stops: readonly SentStreamKey[];
  /** Receivers that receive a stream which is laid out again under its number: they are taken off it before anything in it moves. */
  readonly quietFirst: ReadonlySet<string>;
  /** Channels that cannot be sent, each with why. */
  readonly left: readonly (ChannelRef & { readonly why: LeftWhy })[];
}

export interface ReceiverWork {
  readonly deviceId: string;
  readonly joins: readonly { readonly stream: Stream; readonly streamNumber: number }[];
  readonly leaves: readonly number[];
  readonly feeds: readonly { readonly channel: number; readonly streamNumber: number; readonly position: number }[];
  readonly clears: readonly number[];
}

/** What was sent under the stream's number, where that was something else: those who receive it would get wrong channels. */
export function replacedBy(stream: Stream, reckoning: Reckoning): SentStream | null {
  const was = reckoning.plan.sentStreams.get(stream.senderDeviceId)?.get(stream.streamNumber);
  return was !== undefined && was !== stream.sent ? was : null;
}

const keyOf = ({ deviceId, channel }: ChannelRef) => `${deviceId}/${channel}`;

/**
 * The chosen channels, what reaches them through processing units, those that are fed in one block with them, and all that receive a stream which they replace, by the plan or
 * as their devices are mapped now: all of them go over together.
 */
function withReplaced(
  chosen: readonly ChannelRef[],
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Bindings,
): { channels: ReadonlyMap<string, ChannelRef>; quietFirst: Set<string> } {
  const channels = new Map(chosen.map((c) => [keyOf(c), c]));
  const quietFirst = new Set<string>();
  const seen = new Set<string>();
  const open = [...channels.values()];
  const add = (ref: ChannelRef) => {
    if (channels.has(keyOf(ref))) return;
    channels.set(keyOf(ref), ref);
    open.push(ref);
  };
  for (let next = open.pop(); next !== undefined; next = open.pop()) {
    const lane = reckoning.lanesByReceiver.get(next.deviceId)?.get(next.channel);
    // Without a channel map a channel is only cleared by another stream for all that are fed with it.
    if (lane === undefined && modelOf(reckoning.plan, next.deviceId)?.receiveOrder != null) {
      for (const channel of blockOf(reckoning, next.deviceId, next.channel)) {
        const other = reckoning.lanesByReceiver.get(next.deviceId)?.get(channel);
        if (other !== undefined && other.verdict !== 'refused') add({ deviceId: next.deviceId, channel });
      }
    }
    if (lane === undefined || lane.verdict === 'refused') continue;
    const { stream } = lane.reception;
    // What a unit only passes on has to arrive there too.
    const { senderDeviceId: unitId, senderChannel: pass } = lane.subscription;
    if (passingUnits(reckoning.plan).has(unitId)) {
      const input = passesOf(reckoning.plan, unitId).inOf.get(pass);
      if (input !== undefined && reckoning.lanesByReceiver.get(unitId)?.has(input) === true) {
        add({ deviceId: unitId, channel: input });
      }
    }
    for (const channel of blockOf(reckoning, next.deviceId, next.channel)) {
      const other = reckoning.lanesByReceiver.get(next.deviceId)?.get(channel);
      if (other !== undefined && other.verdict !== 'refused') add({ deviceId: next.deviceId, channel });
    }
    const reception = `${next.deviceId} ${stream.id}`;
    if (seen.has(reception)) continue;
    seen.add(reception);
    const addFed = (deviceId: string, streamNumber: number) => {
      for (const fed of fedNow(reckoning.plan, deviceId, bindings.nodeByDevice.get(deviceId), field)) {
        if (fed.streamNumber === streamNumber) add({ deviceId, channel: fed.channel });
      }
    };
    for (const { deviceId, streamNumber } of replacedBy(stream, reckoning)?.receivers ?? []) {
      quietFirst.add(deviceId);
      for (const [channel, { subscription }] of reckoning.lanesByReceiver.get(deviceId) ?? []) {
        if (subscription.senderDeviceId === stream.senderDeviceId) add({ deviceId, channel });
      }
      addFed(deviceId, streamNumber);
    }
    // One of the receiver's own streams that becomes another takes along what it feeds.
    const { receiverStreamNumber } = lane.reception;
    const isSame = stream.sent?.receivers.some(
      (r) => r.deviceId === next?.deviceId && r.streamNumber === receiverStreamNumber,
    );
    if (isSame !== true) addFed(next.deviceId, receiverStreamNumber);
  }
  return { channels, quietFirst };
}

/** Whether a device still feeds channels that are not chosen from a stream of an earlier send, and so has not gone over. */
function isStillHeard(
  record: SentStream,
  chosen: ReadonlyMap<string, ChannelRef>,
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Bindings,
): boolean {
  return record.receivers.some(({ deviceId, streamNumber }) => {
    const node = bindings.nodeByDevice.get(deviceId);
    const own = fedNow(reckoning.plan, deviceId, node, field).filter((fed) => fed.streamNumber === streamNumber);
    // Without a channel map all that a stream feeds goes over with any of it.
    const isOneGoing = own.some((fed) => chosen.has(keyOf({ deviceId, channel: fed.channel })));
    if (isOneGoing && orderOf(reckoning.plan, deviceId, 'receive', node) !== null) return false;
    const map = (node?.device && field.channelMaps.get(node.device.id)) ?? null;
    return own.some((fed) => {
      if (chosen.has(keyOf({ deviceId, channel: fed.channel }))) return false;
      const lane = reckoning.lanesByReceiver.get(deviceId)?.get(fed.channel);
      // What nothing may not feed goes silent with the receiver, where the plan wants nothing there.
      if (isOneGoing && lane === undefined && map !== null && isAlwaysFed(map, fed.channel)) return false;
      // The same of its receivers may receive another stream by now.
      const reception = lane?.reception;
      const isOver =
        reception?.stream.sent?.receivers.some((r) => r.deviceId === deviceId && r.streamNumber === streamNumber) ===
        true;
      return !isOver;
    });
  });
}

/** Receivers of a device that are still set to streams which nobody receives any more. */
function streamsNoMore(deviceId: string, reckoning: Reckoning, isReceived: (record: SentStream) => boolean): number[] {
  const numbers = new Set<number>();
  for (const [senderId, sent] of reckoning.plan.sentStreams) {
    const kept = new Set((reckoning.streamsBySender.get(senderId) ?? []).map((s) => s.sent));
    for (const record of sent.values()) {
      const own = record.receivers.find((r) => r.deviceId === deviceId);
      if (own && !kept.has(record) && !isReceived({ ...record, receivers: [own] })) numbers.add(own.streamNumber);
    }
  }
  return [...numbers].sort((a, b) => a - b);
}

const isTold = (stream: Stream, reckoning: Reckoning, bindings: Bindings, announced: AnnouncedStreams) =>
  bindings.nodeByDevice.has(stream.senderDeviceId) ||
  announcedSdp(stream, reckoning, bindings.translation, announced) !== null;

/** The other channels that a receiver is fed together with: those of the same block, or of the same stream where it has no channel map. */
function blockOf(reckoning: Reckoning, deviceId: string, channel: number): number[] {
  const { receiveMap, receiveOrder } = modelOf(reckoning.plan, deviceId) ?? {};
  if (receiveOrder != null) {
    const own = streamFeeding(receiveOrder, channel)?.streamNumber;
    const fed = fedInOrder(receiveOrder).filter((f) => f.streamNumber === own && f.channel !== channel);
    return fed.map((f) => f.channel);
  }
  const blockSize = receiveMap?.blockSize ?? 1;
  const start = Math.floor((channel - 1) / blockSize) * blockSize + 1;
  return Array.from({ length: blockSize }, (_, n) => start + n).filter((c) => c !== channel);
}

/** Works out what sending the chosen channels means. Touches nothing. */
export function planSend(
  chosen: readonly ChannelRef[],
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Bindings,
  announced: AnnouncedStreams = NOTHING_ANNOUNCED,
): SendPlan {
  const { channels, quietFirst } = withReplaced(chosen, reckoning, field, bindings);
  const left: (ChannelRef & { why: LeftWhy })[] = [];
  const missing = (id: string, end: 'device' | 'sender'): LeftWhy =>
    bindings.contested.has(id) ? `${end}-contested` : `${end}-missing`;
  const isForeign = (id: string) => reckoning.plan.devices.get(id)?.isPatchForeign === true;
  // What is left as it is goes over to nothing.
  const going = new Map(channels);
  const isReceived = (record: SentStream) => isStillHeard(record, going, reckoning, field, bindings);
  // One that is away, or not ours, keeps receiving what is in its positions: nothing else may come to stand there.
  const isElsewhere = (id: string) => bindings.runElsewhere?.has(id) === true;
  const isOurs = (id: string) => !isForeign(id) && !isElsewhere(id);
  const isAway = (id: string) => reckoning.plan.devices.has(id) && (!isOurs(id) || !bindings.nodeByDevice.has(id));
  const isReceivedByAbsent = (stream: Stream) =>
    replacedBy(stream, reckoning)?.receivers.some((r) => isAway(r.deviceId)) === true;
  const byDevice = new Map<string, number[]>();
  for (const { deviceId, channel } of channels.values()) {
    const list = byDevice.get(deviceId);
    if (list) list.push(channel);
    else byDevice.set(deviceId, [channel]);
  }
  /** Whether a channel that nothing may not feed stays fed: its receiver cannot be switched off either, as there is none, or another channel wants it. */
  const staysFed = (node: FieldNode, channel: number, wanted: ReadonlySet<number>) => {
    const map = node.device && field.channelMaps.get(node.device.id);
    if (map == null || !isAlwaysFed(map, channel)) return false;
    const now = nowOf(map, node, channel);
    return now !== null && (now.streamNumber === 0 || wanted.has(now.streamNumber));
  };
  const receiversByStream = new Map<Stream, Set<string>>();
  const receivers: ReceiverWork[] = [];
  for (const [deviceId, wanted] of byDevice) {
    const lanes = reckoning.lanesByReceiver.get(deviceId);
    const node = bindings.nodeByDevice.get(deviceId);
    const joins = new Map<Stream, number>();
    const feeds: { channel: number; streamNumber: number; position: number }[] = [];
    const clears: number[] = [];
    const stillWanted = new Set<number>();
    for (const lane of lanes?.values() ?? [])
      if (lane.verdict !== 'refused') stillWanted.add((lane as LaneCarried).reception.receiverStreamNumber);
    for (const channel of wanted) {
      const lane = lanes?.get(channel);
      if (isForeign(deviceId)) left.push({ deviceId, channel, why: 'device-foreign' });
      else if (node === undefined) left.push({ deviceId, channel, why: missing(deviceId, 'device') });
      else if (isElsewhere(deviceId)) left.push({ deviceId, channel, why: 'device-elsewhere' });
      else if (lane === undefined) {
        const fedWith = blockOf(reckoning, deviceId, channel).flatMap((c) => lanes?.get(c) ?? []);
        // Without a channel map what is refused is in no stream, and stands in nobody's way.
        const isInOrder = orderOf(reckoning.plan, deviceId, 'receive', node) !== null;
        const block = isInOrder ? fedWith.filter((l) => l.verdict !== 'refused') : fedWith;
        // Where the block is fed as planned this channel of it meets an empty position: there is nothing to clear.
        if (block.length === 0 && staysFed(node, channel, stillWanted))
          left.push({ deviceId, channel, why: 'always-fed' });
        else if (block.length === 0) clears.push(channel);
        else if (block.some((l) => l.verdict === 'refused')) left.push({ deviceId, channel, why: 'in-a-block' });
      } else if (lane.verdict === 'refused') left.push({ deviceId, channel, why: 'refused' });
      else if (isForeign(lane.reception.stream.senderDeviceId) && !lane.reception.stream.isHeld) {
        left.push({ deviceId, channel, why: 'sender-foreign' });
      } else if (
        isForeign(lane.reception.stream.senderDeviceId) &&
        !isTold(lane.reception.stream, reckoning, bindings, announced)
      ) {
        left.push({ deviceId, channel, why: 'sender-untold' });
      } else if (
        !isForeign(lane.reception.stream.senderDeviceId) &&
        !bindings.nodeByDevice.has(lane.reception.stream.senderDeviceId)
      ) {
        left.push({ deviceId, channel, why: missing(lane.reception.stream.senderDeviceId, 'sender') });
      } else if (isElsewhere(lane.reception.stream.senderDeviceId)) {
        left.push({ deviceId, channel, why: 'sender-elsewhere' });
      } else if (isReceivedByAbsent(lane.reception.stream)) left.push({ deviceId, channel, why: 'receiver-away' });
      else {
        const { stream, receiverStreamNumber } = lane.reception;
        joins.set(stream, receiverStreamNumber);
        feeds.push({ channel, streamNumber: receiverStreamNumber, position: lane.position });
        const set = receiversByStream.get(stream);
        if (set) set.add(deviceId);
        else receiversByStream.set(stream, new Set([deviceId]));
      }
    }
    for (const l of left) going.delete(keyOf(l));
    if (node === undefined || (joins.size === 0 && clears.length === 0)) continue;
    // Streams that no lane of the plan wants here any more are left.
    const isLeft = (streamNumber: number) =>
      !stillWanted.has(streamNumber) &&
      field.readings.get(node.receivers[streamNumber - 1]?.id ?? '')?.active.isEnabled === true;
    // Where lanes were cleared everything that is not wanted is left; else what was sent here for streams that are no more.
    const were =
      clears.length > 0 ? node.receivers.map((_, n) => n + 1) : streamsNoMore(deviceId, reckoning, isReceived);
    const leaves = were.filter(isLeft);
    receivers.push({
      deviceId,
      joins: [...joins].map(([stream, streamNumber]) => ({ stream, streamNumber })),
      leaves,
      feeds,
      clears,
    });
  }
  const isBlocked = (senderId: string, streamNumber: number) =>
    (reckoning.streamsBySender.get(senderId) ?? []).some(
      (s) => s.streamNumber === streamNumber && isReceivedByAbsent(s),
    );
  const stops: SentStreamKey[] = [];
  if (channels.size > 0) {
    for (const [senderDeviceId, sent] of reckoning.plan.sentStreams) {
      if (!isOurs(senderDeviceId)) continue;
      const kept = new Set(
        (reckoning.streamsBySender.get(senderDeviceId) ?? []).flatMap((s) => (s.sent ? [s.streamNumber] : [])),
      );
      for (const record of sent.values()) {
        const isConcerned = record.receivers.length === 0 || record.receivers.some((r) => byDevice.has(r.deviceId));
        if (
          kept.has(record.streamNumber) ||
          !isConcerned ||
          isBlocked(senderDeviceId, record.streamNumber) ||
          isReceived(record)
        )
          continue;
        stops.push({ senderDeviceId, streamNumber: record.streamNumber });
      }
    }
  }
  const streams = [...receiversByStream].map(([stream, set]) => ({ stream, receivers: [...set] }));
  return { streams, receivers, stops, quietFirst, left };
}
