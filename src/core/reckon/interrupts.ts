import type { Leg } from '../models/models-table';
import type { Reception, Lane, LaneReason } from './lane';
import type { Reckoning } from './reckoning';

/** How long a device is given to do what it is asked, in ms: one that is slow to start a stream is not one that fails. */
export const WRITE_PATIENCE_MS = 10_000;

/** Why a lane that carries does not go on as it is. */
export type InterruptWhy =
  /** The lane itself is changed: it is gone, or receives another channel. */
  | { readonly code: 'removed' }
  | { readonly code: 'fed-otherwise' }
  | { readonly code: 'refused'; readonly reason: LaneReason }
  /** Others are changed, and the lane with them. */
  | { readonly code: 'format' }
  | { readonly code: 'other-stream'; readonly from: number; readonly to: number }
  /** Its stream gets other channels, or the same in another order, under its number. */
  | { readonly code: 'laid-out-again'; readonly streamNumber: number }
  | { readonly code: 'group'; readonly legs: readonly Leg[] }
  | { readonly code: 'legs' }
  | { readonly code: 'port' }
  /** Only of what sounds in the field: nobody in the plan needs the stream any more. */
  | { readonly code: 'stopped'; readonly streamNumber: number }
  /** Another of the receiver's streams receives it. */
  | { readonly code: 'other-receiver-stream'; readonly from: number; readonly to: number };

/** What a change means for one lane. */
interface Change {
  readonly why: InterruptWhy;
  /** For how long it is silent at most, in ms; 0: it goes over in one step; null: until it is fed again. */
  readonly silentMsMax: number | null;
}

export interface InterruptedLane extends Change {
  readonly deviceId: string;
  readonly channel: number;
  /** The stream as it was is in the plan as one that was sent. */
  readonly wasSent: boolean;
}

/** Lanes of one receiver that are interrupted for the same reason. */
export interface Interruption extends Omit<InterruptedLane, 'channel'> {
  /** In rising order. */
  readonly channels: readonly number[];
}

/** The same lanes, by receiver and reason. */
export function interruptionsOf(lanes: readonly InterruptedLane[]): Interruption[] {
  const groups = new Map<string, { of: InterruptedLane; channels: number[] }>();
  for (const lane of lanes) {
    const { channel, ...of } = lane;
    const key = JSON.stringify(of);
    const known = groups.get(key);
    if (known === undefined) groups.set(key, { of: lane, channels: [channel] });
    else known.channels.push(channel);
  }
  return [...groups.values()].map(({ of: { channel: _, ...of }, channels }) => ({
    ...of,
    channels: channels.sort((a, b) => a - b),
  }));
}

/** Taken off, put into the stream, the stream set up, joined, fed: five writes, each with a device's full patience but the first. */
export const IN_PLACE_MS = 4 * WRITE_PATIENCE_MS;
/** Joined and fed by the same of the receiver's streams. */
export const REJOIN_MS = 2 * WRITE_PATIENCE_MS;

/**
 * Every lane that fits before a change and does not go on through the same stream at the same place after it: through the same of both devices'
 * streams, at the same position, with the same channels beside it, in the same format, on the same groups, legs and port. Whether it carries now
 * is for the caller to say, who knows the field.
 */
export function interruptedLanes(before: Reckoning, after: Reckoning): InterruptedLane[] {
  const found: InterruptedLane[] = [];
  if (before === after) return found;
  const compared = comparer(before, after);
  const isSameAddressing =
    before.groupsByStream === after.groupsByStream && before.plan.settings.rtpPort === after.plan.settings.rtpPort;
  for (const [deviceId, lanes] of before.lanesByReceiver) {
    const then = after.lanesByReceiver.get(deviceId);
    if (isSameAddressing && then === lanes) continue;
    for (const [channel, lane] of lanes) {
      if (lane.verdict === 'refused') continue;
      const change = changeOf(lane, then?.get(channel), compared);
      if (change === null) continue;
      const { sent } = lane.reception.stream;
      const wasSent = sent?.receivers.some((r) => r.deviceId === deviceId) === true;
      found.push({ deviceId, channel, ...change, wasSent });
    }
  }
  return found;
}

function changeOf(
  lane: Exclude<Lane, { verdict: 'refused' }>,
  then: Lane | undefined,
  compared: (a: Reception, b: Reception) => Change | null,
): Change | null {
  if (then === undefined) return { why: { code: 'removed' }, silentMsMax: null };
  const { senderDeviceId, senderChannel } = lane.subscription;
  if (then.subscription.senderDeviceId !== senderDeviceId || then.subscription.senderChannel !== senderChannel) {
    const why = { code: 'fed-otherwise' } as const;
    if (then.verdict === 'refused') return { why, silentMsMax: null };
    const [a, b] = [lane.reception, then.reception];
    const isRejoined = a.stream.id !== b.stream.id && a.receiverStreamNumber === b.receiverStreamNumber;
    return { why, silentMsMax: isRejoined ? REJOIN_MS : 0 };
  }
  if (then.verdict === 'refused') return { why: { code: 'refused', reason: then.reason }, silentMsMax: null };
  const change = compared(lane.reception, then.reception);
  if (change !== null || lane.position === then.position) return change;
  return {
    why: { code: 'laid-out-again', streamNumber: then.reception.stream.streamNumber },
    silentMsMax: IN_PLACE_MS,
  };
}

/** How two ways to receive differ, each pair looked at once. */
function comparer(before: Reckoning, after: Reckoning): (a: Reception, b: Reception) => Change | null {
  const known = new Map<Reception, Map<Reception, Change | null>>();
  const isOtherPort = before.plan.settings.rtpPort !== after.plan.settings.rtpPort;
  const compare = (a: Reception, b: Reception): Change | null => {
    const inPlace = (why: InterruptWhy): Change => ({ why, silentMsMax: IN_PLACE_MS });
    const [from, to] = [a.receiverStreamNumber, b.receiverStreamNumber];
    if (a.stream.formatKey !== b.stream.formatKey) return inPlace({ code: 'format' });
    if (a.stream.id !== b.stream.id) {
      const { streamNumber } = a.stream;
      const why = { code: 'other-stream', from: streamNumber, to: b.stream.streamNumber } as const;
      return { why, silentMsMax: from === to ? REJOIN_MS : 0 };
    }
    const isLaidOutAgain = a.stream.width !== b.stream.width || a.stream.channels.join() !== b.stream.channels.join();
    if (isLaidOutAgain) return inPlace({ code: 'laid-out-again', streamNumber: b.stream.streamNumber });
    const groupsBefore = before.groupsByStream.get(a.stream.id);
    const groupsAfter = after.groupsByStream.get(b.stream.id);
    const others = a.legs.filter((leg) => groupsBefore?.[leg] !== groupsAfter?.[leg]);
    if (others.length > 0) return inPlace({ code: 'group', legs: others });
    if (a.legs.join() !== b.legs.join() || a.stream.legs.join() !== b.stream.legs.join())
      return inPlace({ code: 'legs' });
    if (isOtherPort) return inPlace({ code: 'port' });
    return from === to ? null : { why: { code: 'other-receiver-stream', from, to }, silentMsMax: REJOIN_MS };
  };
  return (a, b) => {
    let own = known.get(a);
    if (own === undefined) known.set(a, (own = new Map()));
    let change = own.get(b);
    if (change === undefined) own.set(b, (change = compare(a, b)));
    return change;
  };
}
