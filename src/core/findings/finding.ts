import type { Leg, PoeClass } from '../models/model';
import type { AddressRange, Cable } from '../plan/records';
import type { LaneCaution, LaneReason } from '../reckon/reckoning';

export type Severity = 'refusal' | 'caution' | 'note';

/** The stage at which a finding is put right. */
export type Stage = 'gear' | 'network' | 'lanes';

/** Something a check found: what, where, and the numbers that prove it. Fixes are worked out when asked for. */
export type Finding = FindingBase & FindingSubject;

interface FindingBase {
  /** Stable while the finding stands. */
  readonly id: string;
  readonly severity: Severity;
  readonly stage: Stage;
  /** The device to show first, then others concerned. */
  readonly deviceIds: readonly string[];
}

export type FindingSubject =
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
  | { readonly about: 'no-group-left'; readonly streamIds: readonly string[] }
  | NetworkSubject;

/** What is wrong with addresses, subnets, cables, switches or loads. Ids, never names. */
export type NetworkSubject =
  | {
      readonly about: 'address-in-dhcp-range';
      readonly interface: string;
      readonly address: string;
      readonly subnetId: string;
      readonly range: AddressRange;
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
