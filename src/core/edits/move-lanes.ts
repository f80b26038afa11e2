import type { Command } from '../plan/commands';
import type { ReceiverChannel, SenderChannel } from './fill';
import { channelCount, subscriptionsOf, type PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';

/** Lanes that change their sender or their receiver, all at once. */
export interface LaneChange {
  readonly subscriptions: readonly Subscription[];
  /** Receiver channels that hear nothing afterwards. */
  readonly cleared: readonly ReceiverChannel[];
  /** Lanes that stay as they are, since the device they would go to has no such channel or it is taken. */
  readonly stay: readonly (Subscription & { readonly why: 'no-such-channel' | 'taken' })[];
}

/** As many lanes as one command takes at the edge. */
const LANES_MAX = 10_000;

function parts<T>(list: readonly T[]): (readonly T[])[] {
  const count = Math.ceil(list.length / LANES_MAX);
  return Array.from({ length: count }, (_, n) => list.slice(n * LANES_MAX, (n + 1) * LANES_MAX));
}

/** The commands of a change: first what is cleared, then what is heard again. */
export function commandsOf({ cleared, subscriptions }: Pick<LaneChange, 'cleared' | 'subscriptions'>): Command[] {
  return [
    ...parts(cleared).map((channels): Command => ({ kind: 'unsubscribe', channels })),
    ...parts(subscriptions).map((part): Command => ({ kind: 'subscribe', subscriptions: part })),
  ];
}

function* lanesOf(plan: PlanOf<'subscriptions'>): Iterable<Subscription> {
  for (const feeds of plan.subscriptions.values()) yield* feeds.values();
}

/**
 * Swaps two runs of sender channels for everyone who hears them: who heard the n-th of one hears the n-th of the other.
 * Doing it twice changes nothing. Null where the two runs overlap.
 */
export function swapSenders(
  plan: PlanOf<'models' | 'devices' | 'subscriptions'>,
  first: SenderChannel,
  second: SenderChannel,
  count: number,
): LaneChange | null {
  if (first.deviceId === second.deviceId && Math.abs(first.channel - second.channel) < count) return null;
  const offset = (s: Subscription, run: SenderChannel) =>
    s.senderDeviceId === run.deviceId && s.senderChannel >= run.channel && s.senderChannel < run.channel + count
      ? s.senderChannel - run.channel
      : null;
  const subscriptions: Subscription[] = [];
  const stay: LaneChange['stay'][number][] = [];
  for (const s of lanesOf(plan)) {
    const inFirst = offset(s, first);
    const inSecond = offset(s, second);
    const [n, to] = inFirst !== null ? [inFirst, second] : inSecond !== null ? [inSecond, first] : [null, first];
    if (n === null) continue;
    const senderChannel = to.channel + n;
    if (senderChannel > channelCount(plan, to.deviceId, 'send')) stay.push({ ...s, why: 'no-such-channel' });
    else subscriptions.push({ ...s, senderDeviceId: to.deviceId, senderChannel });
  }
  return { subscriptions, cleared: [], stay };
}

/**
 * Moves the lanes of one device to another, channel by channel: what `from` sends is sent by `to`, what `from` hears is heard
 * by `to`. A lane whose new end does not exist stays; so does one whose new receiver channel hears something already.
 */
export function moveLanes(
  plan: PlanOf<'models' | 'devices' | 'subscriptions'>,
  from: string,
  to: string,
  sides: { readonly sends: boolean; readonly receives: boolean },
): LaneChange {
  const sends = channelCount(plan, to, 'send');
  const receives = channelCount(plan, to, 'receive');
  const taken = subscriptionsOf(plan, to);
  const subscriptions: Subscription[] = [];
  const cleared: ReceiverChannel[] = [];
  const stay: LaneChange['stay'][number][] = [];
  for (const s of lanesOf(plan)) {
    const isSent = sides.sends && s.senderDeviceId === from;
    const isReceived = sides.receives && s.receiverDeviceId === from;
    if (!isSent && !isReceived) continue;
    if ((isSent && s.senderChannel > sends) || (isReceived && s.receiverChannel > receives)) {
      stay.push({ ...s, why: 'no-such-channel' });
    } else if (isReceived && taken.has(s.receiverChannel)) stay.push({ ...s, why: 'taken' });
    else {
      if (isReceived) cleared.push({ deviceId: from, channel: s.receiverChannel });
      subscriptions.push({
        ...s,
        ...(isSent ? { senderDeviceId: to } : {}),
        ...(isReceived ? { receiverDeviceId: to } : {}),
      });
    }
  }
  return { subscriptions, cleared, stay };
}

/**
 * The device that could take over all lanes of another with the fewest left behind: one that does not face it, of the same model first,
 * then of the same place, then by name. Null where there is no other.
 */
export function spareFor(plan: PlanOf<'models' | 'devices' | 'subscriptions'>, from: string): string | null {
  const own = plan.devices.get(from);
  const heard = [...(subscriptionsOf(plan, from).keys() as Iterable<number>)];
  const sent: number[] = [];
  /** How many of the lanes have a device at their other end: it would then subscribe to itself. */
  const facing = new Map<string, number>();
  const face = (id: string) => facing.set(id, (facing.get(id) ?? 0) + 1);
  for (const s of lanesOf(plan)) {
    if (s.senderDeviceId === from) {
      sent.push(s.senderChannel);
      face(s.receiverDeviceId);
    } else if (s.receiverDeviceId === from) face(s.senderDeviceId);
  }
  let best: { readonly id: string; readonly rank: readonly (number | string)[] } | null = null;
  for (const device of plan.devices.values()) {
    if (device.id === from) continue;
    const [sends, receives] = [channelCount(plan, device.id, 'send'), channelCount(plan, device.id, 'receive')];
    if (sends + receives === 0) continue;
    const taken = subscriptionsOf(plan, device.id);
    const left = sent.filter((c) => c > sends).length + heard.filter((c) => c > receives || taken.has(c)).length;
    const isOther = (is: boolean) => (is ? 0 : 1);
    const likeness = [isOther(device.modelId === own?.modelId), isOther(device.placeId === own?.placeId)];
    const rank = [left, facing.get(device.id) ?? 0, ...likeness, device.name];
    if (best === null || isBefore(rank, best.rank)) best = { id: device.id, rank };
  }
  return best?.id ?? null;
}

function isBefore(a: readonly (number | string)[], b: readonly (number | string)[]): boolean {
  const at = a.findIndex((value, n) => value !== b[n]);
  return at >= 0 && (a[at] as number | string) < (b[at] as number | string);
}

/**
 * Lays a block of feeds over receiver channels, as a spreadsheet does: the first over the first, and again from the first
 * where the receivers are a multiple of the block. A feed of null clears, one of
 * `skip` leaves the channel as it is.
 */
export function layFeeds(
  plan: PlanOf<'subscriptions'>,
  receivers: readonly ReceiverChannel[],
  feeds: readonly (SenderChannel | null | 'skip')[],
): LaneChange {
  const subscriptions: Subscription[] = [];
  const cleared: ReceiverChannel[] = [];
  const repeats = feeds.length > 0 && receivers.length % feeds.length === 0;
  receivers.forEach((receiver, n) => {
    const feed = repeats ? feeds[n % feeds.length] : feeds[n];
    if (feed === undefined || feed === 'skip') return;
    if (feed !== null) {
      subscriptions.push({
        receiverDeviceId: receiver.deviceId,
        receiverChannel: receiver.channel,
        senderDeviceId: feed.deviceId,
        senderChannel: feed.channel,
      });
    } else if (subscriptionsOf(plan, receiver.deviceId).has(receiver.channel)) cleared.push(receiver);
  });
  return { subscriptions, cleared, stay: [] };
}
