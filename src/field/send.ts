import { readSdp } from '../core/formats/sdp';
import { formatAddress } from '../core/network/address';
import type { LaneCarried } from '../core/reckon/lane';
import type { Reckoning } from '../core/reckon/reckoning';
import { formatKey } from '../core/streams/format';
import type { Stream } from '../core/streams/pack';
import { modelOf } from '../core/plan/plan';
import { passCount, passingUnits } from '../core/plan/through';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { SentStreamKey } from '../core/plan/commands';
import { announcedSdp, NOTHING_ANNOUNCED, type AnnouncedStreams } from './announcements';
import { destinationText, type AddressTranslation, type Bindings } from './binding';
import {
  activateMap,
  fedChannels,
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
import type { FieldFollower, FieldNode, FieldSnapshot } from './follower';

/** A receiver channel that is to be brought in line with the plan. */
export interface ChannelRef {
  readonly deviceId: string;
  readonly channel: number;
}

/**
 * Why a channel is not sent. Foreign: the patch of that end is never written; a sender's stream is joined as it is where it is held.
 * Untold: neither a registry nor an announcement tells of such a stream now. Hearer away: its stream would take the place of
 * one that a device hears which cannot be told. In a block: it can only be cleared together with channels that the plan feeds.
 */
export type LeftWhy =
  | 'refused'
  | 'device-missing'
  | 'sender-missing'
  | 'device-foreign'
  | 'sender-foreign'
  | 'sender-untold'
  | 'hearer-away'
  | 'in-a-block';

/** What has to be done to devices so that the chosen channels do what the plan says. */
export interface SendPlan {
  readonly streams: readonly { readonly stream: Stream; readonly receivers: readonly string[] }[];
  /** Receivers by device: which streams they join or leave and how their channels are mapped. */
  readonly receivers: readonly ReceiverWork[];
  /** Streams of earlier sends that nobody wants any more. */
  readonly stops: readonly SentStreamKey[];
  /** Receivers that hear a stream which is laid out anew in its slot: they are taken off it before anything in it moves. */
  readonly quietFirst: ReadonlySet<string>;
  /** Channels that cannot be sent, each with why. */
  readonly left: readonly (ChannelRef & { readonly why: LeftWhy })[];
}

export interface ReceiverWork {
  readonly deviceId: string;
  readonly joins: readonly { readonly stream: Stream; readonly slot: number }[];
  readonly leaves: readonly number[];
  readonly feeds: readonly { readonly channel: number; readonly slot: number; readonly position: number }[];
  readonly clears: readonly number[];
}

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

/** What was sent in the stream's slot, where that was something else: those who hear it would hear wrong channels. */
function replacedBy(stream: Stream, reckoning: Reckoning): SentStream | null {
  const was = reckoning.plan.sentStreams.get(stream.senderDeviceId)?.get(stream.slot);
  return was !== undefined && was !== stream.sent ? was : null;
}

const keyOf = ({ deviceId, channel }: ChannelRef) => `${deviceId}/${channel}`;

/**
 * The chosen channels, what reaches them through processing units, those that are fed in one block with them, and all that hear a stream which they replace, by the plan or
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
    if (lane === undefined || lane.verdict === 'refused') continue;
    const { stream } = lane.hearing;
    // What a unit only passes on has to arrive there too.
    const { senderDeviceId: unitId, senderChannel: pass } = lane.subscription;
    if (passingUnits(reckoning.plan).has(unitId) && pass <= passCount(reckoning.plan, unitId)) {
      if (reckoning.lanesByReceiver.get(unitId)?.has(pass)) add({ deviceId: unitId, channel: pass });
    }
    for (const channel of blockOf(reckoning, next.deviceId, next.channel)) {
      const other = reckoning.lanesByReceiver.get(next.deviceId)?.get(channel);
      if (other !== undefined && other.verdict !== 'refused') add({ deviceId: next.deviceId, channel });
    }
    const hearing = `${next.deviceId} ${stream.id}`;
    if (seen.has(hearing)) continue;
    seen.add(hearing);
    const addFed = (deviceId: string, slot: number) => {
      const node = bindings.nodeByDevice.get(deviceId);
      const map = node?.device && field.channelMaps.get(node.device.id);
      for (const fed of map ? fedChannels(map, node.receivers) : []) {
        if (fed.slot === slot) add({ deviceId, channel: fed.channel });
      }
    };
    for (const { deviceId, slot } of replacedBy(stream, reckoning)?.receivers ?? []) {
      quietFirst.add(deviceId);
      for (const [channel, { subscription }] of reckoning.lanesByReceiver.get(deviceId) ?? []) {
        if (subscription.senderDeviceId === stream.senderDeviceId) add({ deviceId, channel });
      }
      addFed(deviceId, slot);
    }
    // One of the receiver's own streams that becomes another takes along what it feeds.
    const { receiverSlot } = lane.hearing;
    const isSame = stream.sent?.receivers.some((r) => r.deviceId === next?.deviceId && r.slot === receiverSlot);
    if (isSame !== true) addFed(next.deviceId, receiverSlot);
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
  return record.receivers.some(({ deviceId, slot }) => {
    const node = bindings.nodeByDevice.get(deviceId);
    const map = node?.device && field.channelMaps.get(node.device.id);
    if (!map) return false;
    return fedChannels(map, node.receivers).some((fed) => {
      if (fed.slot !== slot || chosen.has(keyOf({ deviceId, channel: fed.channel }))) return false;
      // The same of its receivers may hear another stream by now.
      const hearing = reckoning.lanesByReceiver.get(deviceId)?.get(fed.channel)?.hearing;
      const isOver = hearing?.stream.sent?.receivers.some((r) => r.deviceId === deviceId && r.slot === slot) === true;
      return !isOver;
    });
  });
}

/** Slots of a receiver that were told to hear streams which nobody hears any more. */
function slotsNoMore(deviceId: string, reckoning: Reckoning, isHeard: (record: SentStream) => boolean): number[] {
  const slots = new Set<number>();
  for (const [senderId, sent] of reckoning.plan.sentStreams) {
    const kept = new Set((reckoning.streamsBySender.get(senderId) ?? []).map((s) => s.sent));
    for (const record of sent.values()) {
      const own = record.receivers.find((r) => r.deviceId === deviceId);
      if (own && !kept.has(record) && !isHeard({ ...record, receivers: [own] })) slots.add(own.slot);
    }
  }
  return [...slots].sort((a, b) => a - b);
}

const isTold = (stream: Stream, reckoning: Reckoning, bindings: Bindings, announced: AnnouncedStreams) =>
  bindings.nodeByDevice.has(stream.senderDeviceId) ||
  announcedSdp(stream, reckoning, bindings.translation, announced) !== null;

/** The other channels that a receiver is fed together with: those of the same block. */
function blockOf(reckoning: Reckoning, deviceId: string, channel: number): number[] {
  const blockSize = modelOf(reckoning.plan, deviceId)?.receiveMap?.blockSize ?? 1;
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
  const isForeign = (id: string) => reckoning.plan.devices.get(id)?.isPatchForeign === true;
  // What is left as it is goes over to nothing.
  const going = new Map(channels);
  const isHeard = (record: SentStream) => isStillHeard(record, going, reckoning, field, bindings);
  // One that is away, or not ours, keeps hearing what stands in its positions: nothing else may come to stand there.
  const isAway = (id: string) => reckoning.plan.devices.has(id) && (isForeign(id) || !bindings.nodeByDevice.has(id));
  const isHeardByAbsent = (stream: Stream) =>
    replacedBy(stream, reckoning)?.receivers.some((r) => isAway(r.deviceId)) === true;
  const byDevice = new Map<string, number[]>();
  for (const { deviceId, channel } of channels.values()) {
    const list = byDevice.get(deviceId);
    if (list) list.push(channel);
    else byDevice.set(deviceId, [channel]);
  }
  const receiversByStream = new Map<Stream, Set<string>>();
  const receivers: ReceiverWork[] = [];
  for (const [deviceId, wanted] of byDevice) {
    const lanes = reckoning.lanesByReceiver.get(deviceId);
    const node = bindings.nodeByDevice.get(deviceId);
    const joins = new Map<Stream, number>();
    const feeds: { channel: number; slot: number; position: number }[] = [];
    const clears: number[] = [];
    for (const channel of wanted) {
      const lane = lanes?.get(channel);
      if (isForeign(deviceId)) left.push({ deviceId, channel, why: 'device-foreign' });
      else if (node === undefined) left.push({ deviceId, channel, why: 'device-missing' });
      else if (lane === undefined) {
        const block = blockOf(reckoning, deviceId, channel).flatMap((c) => lanes?.get(c) ?? []);
        // Where the block is fed as planned this channel of it meets an empty position: there is nothing to clear.
        if (block.length === 0) clears.push(channel);
        else if (block.some((l) => l.verdict === 'refused')) left.push({ deviceId, channel, why: 'in-a-block' });
      } else if (lane.verdict === 'refused') left.push({ deviceId, channel, why: 'refused' });
      else if (isForeign(lane.hearing.stream.senderDeviceId) && !lane.hearing.stream.isHeld) {
        left.push({ deviceId, channel, why: 'sender-foreign' });
      } else if (
        isForeign(lane.hearing.stream.senderDeviceId) &&
        !isTold(lane.hearing.stream, reckoning, bindings, announced)
      ) {
        left.push({ deviceId, channel, why: 'sender-untold' });
      } else if (
        !isForeign(lane.hearing.stream.senderDeviceId) &&
        !bindings.nodeByDevice.has(lane.hearing.stream.senderDeviceId)
      ) {
        left.push({ deviceId, channel, why: 'sender-missing' });
      } else if (isHeardByAbsent(lane.hearing.stream)) left.push({ deviceId, channel, why: 'hearer-away' });
      else {
        const { stream, receiverSlot } = lane.hearing;
        joins.set(stream, receiverSlot);
        feeds.push({ channel, slot: receiverSlot, position: lane.position });
        const set = receiversByStream.get(stream);
        if (set) set.add(deviceId);
        else receiversByStream.set(stream, new Set([deviceId]));
      }
    }
    for (const l of left) going.delete(keyOf(l));
    if (node === undefined || (joins.size === 0 && clears.length === 0)) continue;
    // Streams that no lane of the plan wants here any more are left.
    const stillWanted = new Set<number>();
    for (const lane of lanes?.values() ?? [])
      if (lane.verdict !== 'refused') stillWanted.add((lane as LaneCarried).hearing.receiverSlot);
    const isLeft = (slot: number) =>
      !stillWanted.has(slot) && field.readings.get(node.receivers[slot - 1]?.id ?? '')?.active.isEnabled === true;
    // Where lanes were cleared everything that is not wanted is left; else what was sent here for streams that are no more.
    const were = clears.length > 0 ? node.receivers.map((_, n) => n + 1) : slotsNoMore(deviceId, reckoning, isHeard);
    const leaves = were.filter(isLeft);
    receivers.push({ deviceId, joins: [...joins].map(([stream, slot]) => ({ stream, slot })), leaves, feeds, clears });
  }
  const isBlocked = (senderId: string, slot: number) =>
    (reckoning.streamsBySender.get(senderId) ?? []).some((s) => s.slot === slot && isHeardByAbsent(s));
  const stops: SentStreamKey[] = [];
  if (channels.size > 0) {
    for (const [senderDeviceId, sent] of reckoning.plan.sentStreams) {
      if (isForeign(senderDeviceId)) continue;
      const kept = new Set(
        (reckoning.streamsBySender.get(senderDeviceId) ?? []).flatMap((s) => (s.sent ? [s.slot] : [])),
      );
      for (const record of sent.values()) {
        const isOurs = record.receivers.length === 0 || record.receivers.some((r) => byDevice.has(r.deviceId));
        if (kept.has(record.slot) || !isOurs || isBlocked(senderDeviceId, record.slot) || isHeard(record)) continue;
        stops.push({ senderDeviceId, slot: record.slot });
      }
    }
  }
  const streams = [...receiversByStream].map(([stream, set]) => ({ stream, receivers: [...set] }));
  return { streams, receivers, stops, quietFirst, left };
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
    follower.noteReading(end.id, await readEnd(href, 'senders', end.id));
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
      follower.noteReading(end.id, await readEnd(href, 'receivers', end.id));
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
      follower.noteReading(end.id, await readEnd(href, 'receivers', end.id));
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
