import type { Topology } from '../network/topology';
import type { PlanOf, ModelledDevices } from '../plan/plan';
import { keepTime, leadersOf, type TimeKeeping } from './kept-time';
import { mediaClocks, type MediaClock } from './media-clock';
import { clockFrameOf, clockNetworkOf, networkWithout, type ClockFrame, type ClockNetwork } from './network-clocks';
import { referenceStates, type ReferenceState } from './reference-state';

/** What fails in a drill. */
export interface Losses {
  readonly deviceIds: ReadonlySet<string>;
  readonly referenceIds: ReadonlySet<string>;
  /** Sockets whose cable is gone, as `device port`: what is in them hears nobody there. */
  readonly cutSockets: ReadonlySet<string>;
  /** Clocks whose time of hold-over is over. */
  readonly holdoverEnded?: ReadonlySet<string>;
}
export const NO_LOSSES: Losses = { deviceIds: new Set(), referenceIds: new Set(), cutSockets: new Set() };

/** Who keeps time, and what every device's samples are paced by. The two are different questions. */
export interface Clocks {
  readonly network: ClockNetwork;
  readonly time: TimeKeeping;
  /** By device. */
  readonly media: ReadonlyMap<string, MediaClock>;
  readonly references: ReadonlyMap<string, ReferenceState>;
}

type TimeTables = ModelledDevices & PlanOf<'settings' | 'switches' | 'references' | 'clocks' | 'interfaces'>;

/** Who keeps time alone: it follows from cables, addresses, models and clock settings, and from no rate. */
export function timeOf(
  plan: TimeTables,
  topology: Topology,
  losses: Losses = NO_LOSSES,
  frame: ClockFrame = clockFrameOf(plan, topology, losses.cutSockets),
): Omit<Clocks, 'media'> {
  const references = referenceStates(plan, losses.deviceIds, losses.referenceIds);
  const network = clockNetworkOf(frame, plan, topology, references, losses.deviceIds, losses.holdoverEnded);
  return { network, time: keepTime(network), references };
}

/** Who leads whom when a device fails: of a network in which nothing else has. */
export function leadersWithout(
  network: ClockNetwork,
  plan: PlanOf<'references' | 'interfaces'>,
  topology: Topology,
  lostDeviceId: string,
): ReturnType<typeof leadersOf> {
  const references = referenceStates(plan, new Set([lostDeviceId]), NO_LOSSES.referenceIds);
  return leadersOf(networkWithout(network, plan, topology, references, lostDeviceId));
}

/** Pure, and the same for any order of records. Cables and switches that fail are for the topology to leave out. */
export function clocksOf(plan: TimeTables & PlanOf<'devices'>, topology: Topology, losses: Losses = NO_LOSSES): Clocks {
  const kept = timeOf(plan, topology, losses);
  return { ...kept, media: mediaClocks(plan, kept.time, kept.references, losses.deviceIds) };
}
