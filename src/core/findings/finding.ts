import type { UnknownFigure } from '../models/unknown-figures';
import type { ChannelRange, MapLimits } from '../models/models-table';
import type { Side } from '../plan/labels-table';
import type { SignalSubject } from './signal-subject';
import type { LaneCaution, LaneReason } from '../reckon/lane';
import type { NetworkSubject } from './network-subject';
import type { ClockSubject } from './clock-subject';

export type Severity = 'refusal' | 'caution' | 'note';

/** Something a check found: what, where, and the numbers that prove it. Fixes are worked out when asked for. */
export type Finding = FindingBase & FindingSubject;

export type About = Finding['about'];

export type FindingAbout<A extends About> = FindingBase & Extract<FindingSubject, { readonly about: A }>;

/** What the ways of streams come to. */
export type PathFinding = FindingAbout<
  'legs-share-switch' | 'legs-share-cable' | 'discovery-local' | 'late-by-queueing'
>;

interface FindingBase {
  /** Stable while the finding stands. */
  readonly id: string;
  readonly severity: Severity;
  /** The device to show first, then others concerned. */
  readonly deviceIds: readonly string[];
}

type FindingSubject =
  | LaneAndGearSubject
  | UnknownSubject
  | MapSubject
  | NameSubject
  | ThroughSubject
  | NetworkSubject
  | ClockSubject
  | SignalSubject
  | SlotSubject;

/** What is wrong with devices and with lanes. */
export type LaneAndGearSubject =
  | {
      readonly about: 'lanes-refused';
      readonly receiverDeviceId: string;
      readonly senderDeviceId: string;
      readonly channels: readonly number[];
      readonly reason: LaneReason;
    }
  | {
      readonly about: 'lanes-caution';
      readonly receiverDeviceId: string;
      readonly senderDeviceId: string;
      readonly channels: readonly number[];
      readonly caution: LaneCaution;
    }
  | { readonly about: 'duplicate-address'; readonly address: string; readonly interfaces: readonly string[] }
  | {
      readonly about: 'address-outside-subnet';
      readonly interface: string;
      readonly address: string;
      readonly cidr: string;
    }
  | { readonly about: 'duplicate-name'; readonly name: string }
  | { readonly about: 'no-group-left'; readonly streamIds: readonly string[] };

/** Figures of a model that nobody knows: what is worked out for its devices rests on what is assumed. */
export interface UnknownSubject {
  readonly about: 'figures-unknown';
  readonly modelId: string;
  readonly figures: readonly UnknownFigure[];
}

/** What is wrong with what things are called. */
export type NameSubject =
  | {
      readonly about: 'labels-too-long';
      readonly side: Side;
      readonly isShort: boolean;
      /** Characters that the device holds. */
      readonly limit: number;
      readonly channels: readonly number[];
    }
  /** The first device is heard by the others under the planned name and calls itself otherwise. */
  | { readonly about: 'heard-by-old-name'; readonly planned: string; readonly found: string };

/** A device feeds its channels from streams otherwise than its model says; null: one by one, in any order. */
export type MapSubject =
  | {
      readonly about: 'map-limits-differ';
      readonly side: Side;
      /** `no-map`: the model says that it has no channel map, and it has one. */
      readonly planned: MapLimits | 'no-map' | null;
      readonly found: MapLimits | null;
    }
  /** Its node has several devices with channel maps of their own: only the channels of the first are mapped while they are planned as one. */
  | {
      readonly about: 'maps-apart';
      readonly nodeId: string;
      readonly parts: readonly { readonly nodeDeviceId: string; readonly label: string }[];
    }
  /** It offers no channel map, and its model says that channels are mapped freely; the order that its streams seem to have. */
  | {
      readonly about: 'no-channel-map';
      readonly sendOrder: readonly ChannelRange[] | null;
      readonly receiveOrder: readonly ChannelRange[] | null;
    };

/** What is wrong where everything is to pass through a processing unit. */
export type ThroughSubject =
  /** The first device receives the second without the units that lie between them. */
  | {
      readonly about: 'past-the-unit';
      readonly unitIds: readonly string[];
      /** Of the receiver. */
      readonly channels: readonly number[];
    }
  /** The model of the first device passes no channel from in to out; the others go through it. */
  | { readonly about: 'unit-passes-nothing' }
  /** Channels that a unit takes in and nobody receives. */
  | { readonly about: 'idle-passes'; readonly channels: readonly number[] };

/** What is wrong on a slot bus. Choices count from 0, slots from 1. */
export type SlotSubject =
  | {
      readonly about: 'slot-two-talkers';
      readonly busId: string;
      readonly slots: readonly number[];
      /** Which choice of each of the two devices. */
      readonly choices: readonly number[];
    }
  | {
      readonly about: 'slot-unheard';
      readonly busId: string;
      readonly choice: number;
      readonly slots: readonly number[];
      readonly why: 'nobody' | 'above-highest' | 'beyond-bus' | 'upstream';
      /** The highest slot that the unit hears, or that the bus has. */
      readonly limit: number;
    }
  | {
      readonly about: 'slot-beyond-bus';
      readonly busId: string;
      readonly choice: number;
      readonly slot: number;
      readonly slotCount: number;
    }
  | { readonly about: 'slot-rates-differ'; readonly busId: string; readonly ratesHz: readonly number[] };

/** How many refusals and cautions there are among findings. */
export function countWrong(findings: Iterable<Pick<Finding, 'severity'>>): { refusals: number; cautions: number } {
  let refusals = 0;
  let cautions = 0;
  for (const { severity } of findings) {
    if (severity === 'refusal') refusals += 1;
    else if (severity === 'caution') cautions += 1;
  }
  return { refusals, cautions };
}
