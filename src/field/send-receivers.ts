import { isAlwaysFed, receivedPlace, type ChannelMap } from '../core/formats/is08';
import type { EndState } from '../core/formats/is05';
import type { Reckoning } from '../core/reckon/reckoning';
import type { Stream } from '../core/streams/stream';
import {
  activateMap,
  cancelActivation,
  patchEnd,
  putBackEnd,
  readChannelMap,
  readEnd,
  readHeard,
  type EndBefore,
  type MapAction,
} from './device-reader';
import { orderOf } from './device-order';
import { connectionHrefOf, type FieldNode } from './field-resources';
import { isSilence } from './device-rest';
import { failureOf } from './http-json';
import type { Activation } from './moment';
import { receiverAction } from './receiver-map';
import { replacedBy, type ReceiverWork } from './send-plan';
import type { SendContext } from './send-report';
import { isOnLegs, placedLegs } from './stream-legs';

/**
 * Telling receivers. A channel goes on hearing what it hears until its new stream is there, and then goes over in one step of the channel map.
 * Only what would sound wrong meanwhile is taken off before: channels whose receiver, or whose place in a stream, comes to carry
 * something else. What cannot go over stays as it was, or is put back.
 */

/** A receiver before anything else moves. */
export interface TakenOff {
  /** Its channel map as it was; null: it has none. */
  readonly map: ChannelMap | null;
  /** The entries that were taken off. */
  readonly off: MapAction;
  /** Without a channel map: receivers that were switched off, as they were, and what they are to hear. */
  readonly muted: readonly Muted[];
}

interface Muted {
  readonly join: Join;
  readonly endId: string;
  readonly before: EndBefore;
}

export type Join = ReceiverWork['joins'][number];
type Entry = { readonly input: string; readonly index: number };

/** What has become of the streams when receivers are told. */
export interface SentStreams {
  /** Those that are there, each with its SDP; null while it is only staged. */
  readonly sdpByStream: ReadonlyMap<Stream, string | null>;
  /** Those that could not be set, and whose senders are known to be as they were. */
  readonly asTheyWere: ReadonlySet<Stream>;
}

/**
 * @param quieted receivers that were taken off already; null where that failed
 * @returns the streams that the device hears now, or may hear as far as is known
 */
export async function sendReceiver(
  work: ReceiverWork,
  context: SendContext,
  sent: SentStreams,
  quieted: ReadonlyMap<string, TakenOff | null>,
): Promise<ReadonlySet<Stream>> {
  const { bindings, follower, report, start } = context;
  const { deviceId } = work;
  const node = bindings.nodeByDevice.get(deviceId) as FieldNode;
  const { device } = node;
  const none = new Set<Stream>();
  const isInOrder = orderOf(context.reckoning.plan, deviceId, 'receive', node) !== null;
  if (!device?.connectionHref || (!device.channelMapHref && !isInOrder)) {
    await report.step(deviceId, 'receiver', null, () =>
      Promise.reject(new Error('the device offers no connection management or no channel map')),
    );
    return none;
  }
  const there = work.joins.filter(({ stream }) => sent.sdpByStream.has(stream));
  if (!start) return (await joinAll(there, work, context, sent)).heard;
  const isThere = (streamNumber: number) => there.some((j) => j.streamNumber === streamNumber);
  const going = { ...work, joins: there, feeds: work.feeds.filter((f) => isThere(f.streamNumber)) };
  const taken = quieted.has(deviceId) ? quieted.get(deviceId) : await quieten(going, context, work);
  if (taken == null) return none;
  const { map } = taken;
  const joins = map === null ? going.joins : await joinsToMake(going, work, map, context);
  const { joined, heard } = await joinAll(joins, work, context, sent);
  const isDone =
    map === null
      ? await unmute(taken.muted, work, context, sent, joined)
      : await goOver(work, context, sent, map, taken.off, joined);
  // What stands is not left while anything of the device has not gone over.
  if (isDone && !report.hasFailed(deviceId) && there.length === work.joins.length) await leaveAll(work, context);
  follower.readDeviceAnew(device.id);
  return heard;
}

/** What the end hears now, as far as it was read. */
function activeOf({ streamNumber }: Join, work: ReceiverWork, { bindings, follower }: SendContext): EndState | null {
  const end = bindings.nodeByDevice.get(work.deviceId)?.receivers[streamNumber - 1];
  return (end && follower.snapshot().readings.get(end.id)?.active) ?? null;
}

const peerOf = ({ stream }: Join, { bindings }: SendContext): string | null =>
  bindings.nodeByDevice.get(stream.senderDeviceId)?.senders[stream.streamNumber - 1]?.id ?? null;

/** Whether the end hears this very stream already. Where it was not read it is taken that it does not. */
export function isJoined(join: Join, work: ReceiverWork, context: SendContext): boolean {
  const active = activeOf(join, work, context);
  if (active === null || !active.isEnabled || active.peerId !== peerOf(join, context)) return false;
  return isOnLegs(active.legs, legsFor(join, work, active.legs, context));
}

/** Where the legs of the receiver that makes a join go. */
export function legsFor(join: Join, work: ReceiverWork, own: EndState['legs'], context: SendContext) {
  const node = context.bindings.nodeByDevice.get(work.deviceId);
  const end = node?.receivers[join.streamNumber - 1];
  const at = node === undefined || end === undefined ? null : { node, end };
  return placedLegs(join.stream, work.deviceId, own, context, null, at);
}

/** What the receiver's map has for a channel, and which of its streams that comes from; null: nothing. */
export function nowOf(map: ChannelMap, node: FieldNode, channel: number): (Entry & { streamNumber: number }) | null {
  const own = receivedPlace(map, channel);
  const entry = own && map.active.get(own.id)?.get(own.index);
  if (!entry) return null;
  const receiverId = map.inputs.find((i) => i.id === entry.input)?.receiverId;
  return { ...entry, streamNumber: node.receivers.findIndex((r) => r.id === receiverId) + 1 };
}

/** Whether what stands at a position of a stream is another channel than before. */
function isReplacedAt(stream: Stream, index: number, reckoning: Reckoning): boolean {
  const was = replacedBy(stream, reckoning);
  return was !== null && was.channels[index] !== stream.channels[index];
}

/** Channels that would hear something wrong between the first step and the last, unless they are taken off. */
function toBeQuiet(work: ReceiverWork, map: ChannelMap, node: FieldNode, context: SendContext): number[] {
  const changing = new Set(work.joins.filter((j) => !isJoined(j, work, context)).map((j) => j.streamNumber));
  const isWrong = (channel: number, feed: ReceiverWork['feeds'][number] | null): boolean => {
    const now = nowOf(map, node, channel);
    const join = now && work.joins.find((j) => j.streamNumber === now.streamNumber);
    if (!now || !join) return false;
    if (feed !== null && feed.streamNumber === now.streamNumber && feed.position === now.index + 1) return false;
    return changing.has(now.streamNumber) || isReplacedAt(join.stream, now.index, context.reckoning);
  };
  return [
    ...work.feeds.filter((f) => isWrong(f.channel, f)).map((f) => f.channel),
    ...work.clears.filter((c) => isWrong(c, null)),
  ];
}

/** What keeps a channel silent where nothing may not feed it: its new place, in a stream that is not heard yet. Null: there is none. */
function silentFeed(channel: number, work: ReceiverWork, context: SendContext): ReceiverWork['feeds'][number] | null {
  const feed = work.feeds.find((f) => f.channel === channel);
  const join = feed && work.joins.find((j) => j.streamNumber === feed.streamNumber);
  return join && activeOf(join, work, context)?.isEnabled === false ? (feed ?? null) : null;
}

/** Joins that may be made: a stream that a channel still needs because its own is not there keeps its receiver. */
async function joinsToMake(
  going: ReceiverWork,
  work: ReceiverWork,
  map: ChannelMap,
  context: SendContext,
): Promise<Join[]> {
  const node = context.bindings.nodeByDevice.get(work.deviceId) as FieldNode;
  let joins = [...going.joins];
  for (;;) {
    const numbers = new Set(joins.map((j) => j.streamNumber));
    const staying = work.feeds.filter((f) => !numbers.has(f.streamNumber));
    const needed = new Set(staying.map((f) => nowOf(map, node, f.channel)?.streamNumber));
    const taken = joins.filter((j) => needed.has(j.streamNumber) && !isJoined(j, work, context));
    if (taken.length === 0) return joins;
    joins = joins.filter((j) => !taken.includes(j));
    const why = new Error('a channel that could not go over still needs what is heard there');
    for (const { stream } of taken) {
      await context.report.step(work.deviceId, 'receiver', stream.id, () => Promise.reject(why));
    }
  }
}

/** @param later joins that are only to be made at a moment, each with what the device is told of it */
export async function joinAll(
  joins: readonly Join[],
  work: ReceiverWork,
  context: SendContext,
  { sdpByStream }: SentStreams,
  later: (join: Join) => Activation | null = () => null,
): Promise<{ joined: Set<Stream>; heard: Set<Stream> }> {
  const { bindings, follower, report, start } = context;
  const { deviceId } = work;
  const node = bindings.nodeByDevice.get(deviceId) as FieldNode;
  const joined = new Set<Stream>();
  const heard = new Set<Stream>();
  for (const join of joins) {
    const { stream, streamNumber } = join;
    const end = node.receivers[streamNumber - 1];
    const isDone = await report.step(deviceId, 'receiver', stream.id, async () => {
      const href = end === undefined ? null : connectionHrefOf(node, end);
      if (end === undefined || href === null) throw new Error(`the device has no receiver number ${streamNumber}`);
      const senderEnd = bindings.nodeByDevice.get(stream.senderDeviceId)?.senders[stream.streamNumber - 1];
      const senderReading = senderEnd && follower.snapshot().readings.get(senderEnd.id);
      const before = await readHeard(href, end.id);
      const legs = placedLegs(stream, deviceId, before.active.legs, context, senderReading?.active ?? null, {
        node,
        end,
      });
      if (legs.every((l) => l === null)) throw new Error('the device has no leg that hears this stream');
      const sdp = sdpByStream.get(stream) ?? null;
      const peerId = peerOf(join, context);
      const isThere = before.active.isEnabled && before.active.peerId === peerId && isOnLegs(before.active.legs, legs);
      // What it hears already is not started anew.
      if (start && isThere && before.sdp === sdp) return;
      const activation = later(join);
      const request = {
        ...{ isEnabled: true, peerId, legs, sdp, activate: start },
        ...(activation === null ? {} : { activation }),
      };
      try {
        await patchEnd(href, 'receivers', end.id, request);
        const reading = await readEnd(href, 'receivers', end.id);
        follower.noteReading('receivers', end.id, reading);
        if (start && activation === null && !isOnLegs(reading.active.legs, legs))
          throw new Error('it said yes, and hears something else');
      } catch (error) {
        // Whether it did it after all is not known until it was put back.
        heard.add(stream);
        // One that fell silent is asked no more; what went wrong first is what the report tells.
        if (start && !isSilence(failureOf(error))) {
          // What it is to do at the moment is taken back first: until then it may be locked.
          const isFree = activation === null ? Promise.resolve() : cancelActivation(href, 'receivers', end.id);
          const isBack = await isFree
            .then(() => putBackEnd(href, 'receivers', end.id, before))
            .then(
              () => true,
              () => false,
            );
          if (isBack) heard.delete(stream);
        }
        throw error;
      }
    });
    if (!isDone) continue;
    joined.add(stream);
    heard.add(stream);
  }
  return { joined, heard };
}

/** The channels go over: to their new streams, to nothing, or back to what they heard. Whether all that could be done was done. */
async function goOver(
  work: ReceiverWork,
  context: SendContext,
  sent: SentStreams,
  map: ChannelMap,
  off: MapAction,
  joined: ReadonlySet<Stream>,
): Promise<boolean> {
  const { bindings, reckoning, report } = context;
  const node = bindings.nodeByDevice.get(work.deviceId) as FieldNode;
  const mapHref = node.device?.channelMapHref as string;
  const streamAt = (streamNumber: number) => work.joins.find((j) => j.streamNumber === streamNumber)?.stream;
  /** Whether what fed a channel before is there as it was. */
  const isAsBefore = ({ input, index }: Entry): boolean => {
    const receiverId = map.inputs.find((i) => i.id === input)?.receiverId;
    const stream = streamAt(node.receivers.findIndex((r) => r.id === receiverId) + 1);
    if (stream === undefined) return true;
    return !joined.has(stream) && (!isReplacedAt(stream, index, reckoning) || sent.asTheyWere.has(stream));
  };
  const back = entriesBefore(map, off, isAsBefore);
  const feeds = work.feeds.filter((f) => {
    const stream = streamAt(f.streamNumber);
    return stream !== undefined && joined.has(stream);
  });
  const told = [
    ...work.clears.map((channel) => ({ channel, feed: null })),
    ...feeds.map((feed) => ({ channel: feed.channel, feed })),
  ];
  let isDone = true;
  if (told.length > 0) {
    isDone = await report.step(work.deviceId, 'receiver-map', null, async () => {
      await activateMap(mapHref, receiverAction(map, node, told, mayGoWith(work, reckoning)));
    });
  }
  const wentOver = isDone ? told : [];
  const left = without(back, map, wentOver);
  if (Object.keys(left).length > 0) {
    const isBack = await report.step(work.deviceId, 'receiver-restore', null, () => activateMap(mapHref, left));
    isDone = isDone && isBack;
  }
  return isDone;
}

/** The entries of a map for all that an action changes, as far as they may come back. */
function entriesBefore(map: ChannelMap, action: MapAction, mayComeBack: (entry: Entry) => boolean): MapAction {
  const back: MapAction = {};
  for (const [outputId, entries] of Object.entries(action)) {
    for (const index of Object.keys(entries)) {
      const was = map.active.get(outputId)?.get(Number(index));
      if (was === undefined || !mayComeBack(was)) continue;
      (back[outputId] ??= {})[index] = { input: was.input, channel_index: was.index };
    }
  }
  return back;
}

/** An action without the entries of channels that went over. */
function without(action: MapAction, map: ChannelMap, wentOver: readonly { readonly channel: number }[]): MapAction {
  const left: MapAction = structuredClone(action);
  for (const { channel } of wentOver) {
    const own = receivedPlace(map, channel);
    if (own === null) continue;
    delete left[own.id]?.[String(own.index)];
    if (Object.keys(left[own.id] ?? {}).length === 0) delete left[own.id];
  }
  return left;
}

export async function leaveAll(work: ReceiverWork, { bindings, follower, report }: SendContext): Promise<void> {
  const node = bindings.nodeByDevice.get(work.deviceId) as FieldNode;
  for (const streamNumber of work.leaves) {
    const end = node.receivers[streamNumber - 1];
    const href = end && connectionHrefOf(node, end);
    if (end === undefined || !href) continue;
    await report.step(work.deviceId, 'receiver-leave', null, async () => {
      const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
      await patchEnd(href, 'receivers', end.id, request);
      follower.noteReading('receivers', end.id, await readEnd(href, 'receivers', end.id));
    });
  }
}

/** Channels of a block that may go silent with the rest of it: those that are told of too, or that the plan wants nothing at. */
export function mayGoWith(work: ReceiverWork, reckoning: Reckoning): (channel: number) => boolean {
  const told = new Set([...work.clears, ...work.feeds.map((f) => f.channel)]);
  const lanes = reckoning.lanesByReceiver.get(work.deviceId);
  return (channel) => told.has(channel) || lanes?.get(channel) === undefined;
}

/**
 * Takes off the channels of a receiver that would sound wrong meanwhile. Null where that failed.
 * @param whole all that was to be told to the device, where `work` is what is left of it
 */
export async function quieten(
  work: ReceiverWork,
  context: SendContext,
  whole: ReceiverWork = work,
): Promise<TakenOff | null> {
  const node = context.bindings.nodeByDevice.get(work.deviceId);
  if (node !== undefined && orderOf(context.reckoning.plan, work.deviceId, 'receive', node) !== null) {
    return mute(work, node, context);
  }
  const mapHref = node?.device?.channelMapHref;
  if (!node || !mapHref) return null;
  const mayGo = mayGoWith(whole, context.reckoning);
  let map: ChannelMap | null = null;
  let off: MapAction = {};
  const isOff = await context.report.step(work.deviceId, 'receiver-map', null, async () => {
    const read = await readChannelMap(mapHref);
    // Before anything is taken off it is known that the device can take what comes after.
    const cleared = work.clears.map((channel) => ({ channel, feed: null }));
    receiverAction(read, node, [...cleared, ...work.feeds.map((feed) => ({ channel: feed.channel, feed }))], mayGo);
    const quiet = toBeQuiet(work, read, node, context).map((channel) => ({
      channel,
      feed: isAlwaysFed(read, channel) ? silentFeed(channel, work, context) : null,
    }));
    map = read;
    off = receiverAction(read, node, quiet, mayGo);
    if (Object.keys(off).length > 0) await activateMap(mapHref, off);
  });
  if (map === null || isOff) return map && { map, off, muted: [] };
  // It says that it did not, and may have done it all the same.
  const back = entriesBefore(map, off, () => true);
  if (Object.keys(back).length > 0 && !context.report.isSilent(work.deviceId)) {
    await context.report.step(work.deviceId, 'receiver-restore', null, () => activateMap(mapHref, back));
  }
  return null;
}

/**
 * Without a channel map: switches off the receivers that hear a stream which is laid out anew under its number, as they would hear the new one
 * as if it were the old. Null where that failed; then those that were switched off are on again.
 */
async function mute(work: ReceiverWork, node: FieldNode, context: SendContext): Promise<TakenOff | null> {
  const { reckoning, report, follower } = context;
  const muted: Muted[] = [];
  const isReplaced = ({ stream, streamNumber }: Join) =>
    replacedBy(stream, reckoning)?.receivers.some(
      (r) => r.deviceId === work.deviceId && r.streamNumber === streamNumber,
    ) === true;
  for (const join of work.joins.filter(isReplaced)) {
    const end = node.receivers[join.streamNumber - 1];
    const href = end && connectionHrefOf(node, end);
    if (end === undefined || !href) continue;
    const isOff = await report.step(work.deviceId, 'receiver-mute', join.stream.id, async () => {
      const before = await readHeard(href, end.id);
      if (!before.active.isEnabled) return;
      muted.push({ join, endId: end.id, before });
      const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
      await patchEnd(href, 'receivers', end.id, request);
      follower.noteReading('receivers', end.id, await readEnd(href, 'receivers', end.id));
    });
    if (isOff) continue;
    await putBackMuted(muted, work, context);
    return null;
  }
  return { map: null, off: {}, muted };
}

/** What was switched off and did not come to hear its new stream hears its old one again, where that is as it was. */
async function unmute(
  muted: readonly Muted[],
  work: ReceiverWork,
  context: SendContext,
  sent: SentStreams,
  joined: ReadonlySet<Stream>,
): Promise<boolean> {
  const left = muted.filter(({ join }) => !joined.has(join.stream));
  await putBackMuted(
    left.filter(({ join }) => sent.asTheyWere.has(join.stream)),
    work,
    context,
  );
  return left.length === 0;
}

async function putBackMuted(muted: readonly Muted[], work: ReceiverWork, context: SendContext): Promise<void> {
  const { bindings, follower, report } = context;
  const node = bindings.nodeByDevice.get(work.deviceId);
  for (const { join, endId, before } of muted) {
    const end = node?.receivers.find((r) => r.id === endId);
    const href = node && end && connectionHrefOf(node, end);
    if (!href || report.isSilent(work.deviceId)) continue;
    await report.step(work.deviceId, 'receiver-restore', join.stream.id, async () => {
      await putBackEnd(href, 'receivers', endId, before);
      follower.noteReading('receivers', endId, await readEnd(href, 'receivers', endId));
    });
  }
}
