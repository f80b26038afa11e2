import type { Clocks } from '../clocks/clocks';
import type { Finding } from '../findings/finding';
import type { LoadFrame, Loads } from '../network/loads';
import type { Topology } from '../network/topology';
import type { Plan } from '../plan/plan';
import type { StreamGroups } from '../streams/stream-groups';
import type { SignalFlow } from '../signal/flow';
import type { SignalGraph } from '../signal/graph';
import type { Stream } from '../streams/stream';
import type { Lane } from './lane';

/** Of something whose limit may not be known: null. */
export interface OpenCount {
  readonly used: number;
  readonly limit: number | null;
}

export interface Count extends OpenCount {
  readonly used: number;
  readonly limit: number;
}

export interface DeviceBudget {
  readonly channelsReceive: Count;
  /** Sender channels that anyone receives. */
  readonly channelsSend: Count;
  readonly channelPool: Count | null;
  readonly streamsReceive: OpenCount;
  readonly streamsSend: OpenCount;
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
  /** By sending device, in the order of their numbers. */
  readonly streamsBySender: ReadonlyMap<string, readonly Stream[]>;
  readonly groupsByStream: ReadonlyMap<string, StreamGroups>;
  /** By receiving device and receiver channel. */
  readonly lanesByReceiver: ReadonlyMap<string, ReadonlyMap<number, Lane>>;
  /** Every device of a known model. */
  readonly budgetByDevice: ReadonlyMap<string, DeviceBudget>;
  readonly topology: Topology;
  readonly loadFrame: LoadFrame;
  readonly loads: Loads;
  readonly clocks: Clocks;
  readonly signal: SignalGraph;
  readonly signalFlow: SignalFlow;
  readonly findings: readonly Finding[];
  readonly totals: Totals;
  /** What the next reckoning starts from. */
  readonly workings: Workings;
}

/** What was worked out step by step, and from what: opaque outside this folder. */
interface Workings {
  readonly results: object;
  readonly found: object;
  readonly facts: object;
}

/** The receiver channels that receive a stream. */
export function lanesOfStream(reckoning: Reckoning, streamId: string): { deviceId: string; channel: number }[] {
  const found: { deviceId: string; channel: number }[] = [];
  for (const [deviceId, lanes] of reckoning.lanesByReceiver) {
    for (const [channel, lane] of lanes) if (lane.reception?.stream.id === streamId) found.push({ deviceId, channel });
  }
  return found;
}
