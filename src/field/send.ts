import { readSdp } from '../core/formats/sdp';
import { formatAddress } from '../core/network/address';
import type { SentStreamKey } from '../core/plan/commands';
import type { Reckoning } from '../core/reckon/reckoning';
import type { Plan } from '../core/plan/plan';
import type { StreamEnd } from '../core/streams/stream-ends-table';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { Stream } from '../core/streams/stream';
import { NOTHING_ANNOUNCED, type AnnouncedStreams } from './announcements';
import type { Bindings } from './binding';
import { patchEnd } from './device-reader';
import { connectionHrefOf } from './field-resources';
import type { FieldFollower } from './follower';
import { inTurns } from './in-turns';
import type { Moment } from './moment';
import { confirmReceiver, prepareReceiver, takeBack, untilMoment, type PreparedReceiver } from './send-at-moment';
import { replacedBy, type ChannelRef, type SendPlan } from './send-plan';
import { quieten, type TakenOff } from './receiver-quiet';
import { sendReceiver } from './send-receivers';
import { answeringOf, NO_HOOKS, Report, type SendContext, type SendHooks, type SendReport } from './send-report';
import { foreignSdp, sendStream } from './send-streams';

interface SendOptions {
  /** False: only stage, so that starting is an act of its own. */
  readonly start: boolean;
  /** When receivers change over, where that is not at once. */
  readonly at?: Moment;
}

/**
 * Tells devices what the plan wants of them, in an order in which no wrong sound gets through and nothing that carries is taken away before its
 * successor stands: channels of a stream that is laid out again in place are taken off first (a stream stays as it is where one
 * cannot be); then senders (what is in each position, then the stream itself); then each receiver joins its streams, its channels go
 * over, and it leaves what it needs no more; last, streams that everybody has left are stopped. A step that fails puts back what it changed.
 * Every device gets its own report; one that fails does not stop the others. A send that is stopped begins with nothing more,
 * and brings to an end what it has taken off.
 */
export async function send(
  work: SendPlan,
  reckoning: Reckoning,
  follower: FieldFollower,
  bindings: Bindings,
  options: SendOptions,
  announced: AnnouncedStreams = NOTHING_ANNOUNCED,
  hooks: SendHooks = NO_HOOKS,
): Promise<SendReport> {
  const report = new Report(hooks.tell, answeringOf(follower, bindings));
  const context: SendContext = { reckoning, follower, bindings, announced, report, start: options.start };
  const sdpByStream = new Map<Stream, string | null>();
  const failedStreams = new Set<Stream>();
  const asTheyWere = new Set<Stream>();
  /** By stream: who receives it now, or may. */
  const receiving = new Map<Stream, Set<string>>();
  const quieted = new Map<string, TakenOff | null>();
  const sendersNotBegun = new Set<string>();
  const receiversNotBegun = new Set<string>();
  const first = options.start ? work.receivers.filter((r) => work.quietFirst.has(r.deviceId)) : [];
  const firstIds = new Set(first.map((r) => r.deviceId));
  // Once one of them is off, a stop takes the others off too: only then can the stream change, and all of them receive again.
  if (!hooks.isStopped()) await inTurns(first, async (r) => quieted.set(r.deviceId, await quieten(r, context)));
  // What was taken off receives again only when its streams are there.
  const isAwaited = ({ receivers }: SendPlan['streams'][number]) => receivers.some((id) => quieted.get(id) != null);
  const sendOne = async (stream: Stream): Promise<void> => {
    const { senderDeviceId } = stream;
    const was = replacedBy(stream, reckoning);
    // Whoever could not be taken off, or was not, keeps receiving what is there.
    const isReceived = was?.receivers.some((r) => firstIds.has(r.deviceId) && quieted.get(r.deviceId) == null) === true;
    if (isReceived) {
      const why = new Error('a receiver of it could not be switched off, so it stays as it is');
      await report.step(senderDeviceId, 'sender', stream.id, () => Promise.reject(why));
      failedStreams.add(stream);
      asTheyWere.add(stream);
      return;
    }
    const isForeign = reckoning.plan.devices.get(senderDeviceId)?.isPatchForeign === true;
    const outcome = isForeign ? await foreignSdp(stream, context) : await sendStream(stream, context);
    if (outcome.isSent) sdpByStream.set(stream, outcome.sdp);
    else failedStreams.add(stream);
    if (!outcome.isSent && outcome.isAsItWas) asTheyWere.add(stream);
  };
  const bySender = groupBy(work.streams, ({ stream }) => stream.senderDeviceId);
  await inTurns([...bySender], async ([deviceId, items]) => {
    for (const item of items) {
      if (!hooks.isStopped() || isAwaited(item)) await sendOne(item.stream);
      else {
        failedStreams.add(item.stream);
        asTheyWere.add(item.stream);
        sendersNotBegun.add(deviceId);
      }
    }
  });
  if (options.start && options.at !== undefined) {
    await changeOverAt(options.at);
  } else
    await inTurns(work.receivers, async (receiver) => {
      if (!hooks.isStopped() || quieted.get(receiver.deviceId) != null) {
        const heard = await sendReceiver(receiver, context, { sdpByStream, asTheyWere }, quieted);
        for (const stream of heard) receiving.set(stream, (receiving.get(stream) ?? new Set()).add(receiver.deviceId));
      } else receiversNotBegun.add(receiver.deviceId);
    });
  /** Everything is made ready, then all wait for the moment together. */
  async function changeOverAt(moment: Moment): Promise<void> {
    const ready: PreparedReceiver[] = [];
    await inTurns(work.receivers, async (receiver) => {
      if (hooks.isStopped()) return void receiversNotBegun.add(receiver.deviceId);
      const prepared = await prepareReceiver(receiver, context, { sdpByStream, asTheyWere }, moment);
      if (prepared !== null) ready.push(prepared);
    });
    const hasCome = await untilMoment(moment, hooks.isStopped);
    await inTurns(ready, async (prepared) => {
      if (hasCome) await confirmReceiver(prepared, context);
      else {
        await takeBack(prepared, context);
        receiversNotBegun.add(prepared.work.deviceId);
      }
      const late = new Set(hasCome ? [] : prepared.later.map((j) => j.stream));
      for (const stream of prepared.heard) {
        if (!late.has(stream)) receiving.set(stream, (receiving.get(stream) ?? new Set()).add(prepared.work.deviceId));
      }
    });
  }
  const drop: SentStreamKey[] = [];
  /** Whether a device that received a stream has gone over to all that it was to receive. */
  const hasGoneOver = (deviceId: string): boolean => {
    const own = work.receivers.find((r) => r.deviceId === deviceId);
    if (own === undefined) return true;
    return (
      !report.hasFailed(deviceId) &&
      !receiversNotBegun.has(deviceId) &&
      own.joins.every(({ stream }) => sdpByStream.has(stream))
    );
  };
  if (options.start) {
    await inTurns(work.stops, async (key) => {
      const node = bindings.nodeByDevice.get(key.senderDeviceId);
      const end = node?.senders[key.streamNumber - 1];
      const isReused = work.streams.some(
        (s) => s.stream.senderDeviceId === key.senderDeviceId && s.stream.streamNumber === key.streamNumber,
      );
      const record = reckoning.plan.sentStreams.get(key.senderDeviceId)?.get(key.streamNumber);
      const isNeeded = record?.receivers.some((r) => !hasGoneOver(r.deviceId)) === true;
      if (isReused || isNeeded || hooks.isStopped()) return;
      const href = node && end && connectionHrefOf(node, end);
      if (!href || end === undefined) return;
      const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
      const isStopped = await report.step(
        key.senderDeviceId,
        'sender-stop',
        `${key.senderDeviceId}/${key.streamNumber}`,
        () => patchEnd(href, 'senders', end.id, request),
      );
      if (isStopped) drop.push(key);
    });
  }
  const put = work.streams
    .filter(({ stream }) => !failedStreams.has(stream))
    .map(({ stream, receivers }) =>
      sentRecord(
        stream,
        receivers.filter((id) => receiving.get(stream)?.has(id)),
        reckoning,
        sdpByStream.get(stream) ?? null,
      ),
    );
  return {
    devices: report.devices(),
    left: work.left,
    put: [...put, ...withoutThoseWhoLeft(reckoning.plan, put, drop)],
    drop,
    notBegun: [...new Set([...sendersNotBegun, ...receiversNotBegun])],
    again: channelsToSendAgain(work, (id) => report.hasFailed(id) || receiversNotBegun.has(id), failedStreams),
  };
}

/**
 * What the plan will say was sent once everything is: it is recorded before the first device is, so that a server which stops in between
 * knows of all that may have been sent.
 */
export function recordsToBe(work: SendPlan, reckoning: Reckoning): SentStream[] {
  return work.streams.map(({ stream, receivers }) => sentRecord(stream, receivers, reckoning));
}

/** Which senders and receivers the streams of a send are, as far as the plan does not know that yet. */
export function endsToBe({ streams, receivers }: SendPlan, plan: Plan, { nodeByDevice }: Bindings): StreamEnd[] {
  const all = [
    ...streams.map(({ stream: { senderDeviceId, streamNumber } }) => ({
      ...{ deviceId: senderDeviceId, side: 'send' as const, streamNumber },
      endId: nodeByDevice.get(senderDeviceId)?.senders[streamNumber - 1]?.id,
    })),
    ...receivers.flatMap(({ deviceId, joins }) =>
      joins.map(({ streamNumber }) => ({
        ...{ deviceId, side: 'receive' as const, streamNumber },
        endId: nodeByDevice.get(deviceId)?.receivers[streamNumber - 1]?.id,
      })),
    ),
  ];
  return all.flatMap(({ endId, ...end }) => {
    const known = plan.streamEnds.get(end.deviceId)?.get(`${end.side}/${end.streamNumber}`);
    return endId === undefined || known?.endId === endId ? [] : [{ ...end, endId }];
  });
}

/** Channels of receivers that did not do everything, and those fed from streams that are not there. */
function channelsToSendAgain(
  work: SendPlan,
  isUndone: (deviceId: string) => boolean,
  failedStreams: ReadonlySet<Stream>,
): ChannelRef[] {
  return work.receivers.flatMap(({ deviceId, feeds, clears, joins }) => {
    const streamOf = (streamNumber: number) => joins.find((j) => j.streamNumber === streamNumber)?.stream;
    const isMissing = (streamNumber: number) => {
      const stream = streamOf(streamNumber);
      return stream !== undefined && failedStreams.has(stream);
    };
    const fed = feeds.filter((f) => isUndone(deviceId) || isMissing(f.streamNumber)).map((f) => f.channel);
    return [...fed, ...(isUndone(deviceId) ? clears : [])].map((channel) => ({ deviceId, channel }));
  });
}

/** Records of other streams whose receivers have come to receive one of these in the same place: what they receive no more is forgotten. */
function withoutThoseWhoLeft(plan: Plan, put: readonly SentStream[], drop: readonly SentStreamKey[]): SentStream[] {
  const placeOf = (deviceId: string, streamNumber: number) => `${deviceId} ${streamNumber}`;
  const taken = new Set(put.flatMap((s) => s.receivers.map((r) => placeOf(r.deviceId, r.streamNumber))));
  const isOf = (record: SentStream) => (key: SentStreamKey) =>
    key.senderDeviceId === record.senderDeviceId && key.streamNumber === record.streamNumber;
  const others: SentStream[] = [];
  for (const own of plan.sentStreams.values()) {
    for (const record of own.values()) {
      if (put.some(isOf(record)) || drop.some(isOf(record))) continue;
      const receivers = record.receivers.filter((r) => !taken.has(placeOf(r.deviceId, r.streamNumber)));
      if (receivers.length < record.receivers.length) others.push({ ...record, receivers });
    }
  }
  return others;
}

/** How many channels a sender says that it sends; null: as many as planned. */
function widthSaid(sdp: string, stream: Stream): number | null {
  const channels = readSdp(sdp).audio?.channels;
  return channels === undefined || channels === stream.channels.length ? null : channels;
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

/** @param sdp what the sender says that it sends; null: it has not said yet */
function sentRecord(
  stream: Stream,
  receivers: readonly string[],
  reckoning: Reckoning,
  sdp: string | null = null,
): SentStream {
  const groups = reckoning.groupsByStream.get(stream.id);
  const numbers = new Map((stream.sent?.receivers ?? []).map((r) => [r.deviceId, r.streamNumber]));
  for (const deviceId of receivers) {
    for (const lane of reckoning.lanesByReceiver.get(deviceId)?.values() ?? []) {
      if (lane.verdict !== 'refused' && lane.reception.stream === stream)
        numbers.set(deviceId, lane.reception.receiverStreamNumber);
    }
  }
  const width = sdp === null ? (stream.sent?.width ?? null) : widthSaid(sdp, stream);
  const text = (group: number | null | undefined) => (group == null ? null : formatAddress(group));
  return {
    senderDeviceId: stream.senderDeviceId,
    streamNumber: stream.streamNumber,
    channels: stream.channels,
    format: stream.format,
    ...(width === null ? {} : { width }),
    groupA: text(groups?.A),
    groupB: text(groups?.B),
    receivers: [...numbers]
      .map(([deviceId, streamNumber]) => ({ deviceId, streamNumber }))
      .sort((a, b) => (a.deviceId < b.deviceId ? -1 : 1)),
  };
}
