import type { Reception, LaneCarried } from '../core/reckon/lane';
import type { Reckoning } from '../core/reckon/reckoning';
import { announcedSdp, NOTHING_ANNOUNCED, type AnnouncedStreams } from './announcements';
import { destinationText, type Bindings } from './binding';
import { fedChannels, receivedPlace, sentPlace, type ChannelMap } from '../core/formats/is08';
import type { EndState } from '../core/formats/is05';
import { fedNow, orderOf } from './device-order';
import type { FieldNode } from './field-resources';
import type { FieldSnapshot } from './field-snapshot';

/**
 * The states of a lane that follow from what devices report. "Silent" needs levels, which are not read yet. "Unknown": one of its
 * ends is there, but has not answered for too long to say what it does.
 */
export type LaneState = 'planned' | 'staged' | 'carrying' | 'one-legged' | 'waiting' | 'refused' | 'unknown';

export interface LaneEvidence {
  readonly state: LaneState;
  /** What was found out on the way to the state, in order; the last one that is false is what is missing. */
  readonly checks: readonly { readonly what: LaneCheck; readonly holds: boolean }[];
  /** When the oldest of the readings was taken, in milliseconds since 1970; null where nothing was read. */
  readonly readAt: number | null;
}

export type LaneCheck =
  | 'receiver-answers'
  | 'sender-answers'
  | 'receiver-there'
  | 'sender-there'
  | 'sender-active'
  | 'sender-map'
  | 'receiver-active'
  | 'receiver-map'
  /** It offers no channel map: by its model its channels stand in the stream in their order, which nobody can read. */
  | 'sender-order'
  | 'receiver-order'
  | 'both-legs';

/** What the field does where the plan wants nothing, or something else. */
export interface FieldOnly {
  readonly receiverStreamNumber: number;
  readonly position: number;
}

export interface DeviceLanes {
  readonly lanes: ReadonlyMap<number, LaneEvidence>;
  /** Channels that receive something the plan does not want there. */
  readonly fieldOnly: ReadonlyMap<number, FieldOnly>;
}

/** Compares the lanes of one receiving device with what both ends report. */
export function lanesInField(
  deviceId: string,
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Pick<Bindings, 'nodeByDevice' | 'translation'>,
  announced: AnnouncedStreams = NOTHING_ANNOUNCED,
): DeviceLanes {
  const lanes = new Map<number, LaneEvidence>();
  const receiver = bindings.nodeByDevice.get(deviceId);
  const receiverMap = receiver?.device ? field.channelMaps.get(receiver.device.id) : undefined;
  const receiverOrder = orderOf(reckoning.plan, deviceId, 'receive', receiver);
  const perReception = new Map<Reception, ReturnType<typeof streamInField>>();
  for (const [channel, lane] of reckoning.lanesByReceiver.get(deviceId) ?? []) {
    if (lane.verdict === 'refused') {
      lanes.set(channel, { state: 'refused', checks: [], readAt: null });
      continue;
    }
    let shared = perReception.get(lane.reception);
    if (shared === undefined) {
      shared = streamInField(lane.reception, receiver, reckoning, field, bindings, announced);
      perReception.set(lane.reception, shared);
    }
    lanes.set(channel, laneInField(lane, shared, receiver, receiverMap, receiverOrder !== null));
  }
  const widthByStreamNumber = new Map<number, number>();
  for (const { receiverStreamNumber, stream } of perReception.keys())
    widthByStreamNumber.set(receiverStreamNumber, stream.channels.length);
  if (receiver === undefined) return { lanes, fieldOnly: new Map() };
  if (receiverOrder !== null) {
    // Where a planned stream is received the plan knows of all that stands in it.
    const planned = new Set(
      [...perReception]
        .filter(([, shared]) => shared.isReceiverActive)
        .map(([reception]) => reception.receiverStreamNumber),
    );
    const others = fedNow(reckoning.plan, deviceId, receiver, field).filter((f) => !planned.has(f.streamNumber));
    const fieldOnly = others.map(
      (f) => [f.channel, { receiverStreamNumber: f.streamNumber, position: f.position }] as const,
    );
    return { lanes, fieldOnly: new Map(fieldOnly) };
  }
  return { lanes, fieldOnly: fieldOnlyOf(receiver, receiverMap, lanes, widthByStreamNumber, field) };
}

function streamInField(
  reception: Reception,
  receiver: FieldNode | undefined,
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Pick<Bindings, 'nodeByDevice' | 'translation'>,
  announced: AnnouncedStreams,
) {
  const { stream } = reception;
  const sender = bindings.nodeByDevice.get(stream.senderDeviceId);
  const senderEnd = sender?.senders[stream.streamNumber - 1];
  const receiverEnd = receiver?.receivers[reception.receiverStreamNumber - 1];
  const senderReading = senderEnd && field.readings.get(senderEnd.id);
  const receiverReading = receiverEnd && field.readings.get(receiverEnd.id);
  const groups = reckoning.groupsByStream.get(stream.id);
  const wanted = stream.legs.map((leg) => {
    const group = groups?.[leg] ?? null;
    return { leg, group: group === null ? null : destinationText(group, bindings.translation) };
  });
  const port = reckoning.plan.settings.rtpPort;
  const legsOn = (state: EndState | undefined) =>
    state === undefined || !state.isEnabled
      ? []
      : wanted.filter((w) =>
          state.legs.some((l) => l.isEnabled && l.destinationIp === w.group && (l.port === null || l.port === port)),
        );
  const heardLegs = wanted.filter((w) => reception.legs.includes(w.leg));
  const receivedLegs = legsOn(receiverReading?.active).filter((w) => reception.legs.includes(w.leg));
  const sourceId = senderEnd ? field.sourceOfSender(senderEnd.id) : null;
  // A sender that no registry knows is there while it announces a stream that the plan holds as it is.
  const isAnnounced =
    sender === undefined && stream.isHeld && announcedSdp(stream, reckoning, bindings.translation, announced) !== null;
  return {
    isSenderThere: sender !== undefined || isAnnounced,
    isAnnounced,
    isSenderKnown: isAnnounced || isKnown(sender, senderEnd, field),
    isReceiverKnown: isKnown(receiver, receiverEnd, field),
    isSenderInOrder: orderOf(reckoning.plan, stream.senderDeviceId, 'send', sender) !== null,
    senderMap: sender?.device ? field.channelMaps.get(sender.device.id) : undefined,
    sourceId,
    receiverEndId: receiverEnd?.id ?? null,
    isSenderActive: isAnnounced || legsOn(senderReading?.active).length > 0,
    isReceiverActive: receivedLegs.length > 0,
    isReceiverStaged: legsOn(receiverReading?.staged).length > 0,
    isEveryLegUp:
      receivedLegs.length === heardLegs.length &&
      (isAnnounced || legsOn(senderReading?.active).length >= heardLegs.length),
    readAt: Math.min(senderReading?.readAt ?? Infinity, receiverReading?.readAt ?? Infinity),
  };
}

/** Whether what a node does with a stream is known: both have answered of late, or are not there at all. */
const isKnown = (
  found: FieldNode | undefined,
  end: { readonly id: string } | undefined,
  { notKnown, notKnownEnds }: FieldSnapshot,
): boolean => (!found?.device || !notKnown.has(found.device.id)) && (end === undefined || !notKnownEnds.has(end.id));

function laneInField(
  lane: LaneCarried,
  shared: ReturnType<typeof streamInField>,
  receiver: FieldNode | undefined,
  receiverMap: ChannelMap | undefined,
  isInOrder: boolean,
): LaneEvidence {
  const { receiverChannel, senderChannel } = lane.subscription;
  const senderMapped =
    shared.isAnnounced ||
    shared.isSenderInOrder ||
    isSenderMapped(shared.senderMap, shared.sourceId, senderChannel, lane.position);
  const receiverMapped =
    isInOrder || isReceiverMapped(receiverMap, shared.receiverEndId, receiverChannel, lane.position);
  const checks: { what: LaneCheck; holds: boolean }[] = [
    { what: 'receiver-there', holds: receiver !== undefined },
    { what: 'sender-there', holds: shared.isSenderThere },
    { what: 'sender-active', holds: shared.isSenderActive },
    { what: shared.isSenderInOrder ? 'sender-order' : 'sender-map', holds: senderMapped },
    { what: 'receiver-active', holds: shared.isReceiverActive },
    { what: isInOrder ? 'receiver-order' : 'receiver-map', holds: receiverMapped },
  ];
  if (lane.reception.legs.length > 1) checks.push({ what: 'both-legs', holds: shared.isEveryLegUp });
  if (!shared.isReceiverKnown) checks.push({ what: 'receiver-answers', holds: false });
  if (!shared.isSenderKnown) checks.push({ what: 'sender-answers', holds: false });
  const readAt = shared.readAt === Infinity ? null : shared.readAt;
  const wasSent =
    lane.reception.stream.sent?.receivers.some((r) => r.deviceId === lane.subscription.receiverDeviceId) === true;
  const state = ((): LaneState => {
    if (receiver === undefined || !shared.isSenderThere) {
      const isHeld = receiver !== undefined && (shared.isReceiverActive || shared.isReceiverStaged) && receiverMapped;
      return isHeld || wasSent ? 'waiting' : 'planned';
    }
    if (!shared.isReceiverKnown || !shared.isSenderKnown) return 'unknown';
    const isUp = shared.isSenderActive && senderMapped && shared.isReceiverActive && receiverMapped;
    if (isUp) return shared.isEveryLegUp ? 'carrying' : 'one-legged';
    // Where the stream is received already and only a channel map is missing, nothing waits to be started.
    return wasSent && shared.isReceiverStaged && !shared.isReceiverActive ? 'staged' : 'planned';
  })();
  return { state, checks, readAt };
}

function isSenderMapped(
  map: ChannelMap | undefined,
  sourceId: string | null,
  channel: number,
  position: number,
): boolean {
  // A device without channel mapping sends its channels as they are: that cannot be seen from here, so it does not hold.
  const output = map?.outputs.find((o) => o.sourceId !== null && o.sourceId === sourceId);
  if (map === undefined || output === undefined) return false;
  const own = sentPlace(map, channel);
  const fed = map.active.get(output.id)?.get(position - 1);
  return own !== null && fed !== undefined && fed.input === own.id && fed.index === own.index;
}

function isReceiverMapped(
  map: ChannelMap | undefined,
  receiverId: string | null,
  channel: number,
  position: number,
): boolean {
  const input = map?.inputs.find((i) => i.receiverId !== null && i.receiverId === receiverId);
  if (map === undefined || input === undefined) return false;
  const own = receivedPlace(map, channel);
  const fed = own && map.active.get(own.id)?.get(own.index);
  return fed != null && fed.input === input.id && fed.index === position - 1;
}

/** Own output channels that an active stream feeds although no lane of the plan accounts for it. */
function fieldOnlyOf(
  receiver: FieldNode,
  map: ChannelMap | undefined,
  lanes: ReadonlyMap<number, LaneEvidence>,
  widthByStreamNumber: ReadonlyMap<number, number>,
  field: FieldSnapshot,
): Map<number, FieldOnly> {
  const found = new Map<number, FieldOnly>();
  if (map === undefined) return found;
  for (const { channel, streamNumber: receiverStreamNumber, position } of fedChannels(map, receiver.receivers)) {
    const isAccounted = lanes.get(channel)?.checks.some((c) => c.what === 'receiver-map' && c.holds) === true;
    const isActive =
      field.readings.get(receiver.receivers[receiverStreamNumber - 1]?.id ?? '')?.active.isEnabled === true;
    // Where a map goes in blocks a channel may be mapped to a position beyond the stream: it receives nothing.
    const isEmpty = position > (widthByStreamNumber.get(receiverStreamNumber) ?? Infinity);
    if (isActive && !isAccounted && !isEmpty) found.set(channel, { receiverStreamNumber, position });
  }
  return found;
}
