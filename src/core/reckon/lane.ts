import type { LinkOffset } from '../delay/link-offset';
import type { Leg } from '../models/models-table';
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
  /** The receiver keeps the order of a stream: this lane's position comes before that of a channel in front of it. */
  | { readonly code: 'map-order' }
  | { readonly code: 'link-offset'; readonly neededNs: number; readonly offsetNs: number };

/** What a carried lane has to be told beside its numbers. */
export type LaneCaution =
  | { readonly code: 'one-leg'; readonly missing: Leg; readonly because: PairReason }
  | { readonly code: 'path-unknown' }
  /** The patch of this end is never written: somebody else has to make it so. */
  | { readonly code: 'foreign-patch'; readonly end: 'sender' | 'receiver' };

/** A subscription drawn from end to end. */
export type Lane = LaneCarried | LaneRefused;

export interface LaneCarried {
  readonly verdict: 'fits' | 'caution';
  readonly subscription: Subscription;
  readonly hearing: Hearing;
  /** Place within the stream, from 1. */
  readonly position: number;
}

/** One stream as one receiver hears it: what all lanes of the two share. */
export interface Hearing {
  readonly stream: Stream;
  /** Which of the receiver's streams carries it, from 1. */
  readonly receiverStreamNumber: number;
  readonly legs: readonly Leg[];
  /** How the two devices are joined. */
  readonly pair: PairFits;
  readonly offset: LinkOffset;
  readonly caution: LaneCaution | null;
}

export interface LaneRefused {
  readonly verdict: 'refused';
  readonly subscription: Subscription;
  readonly reason: LaneReason;
  /** How it would be heard, where the refusal came after packing. */
  readonly hearing: Hearing | null;
}
