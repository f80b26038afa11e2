import { formatAddress } from '../core/network/address';
import type { SentStreamKey } from '../core/plan/commands';
import type { Reckoning } from '../core/reckon/reckoning';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { Stream } from '../core/streams/stream';
import { NOTHING_ANNOUNCED, type AnnouncedStreams } from './announcements';
import type { Bindings } from './binding';
import { patchEnd, type ChannelMap } from './device-reader';
import type { FieldFollower } from './follower';
import { replacedBy, type SendPlan } from './send-plan';
import { quieten, sendReceiver } from './send-receivers';
import { Report, type SendContext, type SendReport } from './send-report';
import { foreignSdp, sendStream } from './send-streams';

export interface SendOptions {
  /** False: only stage, so that starting is an act of its own. */
  readonly start: boolean;
}

/**
 * Tells devices what the plan wants of them, in an order in which no wrong sound gets through: receivers of a stream whose
 * channels change in place are taken off first (a stream stays as it is where one cannot be); then senders (what is in each
 * position, then the stream itself); at each receiver the channels that change are taken off, then the stream is joined, then
 * the channels are fed. Every device gets its own report; one that fails does not stop the others.
 */
export async function send(
  work: SendPlan,
  reckoning: Reckoning,
  follower: FieldFollower,
  bindings: Bindings,
  options: SendOptions,
  announced: AnnouncedStreams = NOTHING_ANNOUNCED,
): Promise<SendReport> {
  const report = new Report();
  const context: SendContext = { reckoning, follower, bindings, announced, report, start: options.start };
  const sdpByStream = new Map<Stream, string | null>();
  const failedStreams = new Set<Stream>();
  const quieted = new Map<string, ChannelMap | null>();
  if (options.start) {
    await Promise.all(
      work.receivers
        .filter((r) => work.quietFirst.has(r.deviceId))
        .map(async (r) => quieted.set(r.deviceId, await quieten(r, context))),
    );
  }
  const bySender = groupBy(work.streams, ({ stream }) => stream.senderDeviceId);
  await Promise.all(
    [...bySender].map(async ([deviceId, items]) => {
      for (const { stream } of items) {
        const isHeard = replacedBy(stream, reckoning)?.receivers.some((r) => quieted.get(r.deviceId) === null) === true;
        if (isHeard) {
          const why = new Error('a receiver that hears it as it is could not be taken off, so it stays as it is');
          await report.step(deviceId, 'sender', stream.id, () => Promise.reject(why));
          failedStreams.add(stream);
          continue;
        }
        if (reckoning.plan.devices.get(deviceId)?.isPatchForeign === true) {
          const sdp = await foreignSdp(stream, context);
          if (sdp === undefined) failedStreams.add(stream);
          else sdpByStream.set(stream, sdp);
          continue;
        }
        const sdp = await sendStream(stream, context);
        if (sdp === undefined) failedStreams.add(stream);
        else sdpByStream.set(stream, sdp);
      }
    }),
  );
  await Promise.all(work.receivers.map((receiver) => sendReceiver(receiver, context, sdpByStream, quieted)));
  const drop: SentStreamKey[] = [];
  if (options.start) {
    await Promise.all(
      work.stops.map(async (key) => {
        const node = bindings.nodeByDevice.get(key.senderDeviceId);
        const end = node?.senders[key.streamNumber - 1];
        const isReused = work.streams.some(
          (s) => s.stream.senderDeviceId === key.senderDeviceId && s.stream.streamNumber === key.streamNumber,
        );
        if (isReused) return;
        if (!node?.device?.connectionHref || end === undefined) return;
        const href = node.device.connectionHref;
        const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
        const isStopped = await report.step(
          key.senderDeviceId,
          'sender-stop',
          `${key.senderDeviceId}/${key.streamNumber}`,
          () => patchEnd(href, 'senders', end.id, request),
        );
        if (isStopped) drop.push(key);
      }),
    );
  }
  const put = work.streams
    .filter(({ stream }) => !failedStreams.has(stream))
    .map(({ stream, receivers }) => sentRecord(stream, receivers, reckoning));
  return { devices: report.devices(), left: work.left, put, drop };
}

function groupBy<T>(items: readonly T[], key: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const item of items) {
    const group = groups.get(key(item));
    if (group) group.push(item);
    else groups.set(key(item), [item]);
  }
  return groups;
}

function sentRecord(stream: Stream, receivers: readonly string[], reckoning: Reckoning): SentStream {
  const groups = reckoning.groupsByStream.get(stream.id);
  const numbers = new Map((stream.sent?.receivers ?? []).map((r) => [r.deviceId, r.streamNumber]));
  for (const deviceId of receivers) {
    for (const lane of reckoning.lanesByReceiver.get(deviceId)?.values() ?? []) {
      if (lane.verdict !== 'refused' && lane.hearing.stream === stream)
        numbers.set(deviceId, lane.hearing.receiverStreamNumber);
    }
  }
  const text = (group: number | null | undefined) => (group == null ? null : formatAddress(group));
  return {
    senderDeviceId: stream.senderDeviceId,
    streamNumber: stream.streamNumber,
    channels: stream.channels,
    format: stream.format,
    groupA: text(groups?.A),
    groupB: text(groups?.B),
    receivers: [...numbers]
      .map(([deviceId, streamNumber]) => ({ deviceId, streamNumber }))
      .sort((a, b) => (a.deviceId < b.deviceId ? -1 : 1)),
  };
}
