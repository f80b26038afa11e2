import type { Subscription } from './records';

/** How a run of receiver channels is filled from one sender channel on. */
export const FILLS = ['in-step', 'all-the-same'] as const;
export type Fill = (typeof FILLS)[number];

export interface ReceiverChannel {
  readonly deviceId: string;
  readonly channel: number;
}

export interface FillResult {
  readonly subscriptions: readonly Subscription[];
  /** Receiver channels for which the sender has no channel left. */
  readonly leftOut: readonly ReceiverChannel[];
}

/**
 * Feeds receiver channels, in the order given. In step: the first hears `senderChannel`, the next the one after it, and so
 * on until the sender's channels run out. All the same: every one hears `senderChannel`.
 */
export function fillFrom(
  receivers: readonly ReceiverChannel[],
  senderDeviceId: string,
  senderChannel: number,
  senderChannelCount: number,
  fill: Fill,
): FillResult {
  const subscriptions: Subscription[] = [];
  const leftOut: ReceiverChannel[] = [];
  receivers.forEach((receiver, n) => {
    const channel = fill === 'in-step' ? senderChannel + n : senderChannel;
    if (channel > senderChannelCount) leftOut.push(receiver);
    else {
      subscriptions.push({
        receiverDeviceId: receiver.deviceId,
        receiverChannel: receiver.channel,
        senderDeviceId,
        senderChannel: channel,
      });
    }
  });
  return { subscriptions, leftOut };
}
