import type { Reckoning } from '../core/reckon/reckoning';
import type { Stream } from '../core/streams/stream';
import { activateMap, patchEnd, readChannelMap, readEnd } from './device-reader';
import type { ChannelMap } from '../core/formats/is08';
import type { FieldNode } from './field-resources';
import { isFed, receiverAction } from './receiver-map';
import { replacedBy, type ReceiverWork } from './send-plan';
import type { SendContext } from './send-report';
import { placedLegs } from './stream-legs';

/** Telling receivers: the channels that change are taken off, then streams are joined, then the channels are fed. */

/**
 * @param sdpByStream the streams that are sent, each with its SDP; null while it is only staged
 * @param quieted receivers that were taken off already, with their maps; null where that failed
 */
export async function sendReceiver(
  work: ReceiverWork,
  context: SendContext,
  sdpByStream: ReadonlyMap<Stream, string | null>,
  quieted: ReadonlyMap<string, ChannelMap | null>,
): Promise<void> {
  const { reckoning, follower, bindings, report, start } = context;
  const { deviceId } = work;
  const node = bindings.nodeByDevice.get(deviceId) as FieldNode;
  const device = node.device;
  const href = device?.connectionHref;
  const mapHref = device?.channelMapHref;
  const joins = work.joins.filter(({ stream }) => sdpByStream.has(stream));
  const joined = new Set<number>();
  if (!device || !href || !mapHref) {
    await report.step(deviceId, 'receiver', null, () =>
      Promise.reject(new Error('the device offers no connection management or no channel map')),
    );
    return;
  }
  const map = !start ? null : quieted.has(deviceId) ? (quieted.get(deviceId) ?? null) : await quieten(work, context);
  if (start && map === null) return;
  for (const { stream, streamNumber } of joins) {
    const end = node.receivers[streamNumber - 1];
    const senderEnd = bindings.nodeByDevice.get(stream.senderDeviceId)?.senders[stream.streamNumber - 1];
    const isJoined = await report.step(deviceId, 'receiver', stream.id, async () => {
      if (end === undefined) throw new Error(`the device has no receiver number ${streamNumber}`);
      const senderReading = senderEnd && follower.snapshot().readings.get(senderEnd.id);
      const { active } = follower.snapshot().readings.get(end.id) ?? (await readEnd(href, 'receivers', end.id));
      const legs = placedLegs(stream, deviceId, active.legs, context, senderReading?.active ?? null);
      if (legs.every((l) => l === null)) throw new Error('the device has no leg that hears this stream');
      const sdp = sdpByStream.get(stream) ?? null;
      const request = { isEnabled: true, peerId: senderEnd?.id ?? null, legs, sdp, activate: start };
      await patchEnd(href, 'receivers', end.id, request);
      follower.noteReading('receivers', end.id, await readEnd(href, 'receivers', end.id));
    });
    if (isJoined) joined.add(streamNumber);
  }
  if (!start) return;
  for (const streamNumber of work.leaves) {
    const end = node.receivers[streamNumber - 1];
    if (end === undefined) continue;
    await report.step(deviceId, 'receiver-leave', null, async () => {
      const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
      await patchEnd(href, 'receivers', end.id, request);
      follower.noteReading('receivers', end.id, await readEnd(href, 'receivers', end.id));
    });
  }
  const feeds = work.feeds.filter((f) => joined.has(f.streamNumber));
  if (feeds.length > 0) {
    await report.step(deviceId, 'receiver-map', null, async () => {
      const entries = receiverAction(
        map as ChannelMap,
        node,
        feeds.map((feed) => ({ channel: feed.channel, feed })),
        mayGoWith(work, reckoning),
      );
      await activateMap(mapHref, entries);
    });
  }
  follower.readDeviceAnew(device.id);
}

/** Channels of a block that may go silent with the rest of it: those that are told of too, or that the plan wants nothing at. */
function mayGoWith(work: ReceiverWork, reckoning: Reckoning): (channel: number) => boolean {
  const told = new Set([...work.clears, ...work.feeds.map((f) => f.channel)]);
  const lanes = reckoning.lanesByReceiver.get(work.deviceId);
  return (channel) => told.has(channel) || lanes?.get(channel) === undefined;
}

/** Takes off the channels of a receiver whose feed changes, before anything else moves. Null where that failed. */
export async function quieten(
  work: ReceiverWork,
  { reckoning, bindings, report }: SendContext,
): Promise<ChannelMap | null> {
  const node = bindings.nodeByDevice.get(work.deviceId);
  const mapHref = node?.device?.channelMapHref;
  if (!node || !mapHref) return null;
  // In a stream that is laid out anew another channel comes to stand in the same position.
  const isReplaced = ({ streamNumber, position }: ReceiverWork['feeds'][number]) => {
    const stream = work.joins.find((j) => j.streamNumber === streamNumber)?.stream;
    const was = stream && replacedBy(stream, reckoning);
    return was != null && was.channels[position - 1] !== stream?.channels[position - 1];
  };
  const mayGo = mayGoWith(work, reckoning);
  let map: ChannelMap | null = null;
  const isQuiet = await report.step(work.deviceId, 'receiver-map', null, async () => {
    const read = await readChannelMap(mapHref);
    // Before anything is taken off it is known that the device can take what comes after.
    const cleared = work.clears.map((channel) => ({ channel, feed: null }));
    receiverAction(read, node, [...cleared, ...work.feeds.map((feed) => ({ channel: feed.channel, feed }))], mayGo);
    const changing = work.feeds.filter((f) => !isFed(read, node, f) || isReplaced(f)).map((f) => f.channel);
    const off = [...changing, ...work.clears].map((channel) => ({ channel, feed: null }));
    const entries = receiverAction(read, node, off, mayGo);
    if (Object.keys(entries).length > 0) await activateMap(mapHref, entries);
    map = read;
  });
  return isQuiet ? map : null;
}
