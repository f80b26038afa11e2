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
  readonly serial: string | null;
  /** The IS-04 node that this device is bound to by hand; null: found by address or serial, or still on paper. */
  readonly nodeId: string | null;
  readonly notes: string;
}

/** A network interface of a device. A router has one `routed` interface for each subnet it joins. */
export interface Interface {
  readonly deviceId: string;
  /** The port's role; for a router `routed:` and the subnet's id. Unique within the device. */
  readonly name: string;
  readonly subnetId: string | null;
  readonly address: string | null;
}

export interface LinkEnd {
  readonly deviceId: string;
  readonly port: string;
}

/** A cable between two ports. */
export interface Link {
  readonly id: string;
  readonly from: LinkEnd;
  readonly to: LinkEnd;
  readonly bitsPerSecond: number;
  readonly metres: number;
}

export const SIDES = ['receive', 'send'] as const;
export type Side = (typeof SIDES)[number];

export interface ChannelLabel {
  readonly deviceId: string;
  readonly side: Side;
  readonly channel: number;
  readonly label: string;
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
}

export type { Model };
