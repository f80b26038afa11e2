import type { Leg, PoeClass } from '../models/models-table';
import type { AddressRange } from '../network/address-range';
import type { Cable } from '../network/links-table';

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
  /** Two networks that must not meet are one: the subnets of the two legs have one VLAN id. */
  | { readonly about: 'legs-on-one-vlan'; readonly subnetIds: readonly [string, string]; readonly vlan: number }
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
  /** Control ports with an address and no cable: all of them together. */
  | { readonly about: 'control-unplugged'; readonly subnetIds: readonly string[] }
  /** Switches whose management address no way leads to from the others in its network: all of a network together. */
  | { readonly about: 'management-apart'; readonly subnetId: string }
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
