import { networkEndsOf, type ChannelMap } from '../core/formats/is08';
import type { Stream } from '../core/streams/stream';
import { orderOf } from './device-order';
import {
  activateMapAt,
  isOnLegs,
  cancelActivation,
  cancelMapActivation,
  readActivation,
  readChannelMap,
  readEnd,
  readMapChange,
  type MapAction,
} from './device-reader';
import { connectionHrefOf, type FieldNode } from './field-resources';
import { activationAt, lateBy, type Moment } from './moment';
import { clearedIn, nowOf, receiverAction } from './receiver-map';
import type { ReceiverWork } from './send-plan';
import { isJoined, joinAll, leaveAll, legsFor, type Join, type SentStreams } from './receiver-joins';
import { mayGoWith } from './receiver-quiet';
import type { SendContext } from './send-report';
import { steadyNow } from './steady-clock';

/**
 * Changing many receivers over at one moment (IS-05 and IS-08, scheduled activation). All that can stand before stands before: senders, and streams
 * that come to a receiver that is free. What remains is sent to each device beforehand with the moment: the change of its channel
 * map, and of receivers that still receive something else.
 */

export interface PreparedReceiver {
  readonly work: ReceiverWork;
  readonly moment: Moment;
  /** Streams that it receives now, or will. */
  readonly heard: ReadonlySet<Stream>;
  readonly joined: ReadonlySet<Stream>;
  /** Joins that are made at the moment. */
  readonly later: readonly Join[];
  readonly map: { readonly href: string; readonly action: MapAction; readonly id: string } | null;
}

/** Sends a receiver what it is to do at the moment. Null: it could not be sent, and nothing of it changes then. */
export async function prepareReceiver(
  work: ReceiverWork,
  context: SendContext,
  sent: SentStreams,
  moment: Moment,
): Promise<PreparedReceiver | null> {
  const { bindings, report, reckoning } = context;
  const node = bindings.nodeByDevice.get(work.deviceId) as FieldNode;
  const href = node.device?.channelMapHref ?? null;
  const isInOrder = orderOf(reckoning.plan, work.deviceId, 'receive', node) !== null;
  const joins = work.joins.filter(({ stream }) => sent.sdpByStream.has(stream));
  let map: ChannelMap | null = null;
  if (!isInOrder) {
    const isRead = await report.step(work.deviceId, 'receiver-moment', null, async () => {
      if (href === null) throw new Error('the device offers no channel map');
      map = await readChannelMap(href);
    });
    if (!isRead) return null;
  }
  /** A receiver that receives something now has to wait; a free one need not. */
  const isInUse = (join: Join): boolean => {
    if (map === null) return true;
    const read = map;
    const own = networkEndsOf(read).received.reduce((sum, o) => sum + o.channels, 0);
    return Array.from({ length: own }, (_, n) => nowOf(read, node, n + 1)?.streamNumber).includes(join.streamNumber);
  };
  const later = joins.filter((join) => !isJoined(join, work, context) && isInUse(join));
  const { joined, heard } = await joinAll(joins, work, context, sent, (join) =>
    later.includes(join) ? activationAt(moment) : null,
  );
  const prepared = { work, moment, heard, joined, later: later.filter((j) => joined.has(j.stream)) };
  if (map === null) return { ...prepared, map: null };
  const streamAt = (streamNumber: number) => work.joins.find((j) => j.streamNumber === streamNumber)?.stream;
  const told = [
    ...clearedIn(map, work.clears),
    ...work.feeds.flatMap((feed) => {
      const stream = streamAt(feed.streamNumber);
      return stream !== undefined && joined.has(stream) ? [{ channel: feed.channel, feed }] : [];
    }),
  ];
  if (told.length === 0) return { ...prepared, map: null };
  const read: ChannelMap = map;
  let change: PreparedReceiver['map'] = null;
  const isTold = await report.step(work.deviceId, 'receiver-moment', null, async () => {
    const action = receiverAction(read, node, told, mayGoWith(work, reckoning));
    const id = await activateMapAt(href as string, action, activationAt(moment));
    change = { href: href as string, action, id };
  });
  if (isTold) return { ...prepared, map: change };
  // Without its channels the receivers must not go over by themselves.
  await takeBack({ ...prepared, map: null }, context);
  return null;
}

/** Waits for the moment; false: it was stopped before. */
export async function untilMoment({ atMs }: Moment, isStopped: () => boolean): Promise<boolean> {
  // Whoever sets the clock of this computer meanwhile moves nothing.
  const until = steadyNow() + atMs - Date.now();
  while (steadyNow() < until) {
    if (isStopped()) return false;
    await new Promise((resolve) => setTimeout(resolve, Math.min(100, Math.max(1, until - steadyNow()))));
  }
  return !isStopped();
}

/** How long after the moment a device may take until it has to have changed over, and how often it is looked at. */
const GRACE_MS = 2_000;
const LOOK_EVERY_MS = 100;

/** Reads what a receiver made of the moment, and by how much it was late. */
export async function confirmReceiver(prepared: PreparedReceiver, context: SendContext): Promise<void> {
  const { work, moment, later, map } = prepared;
  const { bindings, follower, report } = context;
  const node = bindings.nodeByDevice.get(work.deviceId) as FieldNode;
  const until = steadyNow() + GRACE_MS;
  const soon = async (isDone: () => Promise<boolean>) => {
    while (!(await isDone())) {
      if (steadyNow() > until) throw new Error(`it had not changed over ${GRACE_MS / 1000} s after the moment`);
      await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
    }
  };
  for (const join of later) {
    const end = node.receivers[join.streamNumber - 1];
    const href = end && connectionHrefOf(node, end);
    if (end === undefined || !href) continue;
    await report.step(work.deviceId, 'receiver', join.stream.id, async () => {
      await soon(async () => {
        const reading = await readEnd(href, 'receivers', end.id);
        follower.noteReading('receivers', end.id, reading);
        const { active } = reading;
        return active.isEnabled && isOnLegs(active.legs, legsFor(join, work, active.legs, context));
      });
      report.late(work.deviceId, lateBy(moment, await readActivation(href, 'receivers', end.id)));
    });
  }
  if (map !== null) {
    await report.step(work.deviceId, 'receiver-map', null, async () => {
      let activation: unknown = null;
      await soon(async () => {
        const now = await readMapChange(map.href, map.action);
        activation = now.activation;
        return now.isDone;
      });
      report.late(work.deviceId, lateBy(moment, activation));
    });
  }
  // What has not come by now must not come by itself later.
  if (report.hasFailed(work.deviceId)) await takeBack(prepared, context);
  const isAllThere = work.joins.every(({ stream }) => prepared.joined.has(stream));
  if (isAllThere && !report.hasFailed(work.deviceId)) await leaveAll(work, context);
  const device = node.device;
  if (device !== null) follower.readDeviceAgain(device.id);
}

/** The moment is not to come: what devices were sent for it is taken back. */
export async function takeBack({ work, later, map }: PreparedReceiver, context: SendContext): Promise<void> {
  const { bindings, report } = context;
  const node = bindings.nodeByDevice.get(work.deviceId) as FieldNode;
  if (map !== null) {
    await report.step(work.deviceId, 'receiver-restore', null, () => cancelMapActivation(map.href, map.id));
  }
  for (const join of later) {
    const end = node.receivers[join.streamNumber - 1];
    const href = end && connectionHrefOf(node, end);
    if (end === undefined || !href) continue;
    await report.step(work.deviceId, 'receiver-restore', join.stream.id, () =>
      cancelActivation(href, 'receivers', end.id),
    );
  }
}
