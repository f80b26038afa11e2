import type { ChannelRange } from '../models/models-table';
import type { Subscription } from '../plan/subscriptions-table';
import { runsInOrder, sendersByStream, streamFeeding, type OrderedRun } from '../streams/channel-order';
import { bringsRun, bringsRunWithOthers } from '../streams/map-limits';
import { NOTHING, type Stream } from '../streams/stream';
import { PLACE_BITS, type Packing } from '../streams/packing';
import type { LaneReason } from './lane';
import type { PairFits } from './pair';
import type { DeviceProfile } from './profile';
import type { Wish } from './wishes';

/** Where a receiver without a channel map finds what it wants of one sender: each of its streams receives one of the sender's, as that comes. */
interface OrderedPlaces {
  /** By receiver channel: the place, as in a packing. */
  readonly places: ReadonlyMap<number, number>;
  /** By stream: which of the receiver's streams receives it. */
  readonly numbers: ReadonlyMap<Stream, number>;
}

export function orderedPlaces(
  receiver: DeviceProfile,
  order: readonly ChannelRange[],
  wish: Wish,
  wanted: readonly Subscription[],
  pair: PairFits,
  packing: Packing,
): OrderedPlaces {
  const places = new Map<number, number>();
  const numbers = new Map<Stream, number>();
  const id = receiver.device.id;
  const runs = runsInOrder(order, sendersByStream(wish.lanes, order), wanted);
  const isSentTo = (stream: Stream, run: OrderedRun) =>
    stream.sent?.receivers.some((r) => r.deviceId === id && r.streamNumber === run.orderedFor.streamNumber) === true;
  for (const run of runs) {
    const bringing = packing.streams.filter(
      (s) =>
        s.formatKey === pair.formatKey &&
        s.receiverDeviceIds.includes(id) &&
        !numbers.has(s) &&
        s.channels.length <= pair.channelsMax &&
        bringsRunWithOthers(s.channels, run),
    );
    const just = bringing.filter((s) => bringsRun(s.channels, run));
    const among = just.length > 0 ? just : bringing;
    const stream = among.find((s) => isSentTo(s, run)) ?? among[0];
    if (stream === undefined) continue;
    numbers.set(stream, run.orderedFor.streamNumber);
    const first = order[run.orderedFor.streamNumber - 1]?.first ?? 1;
    const index = packing.streams.indexOf(stream);
    run.channels.forEach((c, n) => {
      if (c !== NOTHING) places.set(first + n, ((index + 1) << PLACE_BITS) | (n + 1));
    });
  }
  return { places, numbers };
}

/** Why a lane of two devices, one of them without a channel map, has no place in any stream. */
export function orderReason(
  sender: DeviceProfile,
  receiver: DeviceProfile,
  wish: Wish,
  { senderDeviceId, senderChannel, receiverChannel }: Subscription,
): LaneReason {
  const { sendOrder } = sender.model;
  const { receiveOrder } = receiver.model;
  if (receiveOrder !== null) {
    const fed = streamFeeding(receiveOrder, receiverChannel);
    if (fed === null) return { code: 'stream-order', end: 'receiver', because: 'no-stream', range: null };
    const range = receiveOrder[fed.streamNumber - 1] ?? null;
    const heardThere = sendersByStream(wish.lanes, receiveOrder).get(fed.streamNumber);
    if (heardThere !== undefined && heardThere !== senderDeviceId) {
      const otherSenderId = heardThere;
      return { code: 'stream-order', end: 'receiver', because: 'other-sender', range, otherSenderId };
    }
    const carrying = sendOrder?.some((r) => streamFeeding([r], senderChannel)) ?? true;
    if (carrying) return { code: 'stream-order', end: 'receiver', because: 'other-place', range };
  }
  const range = sendOrder?.find((r) => streamFeeding([r], senderChannel) !== null) ?? null;
  return { code: 'stream-order', end: 'sender', because: range === null ? 'no-stream' : 'not-heard', range };
}

/** Channels of a receiver without a channel map that receive something unplanned, because a stream carries it beside what is planned. */
export function heardAlong(
  order: readonly ChannelRange[],
  streamNumber: number,
  stream: Stream,
  wish: Wish,
): readonly { readonly channel: number; readonly senderChannel: number }[] {
  const range = order[streamNumber - 1];
  if (range === undefined) return [];
  return stream.channels.slice(0, range.channels).flatMap((senderChannel, n) => {
    const channel = range.first + n;
    if (senderChannel === NOTHING || streamFeeding(order, channel)?.streamNumber !== streamNumber) return [];
    const lane = wish.lanes.find((l) => l.receiverChannel === channel);
    const isWanted = lane?.senderDeviceId === stream.senderDeviceId && lane.senderChannel === senderChannel;
    return isWanted ? [] : [{ channel, senderChannel }];
  });
}
