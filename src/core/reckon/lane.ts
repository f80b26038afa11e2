import type { LinkOffset } from '../delay/link-offset';
import type { ChannelRange, Leg } from '../models/models-table';
import type { Subscription } from '../plan/subscriptions-table';
import type { Stream } from '../streams/stream';
import type { PairFits, PairReason } from './pair';

/** Why a lane is refused. Budgets are counted in the order of channels and streams, so that the last ones are refused. */
export type LaneReason =
  | PairReason
  | {
      readonly code: 'channel-missing';
      readonly end: 'sender' | 'receiver';
      readonly channel: number;
      readonly count: number;
    }
  | {
      readonly code: 'stream-budget';
      readonly end: 'sender' | 'receiver';
      readonly wanted: number;
      readonly limit: number;
    }
  | {
      readonly code: 'channel-pool';
      readonly end: 'sender' | 'receiver';
      readonly wanted: number;
      readonly limit: number;
    }
  /** The receiver takes its channels in blocks of so many: this lane's block cannot be fed from one block of one stream. */
  | { readonly code: 'map-block'; readonly blockSize: number }
  /** The sender puts its channels into streams in blocks of so many, and the receiver's streams take fewer. */
  | { readonly code: 'send-block'; readonly blockSize: number; readonly limit: number }
  /** The receiver keeps the order of a stream: this lane's position comes before that of a channel in front of it. */
  | { readonly code: 'map-order' }
  /**
   * A device without a channel map, whose streams carry or feed the same channels for good. Sender: its stream of these channels cannot be
   * received there (too wide, in another format, to another device), or no stream has the channel. Receiver: the stream that feeds these channels is
   * that of another sender, or no stream of the sender has its channels in this place.
   */
  | {
      readonly code: 'stream-order';
      readonly end: 'sender' | 'receiver';
      readonly because: 'no-stream' | 'not-heard' | 'other-sender' | 'other-place';
      /** The channels of the stream at that end; null: no stream has the channel. */
      readonly range: ChannelRange | null;
      /** Whose stream feeds them instead. */
      readonly otherSenderId?: string;
    }
  | { readonly code: 'link-offset'; readonly neededNs: number; readonly offsetNs: number };

/** What a carried lane has to be told beside its numbers. */
export type LaneCaution =
  | { readonly code: 'one-leg'; readonly missing: Leg; readonly because: PairReason }
  | { readonly code: 'path-unknown' }
  /** Without a channel map the receiver's channels receive what else is in the stream, as it comes. */
  | {
      readonly code: 'heard-along';
      readonly heard: readonly { readonly channel: number; readonly senderChannel: number }[];
    }
  /** The patch of this end is never written: somebody else has to make it so. */
  | { readonly code: 'foreign-patch'; readonly end: 'sender' | 'receiver' };

/** A subscription drawn from end to end. */
export type Lane = LaneCarried | LaneRefused;

export interface LaneCarried {
  readonly verdict: 'fits' | 'caution';
  readonly subscription: Subscription;
  readonly reception: Reception;
  /** Place within the stream, from 1. */
  readonly position: number;
}

/** One stream as one receiver receives it: what all lanes of the two share. */
export interface Reception {
  readonly stream: Stream;
  /** Which of the receiver's streams carries it, from 1. */
  readonly receiverStreamNumber: number;
  readonly legs: readonly Leg[];
  /** How the two devices are joined. */
  readonly pair: PairFits;
  readonly offset: LinkOffset;
  readonly caution: LaneCaution | null;
}

interface LaneRefused {
  readonly verdict: 'refused';
  readonly subscription: Subscription;
  readonly reason: LaneReason;
  /** How it would be received, where the refusal came after packing. */
  readonly reception: Reception | null;
}
