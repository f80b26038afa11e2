import { readSdp } from '../core/formats/sdp';
import { formatAddress } from '../core/network/address';
import type { Reckoning } from '../core/reckon/reckoning';
import { formatKey } from '../core/streams/format';
import type { Stream } from '../core/streams/stream';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { SentStreamKey } from '../core/plan/commands';
import { announcedSdp, NOTHING_ANNOUNCED, type AnnouncedStreams } from './announcements';
import { destinationText, type AddressTranslation, type Bindings } from './binding';
import {
  activateMap,
  ownChannel,
  patchEnd,
  readChannelMap,
  readEnd,
  readTransportFile,
  type ChannelMap,
  type MapAction,
} from './device-reader';
import { isFed, receiverAction } from './receiver-map';
import { failureOf, type DeviceFailure } from './http-json';
import type { FieldNode } from './field-resources';
import type { FieldFollower, FieldSnapshot } from './follower';
import { replacedBy, type ReceiverWork, type SendPlan } from './send-plan';

export type SendStep =
  'sender-read' | 'sender-map' | 'sender' | 'sender-stop' | 'receiver' | 'receiver-map' | 'receiver-leave';

/** What was and what was not changed on one device. */
export interface DeviceReport {
  readonly deviceId: string;
  readonly done: readonly SendStep[];
  readonly failed: readonly {
    readonly step: SendStep;
    readonly streamId: string | null;
    readonly failure: DeviceFailure;
  }[];
}

export interface SendReport {
  readonly devices: readonly DeviceReport[];
  readonly left: SendPlan['left'];
  /** Records for the plan of what was told to the devices. */
  readonly put: readonly SentStream[];
  readonly drop: readonly SentStreamKey[];
}

class Report {
  private readonly byDevice = new Map<string, { done: SendStep[]; failed: DeviceReport['failed'][number][] }>();

  private of(deviceId: string) {
    let found = this.byDevice.get(deviceId);
    if (found === undefined) this.byDevice.set(deviceId, (found = { done: [], failed: [] }));
    return found;
  }

  /** Runs one step on one device; a failure is noted and does not stop the others. */
  async step(deviceId: string, step: SendStep, streamId: string | null, run: () => Promise<unknown>): Promise<boolean> {
    try {
      await run();
      const { done } = this.of(deviceId);
      if (!done.includes(step)) done.push(step);
      return true;
    } catch (error) {
      this.of(deviceId).failed.push({ step, streamId, failure: failureOf(error) });
      return false;
    }
  }

  devices(): DeviceReport[] {
    return [...this.byDevice].map(([deviceId, { done, failed }]) => ({ deviceId, done, failed }));
  }
}

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
  const field = follower.snapshot();
  const sdpByStream = new Map<Stream, string | null>();
  const failedStreams = new Set<Stream>();
  const quieted = new Map<string, ChannelMap | null>();
  if (options.start) {
    await Promise.all(
      work.receivers
        .filter((r) => work.quietFirst.has(r.deviceId))
        .map(async (r) => quieted.set(r.deviceId, await quieten(r, reckoning, bindings, report))),
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
          const sdp = await foreignSdp(stream, reckoning, bindings, announced, report);
          if (sdp === undefined) failedStreams.add(stream);
          else sdpByStream.set(stream, sdp);
          continue;
        }
        const sdp = await sendStream(
          stream,
          bindings.nodeByDevice.get(deviceId) as FieldNode,
          reckoning,
          bindings.translation,
          follower,
          report,
          options,
        );
        if (sdp === undefined) failedStreams.add(stream);
        else sdpByStream.set(stream, sdp);
      }
    }),
  );
  await Promise.all(
    work.receivers.map((receiver) =>
      sendReceiver(receiver, reckoning, field, follower, bindings, sdpByStream, quieted, report, options),
    ),
  );
  const drop: SentStreamKey[] = [];
  if (options.start) {
    await Promise.all(
      work.stops.map(async (key) => {
        const node = bindings.nodeByDevice.get(key.senderDeviceId);
        const end = node?.senders[key.slot - 1];
        const isReused = work.streams.some(
          (s) => s.stream.senderDeviceId === key.senderDeviceId && s.stream.slot === key.slot,
        );
        if (isReused) return;
        if (!node?.device?.connectionHref || end === undefined) return;
        const href = node.device.connectionHref;
        const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
        const isStopped = await report.step(
          key.senderDeviceId,
          'sender-stop',
          `${key.senderDeviceId}/${key.slot}`,
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

/** The stream's groups in the order of the device's legs: A first. */
function legsOf(
  stream: Stream,
  reckoning: Reckoning,
  translation: AddressTranslation | null,
  sourceIps: readonly (string | null)[] = [],
) {
  const groups = reckoning.groupsByStream.get(stream.id);
  const count = Math.max(stream.legs.includes('B') ? 2 : 1, 1);
  return (['A', 'B'] as const).slice(0, count).map((leg, index) => {
    const group = stream.legs.includes(leg) ? (groups?.[leg] ?? null) : null;
    return {
      group: group === null ? null : destinationText(group, translation),
      port: reckoning.plan.settings.rtpPort,
      sourceIp: sourceIps[index] ?? null,
    };
  });
}

/** Returns the stream's SDP (null while it is only staged), or undefined when the sender could not be set. */
async function sendStream(
  stream: Stream,
  node: FieldNode,
  reckoning: Reckoning,
  translation: AddressTranslation | null,
  follower: FieldFollower,
  report: Report,
  { start }: SendOptions,
): Promise<string | null | undefined> {
  const end = node.senders[stream.slot - 1];
  const device = node.device;
  const href = device?.connectionHref;
  if (!device || !href || end === undefined) {
    await report.step(stream.senderDeviceId, 'sender', stream.id, () =>
      Promise.reject(new Error(`the device has no sender number ${stream.slot}`)),
    );
    return undefined;
  }
  if (start) {
    const isMapped = await report.step(stream.senderDeviceId, 'sender-map', stream.id, async () => {
      const mapHref = device.channelMapHref;
      if (!mapHref) throw new Error('the device offers no channel map');
      const map = await readChannelMap(mapHref);
      const sourceId = follower.snapshot().sourceOfSender(end.id);
      const output = map.outputs.find((o) => o.sourceId !== null && o.sourceId === sourceId);
      if (output === undefined) throw new Error(`the channel map has no output for stream ${stream.slot}`);
      const entries: MapAction[string] = {};
      for (let index = 0; index < output.channels; index += 1) {
        const channel = stream.channels[index];
        const own = channel === undefined ? null : ownChannel(map.inputs, (i) => i.receiverId === null, channel);
        if (channel !== undefined && own === null) throw new Error(`the channel map has no input channel ${channel}`);
        entries[String(index)] = own
          ? { input: own.id, channel_index: own.index }
          : { input: null, channel_index: null };
      }
      await activateMap(mapHref, { [output.id]: entries });
    });
    if (!isMapped) return undefined;
  }
  let sdp: string | null = null;
  const isSent = await report.step(stream.senderDeviceId, 'sender', stream.id, async () => {
    const legs = legsOf(stream, reckoning, translation).map((l) => ({ ...l, sourceIp: null }));
    await patchEnd(href, 'senders', end.id, { isEnabled: true, peerId: null, legs, sdp: null, activate: start });
    follower.noteReading('senders', end.id, await readEnd(href, 'senders', end.id));
    if (!start) return;
    sdp = await readTransportFile(href, end.id);
    mustBeAsPlanned(stream, sdp);
  });
  return isSent ? sdp : undefined;
}

function mustBeAsPlanned(stream: Stream, sdp: string): void {
  const { audio, problems } = readSdp(sdp);
  if (audio === null) throw new Error(`its SDP cannot be read: ${problems[0]?.problem ?? ''}`);
  if (formatKey(audio.format) !== stream.formatKey || audio.channels < stream.channels.length) {
    throw new Error(
      `it sends ${audio.channels} channels of ${formatKey(audio.format)}, the plan wants ${stream.channels.length} of ${stream.formatKey}`,
    );
  }
}

/** The SDP of a stream whose sender is never written: as the sender tells it where it is in the registry, else as announced. */
async function foreignSdp(
  stream: Stream,
  reckoning: Reckoning,
  bindings: Bindings,
  announced: AnnouncedStreams,
  report: Report,
): Promise<string | undefined> {
  const node = bindings.nodeByDevice.get(stream.senderDeviceId);
  const end = node?.senders[stream.slot - 1];
  const href = node?.device?.connectionHref;
  let sdp: string | undefined;
  const isRead = await report.step(stream.senderDeviceId, 'sender-read', stream.id, async () => {
    const told =
      href && end
        ? await readTransportFile(href, end.id)
        : announcedSdp(stream, reckoning, bindings.translation, announced);
    if (told === null) throw new Error('it is not announced any more');
    mustBeAsPlanned(stream, told);
    sdp = told;
  });
  return isRead ? sdp : undefined;
}

async function sendReceiver(
  work: ReceiverWork,
  reckoning: Reckoning,
  field: FieldSnapshot,
  follower: FieldFollower,
  bindings: Bindings,
  sdpByStream: ReadonlyMap<Stream, string | null>,
  quieted: ReadonlyMap<string, ChannelMap | null>,
  report: Report,
  { start }: SendOptions,
): Promise<void> {
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
  const map = !start
    ? null
    : quieted.has(deviceId)
      ? (quieted.get(deviceId) ?? null)
      : await quieten(work, reckoning, bindings, report);
  if (start && map === null) return;
  for (const { stream, slot } of joins) {
    const end = node.receivers[slot - 1];
    const senderEnd = bindings.nodeByDevice.get(stream.senderDeviceId)?.senders[stream.slot - 1];
    const isJoined = await report.step(deviceId, 'receiver', stream.id, async () => {
      if (end === undefined) throw new Error(`the device has no receiver number ${slot}`);
      const senderReading = senderEnd && follower.snapshot().readings.get(senderEnd.id);
      const legs = legsOf(
        stream,
        reckoning,
        bindings.translation,
        senderReading?.active.legs.map((l) => l.sourceIp),
      );
      const own = field.readings.get(end.id)?.active.legs.length ?? legs.length;
      const sdp = sdpByStream.get(stream) ?? null;
      const request = {
        isEnabled: true,
        peerId: senderEnd?.id ?? null,
        legs: legs.slice(0, own),
        sdp,
        activate: start,
      };
      await patchEnd(href, 'receivers', end.id, request);
      follower.noteReading('receivers', end.id, await readEnd(href, 'receivers', end.id));
    });
    if (isJoined) joined.add(slot);
  }
  if (!start) return;
  for (const slot of work.leaves) {
    const end = node.receivers[slot - 1];
    if (end === undefined) continue;
    await report.step(deviceId, 'receiver-leave', null, async () => {
      const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
      await patchEnd(href, 'receivers', end.id, request);
      follower.noteReading('receivers', end.id, await readEnd(href, 'receivers', end.id));
    });
  }
  const feeds = work.feeds.filter((f) => joined.has(f.slot));
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
async function quieten(
  work: ReceiverWork,
  reckoning: Reckoning,
  bindings: Bindings,
  report: Report,
): Promise<ChannelMap | null> {
  const node = bindings.nodeByDevice.get(work.deviceId);
  const mapHref = node?.device?.channelMapHref;
  if (!node || !mapHref) return null;
  // In a stream that is laid out anew another channel comes to stand in the same position.
  const isReplaced = ({ slot, position }: ReceiverWork['feeds'][number]) => {
    const stream = work.joins.find((j) => j.slot === slot)?.stream;
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

function sentRecord(stream: Stream, receivers: readonly string[], reckoning: Reckoning): SentStream {
  const groups = reckoning.groupsByStream.get(stream.id);
  const slots = new Map((stream.sent?.receivers ?? []).map((r) => [r.deviceId, r.slot]));
  for (const deviceId of receivers) {
    for (const lane of reckoning.lanesByReceiver.get(deviceId)?.values() ?? []) {
      if (lane.verdict !== 'refused' && lane.hearing.stream === stream) slots.set(deviceId, lane.hearing.receiverSlot);
    }
  }
  const text = (group: number | null | undefined) => (group == null ? null : formatAddress(group));
  return {
    senderDeviceId: stream.senderDeviceId,
    slot: stream.slot,
    channels: stream.channels,
    format: stream.format,
    groupA: text(groups?.A),
    groupB: text(groups?.B),
    receivers: [...slots]
      .map(([deviceId, slot]) => ({ deviceId, slot }))
      .sort((a, b) => (a.deviceId < b.deviceId ? -1 : 1)),
  };
}
