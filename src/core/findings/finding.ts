import type { UnknownFigure } from '../models/unknown-figures';
import type { IntervalField } from '../clocks/profiles';
import type { ReferenceProblem } from '../clocks/reference-state';
import type { ChannelRange, Leg, MapLimits, PoeClass } from '../models/models-table';
import type { AddressRange } from '../network/address-range';
import type { Cable } from '../network/links-table';
import type { Side } from '../plan/labels-table';
import type { SignalSubject } from './signal-subject';
import type { LaneCaution, LaneReason } from '../reckon/lane';

export type Severity = 'refusal' | 'caution' | 'note';

/** What part of a plan a finding is about. */
export const AREAS = ['gear', 'network', 'clocks', 'lanes', 'patch', 'slots'] as const;
export type Area = (typeof AREAS)[number];

/** Something a check found: what, where, and the numbers that prove it. Fixes are worked out when asked for. */
export type Finding = FindingBase & FindingSubject;
export type About = Finding['about'];
export type FindingAbout<A extends About> = FindingBase & Extract<FindingSubject, { readonly about: A }>;

interface FindingBase {
  /** Stable while the finding stands. */
  readonly id: string;
  readonly severity: Severity;
  readonly area: Area;
  /** The device to show first, then others concerned. */
  readonly deviceIds: readonly string[];
}

export type FindingSubject =
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
  /** The first device hears the second without the units that lie between them. */
  | {
      readonly about: 'past-the-unit';
      readonly unitIds: readonly string[];
      /** Of the receiver. */
      readonly channels: readonly number[];
    }
  /** The model of the first device passes no channel from in to out; the others go through it. */
  | { readonly about: 'unit-passes-nothing' }
  /** Channels that a unit takes in and nobody hears. */
  | { readonly about: 'idle-passes'; readonly channels: readonly number[] };

/** What is wrong with addresses, subnets, cables, switches or loads. Ids, never names. */
export type NetworkSubject =
  | {
      readonly about: 'address-in-dhcp-range';
      readonly interface: string;
      readonly address: string;
      readonly subnetId: string;
      readonly range: AddressRange;
    }
  /** A device answers on a network on which the plan does not have it. */
  | {
      readonly about: 'answers-elsewhere';
      readonly address: string;
      /** The subnet of the plan that the address is in; null: none. */
      readonly subnetId: string | null;
      /** The adapter of the server that reaches it; null: a router leads there. */
      readonly adapter: string | null;
      /** Where the plan has it, and the adapters that see each. */
      readonly planned: readonly { readonly subnetId: string; readonly adapters: readonly string[] }[];
    }
  | { readonly about: 'subnet-full'; readonly subnetId: string; readonly free: number; readonly usable: number }
  | { readonly about: 'subnets-overlap'; readonly subnetIds: readonly string[]; readonly cidrs: readonly string[] }
  | { readonly about: 'no-querier'; readonly subnetId: string; readonly devices: number }
  | {
      readonly about: 'two-queriers';
      readonly subnetId: string;
      readonly switchIds: readonly string[];
      /** The one with the lowest address, which wins; null where none has an address there. */
      readonly winnerId: string | null;
    }
  | { readonly about: 'gateway-nobody'; readonly subnetId: string; readonly gateway: string }
  /** A control address that no other device of the plan can reach: it is alone in its network, and no router leads there. */
  | { readonly about: 'control-apart'; readonly mediaSubnetId: string; readonly controlSubnetId: string }
  | { readonly about: 'legs-in-one-network'; readonly subnetIds: readonly [string, string] }
  | { readonly about: 'legs-at-one-switch'; readonly switchId: string; readonly linkIds: readonly [string, string] }
  | {
      readonly about: 'legs-share-switch';
      readonly switchId: string;
      /** Lanes by stream whose two legs both run through the switch. */
      readonly streamIds: readonly string[];
    }
  | { readonly about: 'legs-share-cable'; readonly linkId: string; readonly streamIds: readonly string[] }
  | {
      readonly about: 'link-unfit';
      readonly linkId: string;
      readonly why: 'wireless' | 'half-duplex';
      readonly streams: number;
    }
  | { readonly about: 'energy-saving'; readonly switchId: string; readonly isFixed: boolean }
  | { readonly about: 'snooping-off'; readonly switchId: string; readonly canSnoop: boolean }
  | { readonly about: 'dscp-untrusted'; readonly switchId: string; readonly canTrust: boolean }
  | {
      readonly about: 'queue-mapping';
      readonly switchId: string;
      readonly ptpQueue: number;
      readonly mediaQueue: number;
      readonly queues: number;
    }
  | { readonly about: 'group-table-full'; readonly switchId: string; readonly wanted: number; readonly limit: number }
  | {
      readonly about: 'group-collision';
      readonly groups: readonly { readonly streamId: string; readonly leg: Leg; readonly group: string }[];
    }
  | { readonly about: 'group-reserved'; readonly streamId: string; readonly leg: Leg; readonly group: string }
  | {
      readonly about: 'overload';
      readonly linkId: string;
      /** The device that sends in the overloaded direction. */
      readonly senderId: string;
      readonly bitsPerSecond: number;
      readonly usableBitsPerSecond: number;
      readonly ceilingPercent: number;
      /** The heaviest streams there, as many as would have to go. */
      readonly topStreamIds: readonly string[];
    }
  | {
      readonly about: 'loop';
      /** Cables that close a ring. */
      readonly linkIds: readonly string[];
      /** Switches of the ring that do not run spanning tree. */
      readonly switchIds: readonly string[];
    }
  /** Groups that are joined with their source, at a switch whose IGMP knows no sources. */
  | { readonly about: 'igmp-without-sources'; readonly switchId: string; readonly groups: readonly string[] }
  /** Some of the switches of a subnet speak IGMPv2 and the others IGMPv3. */
  | {
      readonly about: 'igmp-versions-differ';
      readonly subnetId: string;
      /** Those that speak the older one, of so many. */
      readonly switchIds: readonly string[];
      readonly count: number;
    }
  /** A router that passes on only groups that are joined with their source, or that knows no rendezvous point for the others. */
  | { readonly about: 'pim-any-source'; readonly switchId: string; readonly groups: readonly string[] }
  | { readonly about: 'pim-no-rendezvous'; readonly switchId: string; readonly groups: readonly string[] }
  | { readonly about: 'pim-differs' }
  /** Only cables carry these VLANs that the one spanning tree for all VLANs leaves idle. */
  | {
      readonly about: 'vlan-cut';
      readonly subnetIds: readonly string[];
      readonly linkIds: readonly string[];
      /** The cables between the same switches that stay open. */
      readonly openLinkIds: readonly string[];
      /** The switches there that lay one tree for all VLANs. */
      readonly oneTreeIds: readonly string[];
    }
  | { readonly about: 'poe-budget'; readonly switchId: string; readonly wantedW: number; readonly budgetW: number }
  | {
      readonly about: 'poe-class';
      readonly linkId: string;
      readonly takesClass: PoeClass;
      readonly givesClass: PoeClass | null;
    }
  | { readonly about: 'port-twice'; readonly port: string; readonly linkIds: readonly string[] }
  | {
      readonly about: 'cable-too-long';
      readonly linkId: string;
      readonly metres: number;
      readonly limitMetres: number;
      readonly cable: Cable;
    }
  | {
      readonly about: 'link-too-fast';
      readonly linkId: string;
      readonly bitsPerSecond: number;
      readonly portBitsPerSecond: number;
    }
  | { readonly about: 'discovery-local'; readonly subnetIds: readonly string[]; readonly lanes: number }
  | {
      readonly about: 'late-by-queueing';
      readonly receiverDeviceId: string;
      readonly senderDeviceId: string;
      readonly neededNs: number;
      readonly queueNs: number;
      readonly offsetNs: number;
    }
  | {
      readonly about: 'link-slower';
      readonly linkId: string;
      readonly plannedBitsPerSecond: number;
      readonly foundBitsPerSecond: number;
    }
  | { readonly about: 'link-half-duplex-found'; readonly linkId: string };

/** What is wrong with who keeps time, and with what samples are paced by. */
export type ClockSubject =
  | {
      readonly about: 'two-grandmasters';
      readonly domainNumber: number;
      /** The one with more followers first. */
      readonly grandmasterIds: readonly [string, string];
      /** Subnets in which the second one is followed. */
      readonly subnetIds: readonly string[];
      /** Both have the same second from GNSS: no harm but that nobody decided it. */
      readonly areSynchronous: boolean;
    }
  | { readonly about: 'clock-tie'; readonly winnerId: string; readonly isIdentityKnown: boolean }
  | { readonly about: 'priorities-default'; readonly count: number; readonly winnerId: string }
  | {
      readonly about: 'leader-only-follows';
      readonly priority1: number;
      readonly canLead: boolean;
      readonly ignoresId: string | null;
    }
  | { readonly about: 'battery-grandmaster'; readonly followers: number }
  | {
      readonly about: 'subnet-no-time';
      readonly subnetId: string;
      readonly devices: number;
      /** False: no clock of the whole plan is followed by anyone, so that there is no time to pass in. */
      readonly isTimeElsewhere: boolean;
    }
  | { readonly about: 'relay-no-spare'; readonly subnetId: string; readonly relayId: string; readonly devices: number }
  | { readonly about: 'relay-unreachable'; readonly relayId: string; readonly masterId: string }
  | { readonly about: 'profile-unmet'; readonly leaderId: string }
  | {
      readonly about: 'intervals-differ';
      readonly leaderId: string;
      readonly field: IntervalField;
      readonly leaderValue: number;
      readonly values: readonly number[];
    }
  | {
      readonly about: 'domains-differ';
      readonly subnetId: string;
      readonly domainNumber: number;
      readonly usualDomain: number;
    }
  | {
      readonly about: 'reference-missing';
      readonly leads: boolean;
      readonly tried: readonly { readonly referenceId: string; readonly problem: ReferenceProblem }[];
      /** What it does without, by its model. */
      readonly state: 'hold-over' | 'free' | 'stopped' | 'reference';
    }
  | {
      readonly about: 'reference-rate';
      readonly referenceId: string;
      readonly referenceRateHz: number;
      readonly wantedRateHz: number;
    }
  | {
      readonly about: 'rate-not-of-group';
      readonly groupId: string;
      readonly groupRateHz: number;
      readonly rateHz: number;
    }
  | { readonly about: 'group-no-authority'; readonly groupId: string; readonly members: number }
  | {
      readonly about: 'free-running';
      /** Every sender and receiver with lanes between them whose clocks slip against each other. */
      readonly pairs: readonly { readonly senderId: string; readonly receiverId: string; readonly lanes: number }[];
      readonly partsPerMillion: number;
      readonly rateHz: number;
      readonly slipSeconds: number;
      readonly isStopped: boolean;
    }
  | {
      readonly about: 'free-running-sides';
      readonly groupId: string;
      readonly partsPerMillion: number;
      readonly rateHz: number;
      readonly slipSeconds: number;
    }
  | {
      readonly about: 'grandmaster-no-spare';
      /** Both legs hang on it. */
      readonly isOnBothLegs: boolean;
      /** Who would lead by chance; null where nobody may. */
      readonly nextId: string | null;
      readonly devicesWithoutTime: number;
    }
  | { readonly about: 'version-1-alone'; readonly subnetId: string }
  | {
      readonly about: 'field-grandmaster';
      readonly plannedId: string;
      /** Sixteen hexadecimal digits. */
      readonly foundGmid: string;
      /** The device of the plan with that identity. */
      readonly foundId: string | null;
    }
  | {
      readonly about: 'field-two-grandmasters';
      /** Most followed first. */
      readonly masters: readonly {
        readonly gmid: string;
        readonly deviceId: string | null;
        readonly devices: number;
      }[];
    };

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

export function isAboutSlots(finding: Finding): finding is FindingBase & SlotSubject {
  return finding.area === 'slots';
}

export function isAboutClocks(finding: Finding): finding is FindingBase & ClockSubject {
  return finding.area === 'clocks';
}

export function isAboutSignal(finding: Finding): finding is FindingBase & SignalSubject {
  return finding.area === 'patch';
}
