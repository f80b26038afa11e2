import type { Clocks } from '../clocks/clocks';
import type { LinkOffset } from '../delay/link-offset';
import type { Finding } from '../findings/finding';
import type { Leg } from '../models/models-table';
import type { LoadFrame, Loads } from '../network/loads';
import type { Topology } from '../network/topology';
import type { Plan } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';
import type { StreamGroups } from '../streams/groups';
import type { Stream } from '../streams/pack';
import type { PairReason } from './profile';

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
  readonly receiverSlot: number;
  readonly legs: readonly Leg[];
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

export interface Count {
  readonly used: number;
  readonly limit: number;
}

export interface DeviceBudget {
  readonly channelsReceive: Count;
  /** Sender channels that anyone hears. */
  readonly channelsSend: Count;
  readonly channelPool: Count | null;
  readonly streamsReceive: Count;
  readonly streamsSend: Count;
}

export interface BusiestLink {
  readonly linkId: string;
  /** The device that sends in this direction. */
  readonly senderId: string;
  readonly bitsPerSecond: number;
  /** Of what is not set aside for other traffic; 1 is full. */
  readonly share: number;
}

export interface Totals {
  readonly devices: number;
  readonly streams: number;
  /** Receiver channels that are subscribed, of all there are. */
  readonly channels: Count;
  /** Bits that senders put on the wire, both legs. */
  readonly sentBitsPerSecond: number;
  readonly longestOffsetNs: number;
  /** The direction of a link that is nearest to full; null where nothing is carried. */
  readonly busiest: BusiestLink | null;
  /** The one that most devices follow. */
  readonly grandmasterId: string | null;
  readonly grandmasters: number;
  readonly refusedLanes: number;
  readonly refusals: number;
  readonly cautions: number;
}

/** Everything worked out from a plan. The same plan gives the same reckoning, in any order of its records. */
export interface Reckoning {
  readonly plan: Plan;
  /** By sending device, in the order of slots. */
  readonly streamsBySender: ReadonlyMap<string, readonly Stream[]>;
  readonly groupsByStream: ReadonlyMap<string, StreamGroups>;
  /** By receiving device and receiver channel. */
  readonly lanesByReceiver: ReadonlyMap<string, ReadonlyMap<number, Lane>>;
  /** Every device that has network channels. */
  readonly budgetByDevice: ReadonlyMap<string, DeviceBudget>;
  readonly topology: Topology;
  readonly loadFrame: LoadFrame;
  readonly loads: Loads;
  readonly clocks: Clocks;
  readonly findings: readonly Finding[];
  readonly totals: Totals;
  /** What the next reckoning starts from. */
  readonly memo: ReckonMemo;
}

/** Opaque outside `reckon`. */
export interface ReckonMemo {
  readonly brand: 'reckon-memo';
}

/** The receiver channels that hear a stream. */
export function lanesOfStream(reckoning: Reckoning, streamId: string): { deviceId: string; channel: number }[] {
  const found: { deviceId: string; channel: number }[] = [];
  for (const [deviceId, lanes] of reckoning.lanesByReceiver) {
    for (const [channel, lane] of lanes) if (lane.hearing?.stream.id === streamId) found.push({ deviceId, channel });
  }
  return found;
}
