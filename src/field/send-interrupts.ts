import { sentPlace } from '../core/formats/is08';
import {
  IN_PLACE_MS,
  interruptionsOf,
  REJOIN_MS,
  type Interruption,
  type InterruptedLane,
  type InterruptWhy,
} from '../core/reckon/interrupts';
import type { Reckoning } from '../core/reckon/reckoning';
import { NOTHING, type Stream } from '../core/streams/stream';
import { destinationText, type Bindings } from './binding';
import type { EndReading } from './device-reader';
import { fedNow } from './device-order';
import type { FieldNode } from './field-resources';
import type { FieldSnapshot } from './field-snapshot';
import type { ReceiverWork, SendPlan } from './send-plan';

/**
 * What a send would interrupt of all that sounds now, judged by what devices report alone: at the receivers that it is about, and at everyone
 * else in the field who receives a stream that it changes or stops, whoever's plan they are in.
 */

/** A send held against what sounds now. */
interface SendAgainstField {
  readonly interrupts: readonly SendInterruption[];
  /** By receiver: the chosen channels that are fed just so already. */
  readonly alike: ReadonlyMap<string, ReadonlySet<number>>;
  /** Streams that go out already, with the same in them and to the same groups. */
  readonly goingOut: ReadonlySet<Stream>;
}

export interface SendInterruption extends Interruption {
  /** What a device calls itself that is in no place of this plan; null: it is in the plan. */
  readonly name: string | null;
}

/** How a sender's stream that goes out now would change. */
interface StreamChange {
  readonly why: InterruptWhy;
  readonly silentMsMax: number | null;
  /** Positions at which something else comes to stand; null: all of it changes. */
  readonly positions: ReadonlySet<number> | null;
}

interface Sounding {
  readonly channel: number;
  readonly streamNumber: number;
  readonly position: number;
  /** The id of the IS-04 sender that it receives; null: nobody known sends there. */
  readonly senderId: string | null;
}

export function sendAgainstField(
  work: SendPlan,
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Bindings,
): SendAgainstField {
  const changes = streamChanges(work, reckoning, field, bindings);
  const deviceOfNode = new Map([...bindings.nodeByDevice].map(([id, { device }]) => [device?.id ?? '', id]));
  const senderAt = sendersByDestination(field);
  const workOf = new Map(work.receivers.map((r) => [r.deviceId, r]));
  const found: SendInterruption[] = [];
  const alike = new Map<string, Set<number>>();
  for (const [deviceId, node] of bindings.nodeByDevice) {
    const own = soundingAt(reckoning, deviceId, node, field, senderAt);
    const deviceWork = workOf.get(deviceId);
    const lanes = own.flatMap((now) => interrupted(now, deviceId, deviceWork, changes, bindings) ?? []);
    found.push(...interruptionsOf(lanes).map((i) => ({ ...i, name: null })));
    const isMoved = new Set(lanes.map((l) => l.channel));
    const fed = new Set(deviceWork?.feeds.map((f) => f.channel));
    alike.set(deviceId, new Set(own.map((s) => s.channel).filter((c) => fed.has(c) && !isMoved.has(c))));
  }
  for (const node of field.nodes.values()) {
    if (node.device === null || deviceOfNode.has(node.device.id)) continue;
    const own = soundingAt(reckoning, '', node, field, senderAt);
    const lanes = own.flatMap((now) => interrupted(now, node.device?.id ?? '', undefined, changes, bindings) ?? []);
    found.push(...interruptionsOf(lanes).map((i) => ({ ...i, name: node.node.label })));
  }
  const isOut = (stream: Stream) => {
    const end = bindings.nodeByDevice.get(stream.senderDeviceId)?.senders[stream.streamNumber - 1];
    return end !== undefined && !changes.has(end.id) && field.readings.get(end.id)?.active.isEnabled === true;
  };
  const goingOut = new Set(work.streams.map((s) => s.stream).filter(isOut));
  return { interrupts: found, alike, goingOut };
}

/** By the id of the IS-04 sender. */
function streamChanges(
  work: SendPlan,
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Bindings,
): Map<string, StreamChange> {
  const changes = new Map<string, StreamChange>();
  const endOf = (deviceId: string, streamNumber: number) => {
    const end = bindings.nodeByDevice.get(deviceId)?.senders[streamNumber - 1];
    const reading = end && field.readings.get(end.id);
    return end !== undefined && reading?.active.isEnabled === true ? { id: end.id, reading } : null;
  };
  for (const { senderDeviceId, streamNumber } of work.stops) {
    const end = endOf(senderDeviceId, streamNumber);
    const why = { code: 'stopped', streamNumber } as const;
    if (end !== null) changes.set(end.id, { why, silentMsMax: null, positions: null });
  }
  for (const { stream } of work.streams) {
    const end = endOf(stream.senderDeviceId, stream.streamNumber);
    if (end === null) continue;
    const change = streamChange(stream, end, reckoning, field, bindings);
    if (change !== null) changes.set(end.id, change);
  }
  return changes;
}

function streamChange(
  stream: Stream,
  { id, reading }: { readonly id: string; readonly reading: EndReading },
  reckoning: Reckoning,
  field: FieldSnapshot,
  bindings: Bindings,
): StreamChange | null {
  const groups = reckoning.groupsByStream.get(stream.id);
  const wanted = stream.legs.map((leg) => {
    const group = groups?.[leg] ?? null;
    return group === null ? null : destinationText(group, bindings.translation);
  });
  const now = reading.active.legs.filter((l) => l.isEnabled).map((l) => l.destinationIp);
  const others = stream.legs.filter((_, n) => wanted[n] !== null && !now.includes(wanted[n] ?? null));
  if (others.length > 0) return { why: { code: 'group', legs: others }, silentMsMax: IN_PLACE_MS, positions: null };
  const device = bindings.nodeByDevice.get(stream.senderDeviceId)?.device;
  const map = device && field.channelMaps.get(device.id);
  const sourceId = field.sourceOfSender(id);
  const output = map?.outputs.find((o) => o.sourceId !== null && o.sourceId === sourceId);
  if (map == null || output === undefined) return null;
  const positions = new Set<number>();
  for (let n = 0; n < output.channels; n += 1) {
    const is = map.active.get(output.id)?.get(n);
    const channel = stream.channels[n] ?? NOTHING;
    const own = channel === NOTHING ? null : sentPlace(map, channel);
    if (is !== undefined && (is.input !== own?.id || is.index !== own.index)) positions.add(n + 1);
  }
  const why = { code: 'laid-out-again', streamNumber: stream.streamNumber } as const;
  return positions.size === 0 ? null : { why, silentMsMax: IN_PLACE_MS, positions };
}

/** By where it sends to: the id of the IS-04 sender. */
function sendersByDestination(field: FieldSnapshot): Map<string, string> {
  const found = new Map<string, string>();
  for (const { senders } of field.nodes.values()) {
    for (const { id } of senders) {
      const active = field.readings.get(id)?.active;
      if (active?.isEnabled !== true) continue;
      for (const leg of active.legs) if (leg.isEnabled && leg.destinationIp !== null) found.set(leg.destinationIp, id);
    }
  }
  return found;
}

/** The channels of a device that are fed by a stream which somebody sends. */
function soundingAt(
  reckoning: Reckoning,
  deviceId: string,
  node: FieldNode,
  field: FieldSnapshot,
  senderAt: ReadonlyMap<string, string>,
): Sounding[] {
  return fedNow(reckoning.plan, deviceId, node, field).flatMap((fed): Sounding[] => {
    const active = field.readings.get(node.receivers[fed.streamNumber - 1]?.id ?? '')?.active;
    if (active?.isEnabled !== true) return [];
    const at = active.legs.flatMap((l) => (l.isEnabled && l.destinationIp !== null ? [l.destinationIp] : []));
    const senderId = at.map((destination) => senderAt.get(destination)).find((id) => id !== undefined) ?? null;
    return senderId === null ? [] : [{ ...fed, senderId }];
  });
}

function interrupted(
  now: Sounding,
  deviceId: string,
  work: ReceiverWork | undefined,
  changes: ReadonlyMap<string, StreamChange>,
  bindings: Bindings,
): InterruptedLane | null {
  const { channel, streamNumber, position, senderId } = now;
  const lane = (why: InterruptWhy, silentMsMax: number | null): InterruptedLane => ({
    ...{ deviceId, channel, why, silentMsMax, wasSent: true },
  });
  if (work?.clears.includes(channel) === true) return lane({ code: 'removed' }, null);
  const change = changes.get(senderId ?? '');
  const feed = work?.feeds.find((f) => f.channel === channel);
  const join = feed && work?.joins.find((j) => j.streamNumber === feed.streamNumber);
  if (feed === undefined || join === undefined) {
    // What feeds it is left, or comes to receive another stream.
    const joined = work?.joins.find((j) => j.streamNumber === streamNumber)?.stream;
    const endId = joined && bindings.nodeByDevice.get(joined.senderDeviceId)?.senders[joined.streamNumber - 1]?.id;
    if (work?.leaves.includes(streamNumber) === true || (endId !== undefined && endId !== senderId))
      return lane({ code: 'removed' }, null);
    return change === undefined || change.positions?.has(position) === false
      ? null
      : lane(change.why, change.silentMsMax);
  }
  const { stream } = join;
  const senders = bindings.nodeByDevice.get(stream.senderDeviceId)?.senders ?? [];
  const nowAt = senders.findIndex((s) => s.id === senderId) + 1;
  const silent = feed.streamNumber === streamNumber ? REJOIN_MS : 0;
  if (nowAt === 0) return lane({ code: 'fed-otherwise' }, silent);
  if (nowAt !== stream.streamNumber)
    return lane({ code: 'other-stream', from: nowAt, to: stream.streamNumber }, silent);
  if (change !== undefined && change.positions?.has(position) !== false) return lane(change.why, change.silentMsMax);
  if (feed.position !== position) return lane({ code: 'fed-otherwise' }, 0);
  return feed.streamNumber === streamNumber
    ? null
    : lane({ code: 'other-receiver-stream', from: streamNumber, to: feed.streamNumber }, 0);
}
