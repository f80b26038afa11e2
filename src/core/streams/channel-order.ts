import type { ChannelRange } from '../models/models-table';
import type { Run } from './map-limits';
import { onceWith } from '../plan/once-for';

/**
 * Devices without a channel map (IS-08): each of their streams carries the same channels for good, in order. The nth range of such an
 * order is the device's nth stream. Positions within a stream and channels count from 1.
 */

/** The stream that feeds a receiver channel, and from which position; null: none does. Where ranges overlap the first one counts. */
export function streamFeeding(
  order: readonly ChannelRange[],
  channel: number,
): { readonly streamNumber: number; readonly position: number } | null {
  const index = order.findIndex(({ first, channels }) => channel >= first && channel < first + channels);
  const range = order[index];
  return range === undefined ? null : { streamNumber: index + 1, position: channel - range.first + 1 };
}

/** The channels of a sender's stream as they stand in it, as far as the device has them. */
export function channelsInOrder({ first, channels }: ChannelRange, channelCount: number): number[] {
  const last = Math.min(first + channels - 1, channelCount);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, n) => first + n);
}

/** An order of streams with so many channels each, one after the other: what is taken where nothing else is known. */
export function inStep(widths: readonly number[]): ChannelRange[] {
  let first = 1;
  return widths.flatMap((width) => {
    const channels = Math.min(Math.max(1, width), 120, 4097 - first);
    const range = { first, channels };
    first += channels;
    return channels > 0 ? [range] : [];
  });
}

interface Wanted {
  readonly receiverChannel: number;
  readonly senderDeviceId: string;
}

/**
 * By stream of a receiver: whose stream it is to receive. Several senders cannot share one; the first of its channels decides.
 * @param lanes what the receiver is to receive, in the order of its channels
 */
export const sendersByStream = onceWith(
  (lanes: readonly Wanted[], order: readonly ChannelRange[]): ReadonlyMap<number, string> => {
    const found = new Map<number, string>();
    for (const { receiverChannel, senderDeviceId } of lanes) {
      const fed = streamFeeding(order, receiverChannel);
      if (fed !== null && !found.has(fed.streamNumber)) found.set(fed.streamNumber, senderDeviceId);
    }
    return found;
  },
);

/** What one of a receiver's streams has to bring: by position a sender channel, 0 where nothing is wanted. */
export interface OrderedRun extends Run {
  /** Which of the receiver's streams it is, and how many of its channels that one feeds. */
  readonly orderedFor: { readonly streamNumber: number; readonly width: number };
}

/**
 * What a receiver wants of one sender, by the streams that feed its channels.
 * @param senders whose stream each of them is to receive: what it wants of others there cannot be
 */
export function runsInOrder(
  order: readonly ChannelRange[],
  senders: ReadonlyMap<number, string>,
  wanted: readonly (Wanted & { readonly senderChannel: number })[],
): OrderedRun[] {
  const byStream = new Map<number, number[]>();
  for (const { receiverChannel, senderDeviceId, senderChannel } of wanted) {
    const fed = streamFeeding(order, receiverChannel);
    if (fed === null || senders.get(fed.streamNumber) !== senderDeviceId) continue;
    const channels = byStream.get(fed.streamNumber) ?? [];
    while (channels.length < fed.position) channels.push(0);
    channels[fed.position - 1] = senderChannel;
    byStream.set(fed.streamNumber, channels);
  }
  return [...byStream].map(([streamNumber, channels]) => {
    const width = order[streamNumber - 1]?.channels ?? channels.length;
    return { channels, blockSize: 1, orderedFor: { streamNumber, width } };
  });
}
