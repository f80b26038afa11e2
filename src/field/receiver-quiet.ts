import { isAlwaysFed, type ChannelMap } from '../core/formats/is08';
import type { Stream } from '../core/streams/stream';
import {
  activateMap,
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
import { clearedIn, receiverAction, nowOf, entriesBefore } from './receiver-map';
import type { Reckoning } from '../core/reckon/reckoning';
import { replacedBy, type ReceiverWork } from './send-plan';
import type { SendContext } from './send-report';
import { type Join, isJoined, isReplacedAt, activeOf, type SentStreams } from './receiver-joins';

/** Channels of a receiver that would sound wrong while a send is under way are taken off first, and come back. */

/** A receiver before anything else moves. */
export interface TakenOff {
  /** Its channel map as it was; null: it has none. */
  readonly map: ChannelMap | null;
  /** The entries that were taken off. */
  readonly off: MapAction;
  /** Without a channel map: receivers that were switched off, as they were, and what they are to receive. */
  readonly muted: readonly Muted[];
}

interface Muted {
  readonly join: Join;
  readonly endId: string;
  readonly before: EndBefore;
}

/** Channels that would receive something wrong between the first step and the last, unless they are taken off. */
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

/** What keeps a channel silent where nothing may not feed it: its new place, in a stream that is not received yet. Null: there is none. */
function silentFeed(channel: number, work: ReceiverWork, context: SendContext): ReceiverWork['feeds'][number] | null {
  const feed = work.feeds.find((f) => f.channel === channel);
  const join = feed && work.joins.find((j) => j.streamNumber === feed.streamNumber);
  return join && activeOf(join, work, context)?.isEnabled === false ? (feed ?? null) : null;
}

/**
 * Takes off the channels of a receiver that would sound wrong meanwhile. Null where that failed.
 * @param whole all that was to be sent to the device, where `work` is what is left of it
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
    const cleared = clearedIn(read, work.clears);
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
 * Without a channel map: switches off the receivers that receive a stream which is laid out again under its number, as they would receive the new one
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

/** What was switched off and did not come to receive its new stream receives its old one again, where that is as it was. */
export async function unmute(
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

/** Channels of a block that may go silent with the rest of it: those that change too, or that the plan wants nothing at. */
export function mayGoWith(work: ReceiverWork, reckoning: Reckoning): (channel: number) => boolean {
  const told = new Set([...work.clears, ...work.feeds.map((f) => f.channel)]);
  const lanes = reckoning.lanesByReceiver.get(work.deviceId);
  return (channel) => told.has(channel) || lanes?.get(channel) === undefined;
}
