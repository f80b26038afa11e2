import type { ChannelMap } from '../core/formats/is08';
import type { Stream } from '../core/streams/stream';
import { activateMap, type MapAction } from './device-reader';
import { orderOf } from './device-order';
import type { FieldNode } from './field-resources';
import { clearedIn, receiverAction, nowOf, type Entry, entriesBefore, without } from './receiver-map';
import type { ReceiverWork } from './send-plan';
import type { SendContext } from './send-report';
import { type SentStreams, joinAll, leaveAll, type Join, isJoined, isReplacedAt } from './receiver-joins';
import { type TakenOff, quieten, unmute, mayGoWith } from './receiver-quiet';

/**
 * What receivers are sent. A channel keeps what it receives until its new stream is there, and then goes over in one step of the channel map.
 * Only what would sound wrong meanwhile is taken off before: channels whose receiver, or whose place in a stream, comes to carry
 * something else. What cannot go over stays as it was, or is put back.
 */

/**
 * @param quieted receivers that were taken off already; null where that failed
 * @returns the streams that the device receives now, or may receive as far as is known
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
  follower.readDeviceAgain(device.id);
  return heard;
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
    const why = new Error('a channel that could not be moved still needs what is received there');
    for (const { stream } of taken) {
      await context.report.step(work.deviceId, 'receiver', stream.id, () => Promise.reject(why));
    }
  }
}

/** The channels go over: to their new streams, to nothing, or back to what they received. Whether all that could be done was done. */
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
  const told = [...clearedIn(map, work.clears), ...feeds.map((feed) => ({ channel: feed.channel, feed }))];
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
