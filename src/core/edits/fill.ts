import { channelCount, labelOf, type PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';

/** How a run of receiver channels is filled from a sender. */
export const FILLS = ['in-step', 'all-the-same', 'every-nth', 'reversed', 'by-label'] as const;
export type FillPattern = (typeof FILLS)[number];
export interface Fill {
  readonly pattern: FillPattern;
  /** With `every-nth`: how many sender channels lie from one to the next. */
  readonly step: number;
}

export interface ReceiverChannel {
  readonly deviceId: string;
  readonly channel: number;
}
export interface SenderChannel {
  readonly deviceId: string;
  readonly channel: number;
}

/** Why a receiver channel is left as it is. */
type LeftOutWhy = 'no-channel-left' | 'no-label' | 'no-like-label' | 'several-like-labels' | 'no-pass-left';
export interface LeftOut extends ReceiverChannel {
  readonly why: LeftOutWhy;
}

export interface FillResult {
  readonly subscriptions: readonly Subscription[];
  readonly leftOut: readonly LeftOut[];
}

const lane = (to: ReceiverChannel, from: SenderChannel): Subscription => ({
  receiverDeviceId: to.deviceId,
  receiverChannel: to.channel,
  senderDeviceId: from.deviceId,
  senderChannel: from.channel,
});

/**
 * Feeds receiver channels, in the order given, from `sender` on.
 * In step: the first hears that channel, the next the one after it. Every n-th: n channels further each time. Reversed: the
 * run of as many sender channels, backwards, so that the last receiver hears the first. All the same: every one hears it.
 * By label: see `fillByLabel`. What the sender has no channel for is left out and told.
 */
export function fillFrom(
  plan: PlanOf<'models' | 'devices' | 'labels'>,
  receivers: readonly ReceiverChannel[],
  sender: SenderChannel,
  fill: Fill,
): FillResult {
  if (fill.pattern === 'by-label') return fillByLabel(plan, receivers, [sender.deviceId]);
  const count = channelCount(plan, sender.deviceId, 'send');
  const channels = filledChannels(sender.channel, receivers.length, count, fill);
  const subscriptions: Subscription[] = [];
  const leftOut: LeftOut[] = [];
  receivers.forEach((receiver, n) => {
    const channel = channels[n] ?? null;
    if (channel === null) leftOut.push({ ...receiver, why: 'no-channel-left' });
    else subscriptions.push(lane(receiver, { deviceId: sender.deviceId, channel }));
  });
  return { subscriptions, leftOut };
}

/** Which of `count` channels each of `length` places takes, from `first` on; null: there is none left for it. */
export function filledChannels(first: number, length: number, count: number, fill: Fill): (number | null)[] {
  const runLength = Math.max(0, Math.min(length, count - first + 1));
  const channelOf = (n: number): number => {
    switch (fill.pattern) {
      case 'all-the-same':
        return first;
      case 'every-nth':
        return first + n * fill.step;
      case 'reversed':
        return n < runLength ? first + runLength - 1 - n : count + 1;
      default:
        return first + n;
    }
  };
  return Array.from({ length }, (_, n) => (channelOf(n) > count ? null : channelOf(n)));
}

/** Labels that a person would call the same: capitals and spaces do not count. */
export const likeLabel = (label: string): string => label.trim().replace(/\s+/g, ' ').toLowerCase();

/** Sender channels of these devices by their labels, as `likeLabel` has them. */
export function sendersByLabel(
  plan: PlanOf<'models' | 'devices' | 'labels'>,
  senderIds: Iterable<string>,
): Map<string, SenderChannel[]> {
  const byLabel = new Map<string, SenderChannel[]>();
  for (const deviceId of senderIds) {
    const count = channelCount(plan, deviceId, 'send');
    for (const { side, channel, label } of plan.labels.get(deviceId)?.values() ?? []) {
      if (side !== 'send' || channel > count) continue;
      const like = byLabel.get(likeLabel(label));
      if (like === undefined) byLabel.set(likeLabel(label), [{ deviceId, channel }]);
      else like.push({ deviceId, channel });
    }
  }
  return byLabel;
}

/**
 * Feeds every receiver channel from the sender channel that is labelled like it, among the channels of `senderIds`; a
 * device never feeds itself. A label that several sender channels carry decides nothing.
 */
export function fillByLabel(
  plan: PlanOf<'models' | 'devices' | 'labels'>,
  receivers: readonly ReceiverChannel[],
  senderIds: Iterable<string>,
): FillResult {
  const byLabel = sendersByLabel(plan, senderIds);
  const subscriptions: Subscription[] = [];
  const leftOut: LeftOut[] = [];
  for (const receiver of receivers) {
    const label = labelOf(plan, receiver.deviceId, 'receive', receiver.channel);
    const like =
      label === null ? [] : (byLabel.get(likeLabel(label)) ?? []).filter((s) => s.deviceId !== receiver.deviceId);
    const [only, another] = like;
    if (only !== undefined && another === undefined) subscriptions.push(lane(receiver, only));
    else {
      const why = label === null ? 'no-label' : only === undefined ? 'no-like-label' : 'several-like-labels';
      leftOut.push({ ...receiver, why });
    }
  }
  return { subscriptions, leftOut };
}
