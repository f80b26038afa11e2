import type { Clocks } from '../clocks/clocks';
import type { ClockFrame } from '../clocks/network-clocks';
import type { MediaClock } from '../clocks/media-clock';
import type { PathFinding } from '../findings/finding';
import type { Delivery } from '../network/delivery';
import type { LoadFrame, Loads } from '../network/loads';
import type { StreamTree } from '../network/stream-trees';
import type { Reach } from '../network/reach';
import type { Topology } from '../network/topology';
import type { GearTable, ModelledDevices, Plan } from '../plan/plan';
import type { GroupAllocation } from '../streams/groups';
import type { DevicePart } from '../signal/device-part';
import type { SignalFlow } from '../signal/flow';
import type { SignalGraph } from '../signal/graph';
import type { SlotEdge } from '../signal/slot-edges';
import type { Packing } from '../streams/packing';
import type { Stream } from '../streams/stream';
import type { LaneTable } from './lane-table';
import type { Pairs } from './pairs';
import type { DeviceProfile } from './profile';
import type { DeviceBudget } from './reckoning';
import type { Slips } from './slips';
import type { Wishes } from './wishes';

/** Everything that is worked out from the tables of a plan, by name. How each is worked out is in `results.ts`. */
export interface Results {
  /** Which devices there are, of which models: the same object whatever else of them changes. */
  readonly modelled: ModelledDevices;
  /** The devices by all that figures follow from: the same object when one is only called or placed otherwise. */
  readonly gear: GearTable['devices'];
  /** Of known models, in order. */
  readonly deviceIds: readonly string[];
  readonly topology: Topology;
  readonly reach: Reach;
  readonly delivery: Delivery;
  readonly loadFrame: LoadFrame;
  readonly profiles: ReadonlyMap<string, DeviceProfile>;
  readonly wishes: Wishes;
  readonly pairs: Pairs;
  /** By sender. */
  readonly packings: ReadonlyMap<string, Packing>;
  readonly streamsBySender: ReadonlyMap<string, readonly Stream[]>;
  readonly groups: GroupAllocation;
  readonly lanesByReceiver: ReadonlyMap<string, LaneTable>;
  readonly budgetByDevice: ReadonlyMap<string, DeviceBudget>;
  /** By sender. */
  readonly trees: ReadonlyMap<string, readonly StreamTree[]>;
  readonly loads: Loads;
  /** Whether leg A and leg B are plugged into switches that cables join. */
  readonly doLegsMeet: boolean;
  /** What is wrong with those ways, whoever says it. */
  readonly pathFindings: readonly PathFinding[];
  /** Which clocks there are and where their ports are, whatever is lost. */
  readonly clockFrame: ClockFrame;
  /** Who keeps time. */
  readonly timekeeping: Omit<Clocks, 'media'>;
  /** What the samples of each device are paced by. */
  readonly pace: ReadonlyMap<string, MediaClock>;
  readonly clockwork: Clocks;
  /** What is received of senders that another oscillator paces. */
  readonly slips: Slips;
  /** The channels of each device, and how it leads on inside. */
  readonly signalParts: ReadonlyMap<string, DevicePart>;
  /** Who listens to whom on slot buses. */
  readonly slotEdges: readonly SlotEdge[];
  /** All channels of the plan and what feeds each. */
  readonly signal: SignalGraph;
  readonly signalFlow: SignalFlow;
}

/** The tables of a plan and all that follows from them: what steps and rules may read. */
export type Facts = Plan & Results;
export type FactName = keyof Facts;
