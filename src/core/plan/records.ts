import type { ClockProfile, ReferenceKind, RelayKind } from '../clocks/ability';
import type { Model } from '../models/model';
import type { Encoding, PacketTimeUs, RateHz, StreamFormat } from '../streams/format';

/** The records of a plan. Each is immutable; a change replaces the whole record. Channels are counted from 1. */

export interface Place {
  readonly id: string;
  readonly name: string;
  /** Places nest: the place that this one is in. */
  readonly parentId: string | null;
}

export const SUBNET_ROLES = ['A', 'B', 'control', 'other'] as const;
export type SubnetRole = (typeof SUBNET_ROLES)[number];

export interface Subnet {
  readonly id: string;
  readonly name: string;
  readonly cidr: string;
  readonly vlan: number | null;
  readonly role: SubnetRole;
  /** Addresses that a DHCP server gives out, both ends included. */
  readonly dhcp: AddressRange | null;
  /** Where its hosts send what is for other subnets. */
  readonly gateway: string | null;
  /** The switches told to ask for memberships (IGMP querier) on this VLAN. One is right; the lowest address wins. */
  readonly querierIds: readonly string[];
}

export interface AddressRange {
  readonly first: string;
  readonly last: string;
}

export interface Device {
  readonly id: string;
  readonly name: string;
  readonly modelId: string;
  readonly placeId: string | null;
  /** The rate its network channels run at. */
  readonly rateHz: RateHz;
  /** What it prefers to send; null: what the plan prefers. */
  readonly sendsEncoding: Encoding | null;
  readonly sendsPacketTimeUs: PacketTimeUs | null;
  /** Time from the RTP timestamp to the output, set at the receiver; null: what the packet time asks for. */
  readonly linkOffsetNs: number | null;
  /** Sends a copy to each receiver instead of to a group: needs no multicast routing, but a stream for every receiver. */
  readonly sendsUnicast: boolean;
  /** Its patch belongs to somebody else: it is read and drawn, and never written. */
  readonly isPatchForeign: boolean;
  /**
   * The processing unit that everything to and from this device passes through; null: it hears senders directly. That unit takes
   * its channels in and gives them out again: both count there.
   */
  readonly throughId: string | null;
  readonly serial: string | null;
  /** The IS-04 node that this device is bound to by hand; null: found by address or serial, or still on paper. */
  readonly nodeId: string | null;
  readonly notes: string;
}

/** A device of which nothing but its name, model and rate is stated. */
export const PLAIN_DEVICE = {
  placeId: null,
  sendsEncoding: null,
  sendsPacketTimeUs: null,
  linkOffsetNs: null,
  sendsUnicast: false,
  isPatchForeign: false,
  throughId: null,
  serial: null,
  nodeId: null,
  notes: '',
} as const;

/** A network interface of a device. A router has one `routed` interface for each subnet it joins. */
export interface Interface {
  readonly deviceId: string;
  /** The port's role; for a router `routed:` and the subnet's id. Unique within the device. */
  readonly name: string;
  readonly subnetId: string | null;
  readonly address: string | null;
}

/** The interface by which a router passes packets into a subnet. */
export const routedName = (subnetId: string): string => `routed:${subnetId}`;

/** Whether an interface is one by which a router joins a subnet, not one of the device's own. */
export function isRouted(i: { readonly name: string }): boolean {
  return i.name.startsWith('routed:');
}

export interface LinkEnd {
  readonly deviceId: string;
  readonly port: string;
}

export const CABLES = ['cat5e', 'cat6', 'cat6a', 'om3', 'single-mode', 'wireless'] as const;
export type Cable = (typeof CABLES)[number];

/** A cable between two ports, or a wireless link. */
export interface Link {
  readonly id: string;
  readonly from: LinkEnd;
  readonly to: LinkEnd;
  readonly bitsPerSecond: number;
  readonly metres: number;
  /** Null: not stated. */
  readonly cable: Cable | null;
  readonly duplex: 'full' | 'half';
  /** Links between the same two switches that share this word carry traffic as one; null: a link by itself. */
  readonly joinedAs: string | null;
  /** Part of the speed that is set aside for other traffic. */
  readonly setAsidePercent: number;
  /** Between switches: the subnets whose VLANs pass; null: all of them. */
  readonly carries: readonly string[] | null;
}

/** A cable of which nothing but its ends, speed and length is stated. */
export const PLAIN_LINK = { cable: null, duplex: 'full', joinedAs: null, setAsidePercent: 0, carries: null } as const;
/** A subnet with neither DHCP nor router nor querier. */
export const PLAIN_SUBNET = { dhcp: null, gateway: null, querierIds: [] } as const;

/** How a switch is set. A switch without such a record is planned as `usualSwitchSettings` of its model says. */
export interface SwitchSettings {
  /** The device's id. */
  readonly id: string;
  readonly snooping: boolean;
  readonly trustsDscp: boolean;
  /** Queues count from 0, the highest is served first. What is not listed goes to queue 0. */
  readonly queueByDscp: readonly { readonly dscp: number; readonly queue: number }[];
  /** Energy-Efficient Ethernet (IEEE 802.3az), whose sleeping and waking spoils time stamps. */
  readonly energySaving: boolean;
  readonly spanningTree: boolean;
  /** IEEE 802.1D: the lowest becomes root, then the lowest id. */
  readonly bridgePriority: number;
  readonly multicastRouting: boolean;
}

/** Groups chosen by hand for one stream of a sender. A null leg is given one from its pool. */
export interface GroupChoice {
  readonly senderDeviceId: string;
  readonly slot: number;
  readonly groupA: string | null;
  readonly groupB: string | null;
}

/** What a device's media clock follows: the network's time, outside references in turn, or its own oscillator. */
export const MEDIA_CLOCKS = ['ptp', 'references', 'own'] as const;
export type MediaClockSource = (typeof MEDIA_CLOCKS)[number];

/** How a device takes part in keeping time. One without such a record is planned as `usualClockSettings` says. */
export interface ClockSettings {
  /** The device's id. */
  readonly id: string;
  readonly runsPtp: boolean;
  /** Told never to lead (IEEE 1588 clause 9.2.2). */
  readonly clientOnly: boolean;
  readonly domainNumber: number;
  readonly profile: ClockProfile;
  readonly priority1: number;
  readonly priority2: number;
  /** Logarithms to base 2 of seconds, as IEEE 1588 has them. */
  readonly logAnnounceInterval: number;
  readonly logSyncInterval: number;
  readonly logDelayRequestInterval: number;
  /** After so many announce intervals without an announce the sender is taken for lost. */
  readonly announceTimeout: number;
  /** Eight octets in hexadecimal; null: not known, so that ties that only it decides cannot be foretold. */
  readonly clockIdentity: string | null;
  /** Whether it passes time from one subnet into another, and how. */
  readonly relay: RelayKind;
  /** Clocks that a unicast relay asks for time across routers. */
  readonly unicastMasterIds: readonly string[];
  readonly mediaClock: MediaClockSource;
  /** References in the order in which they are tried. */
  readonly referenceIds: readonly string[];
  /** The clock group of its network side. */
  readonly groupId: string | null;
  /** The clock group of its other side, for devices with two. */
  readonly secondGroupId: string | null;
}

/** An outside signal that clocks can lock to. */
export interface Reference {
  readonly id: string;
  readonly name: string;
  readonly kind: ReferenceKind;
  /** The device that gives it; null: it comes from outside the plan (an antenna, a house generator). */
  readonly fromDeviceId: string | null;
  /** Null for kinds that carry no sample rate (GNSS, black burst). */
  readonly rateHz: number | null;
  /** Whether the signal is there. */
  readonly isFed: boolean;
  /** How far it is from the giver's own frame, for those that lock to it. */
  readonly offsetNs: number;
}

/** Devices that are meant to share one media clock, and who decides its rate. */
export interface ClockGroup {
  readonly id: string;
  readonly name: string;
  readonly rateHz: RateHz;
  readonly authority: RateAuthority | null;
}
export interface RateAuthority {
  readonly kind: 'device' | 'reference';
  readonly id: string;
}

export const BUS_SHAPES = ['ring', 'chain', 'one-way-chain'] as const;
export type BusShape = (typeof BUS_SHAPES)[number];

/** Units in a row that share numbered slots. On a one-way chain a unit hears only those before it. */
export interface SlotBus {
  readonly id: string;
  readonly name: string;
  readonly shape: BusShape;
}

/** A device on a slot bus, and the blocks that its selectors are set to. */
export interface SlotUnit {
  /** The device's id. */
  readonly id: string;
  readonly busId: string;
  /** Its place along the cable: lower comes first. */
  readonly order: number;
  /** As many as its model can talk on and hear; null: off. Blocks count from 1, in the unit's own block size. */
  readonly talks: readonly (number | null)[];
  readonly hears: readonly (number | null)[];
}

/** No label is longer, whatever a model would take. */
export const LABEL_MAX = 80;

export const SIDES = ['receive', 'send'] as const;
export type Side = (typeof SIDES)[number];

export interface ChannelLabel {
  readonly deviceId: string;
  readonly side: Side;
  readonly channel: number;
  readonly label: string;
  /** What stands where there is little room: a strip, a meter. Null: the label itself. */
  readonly short: string | null;
}

/** The wish that one receiver channel hears one sender channel. A receiver channel has at most one. */
export interface Subscription {
  readonly receiverDeviceId: string;
  readonly receiverChannel: number;
  readonly senderDeviceId: string;
  readonly senderChannel: number;
}

/**
 * A stream as it was last sent to the devices. Packing keeps it as it is for as long as any of its channels is wanted,
 * so that a new subscription never interrupts what is already carrying.
 */
export interface SentStream {
  readonly senderDeviceId: string;
  /** Which of the sender's streams it is, from 1. */
  readonly slot: number;
  /** Sender channels in their order within the stream. */
  readonly channels: readonly number[];
  readonly format: StreamFormat;
  readonly groupA: string | null;
  readonly groupB: string | null;
  /** Which of each receiver's streams hears it. */
  readonly receivers: readonly { readonly deviceId: string; readonly slot: number }[];
}

/**
 * How one of a sender's streams is laid out: agreed on when the plan was repacked, or held by hand. It counts before what was
 * sent, for as long as any of its channels is wanted.
 */
export interface StreamLayout {
  readonly senderDeviceId: string;
  readonly slot: number;
  /** Sender channels in their order within the stream. */
  readonly channels: readonly number[];
  readonly format: StreamFormat;
  /** Repacking never touches it. */
  readonly isHeld: boolean;
}

export interface PlanSettings {
  readonly id: 'settings';
  readonly name: string;
  readonly preferredEncoding: Encoding;
  readonly preferredPacketTimeUs: PacketTimeUs;
  /** Multicast groups are taken from these pools (RFC 2365), one for each leg. */
  readonly poolA: string;
  readonly poolB: string;
  readonly rtpPort: number;
  /** Whether media packets carry an 802.1Q tag on the cables whose load is stated. */
  readonly vlanTagged: boolean;
  /** A link is overloaded above this share of what is not set aside. */
  readonly loadCeilingPercent: number;
  /** Allowance for control and monitoring on every link, each way. */
  readonly controlBitsPerSecond: number;
  /** Time to live of media packets: each router on the way takes one. */
  readonly multicastTtl: number;
  /** DiffServ code points (AES67 clause 6: 46 and 34). */
  readonly ptpDscp: number;
  readonly mediaDscp: number;
  /** How devices find one another: through a registry that all reach, or by mDNS and SAP, which stay in a subnet. */
  readonly discovery: 'registry' | 'local';
}

export type { Model };
