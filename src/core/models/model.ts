import type { StreamCapability } from '../streams/capability';
import type { ClockAbility } from '../clocks/ability';
import type { SlotAbility } from '../slots/slot-ability';
import type { RateHz } from '../streams/format';

/** A catalogue entry: what a kind of device can do and its limits. A plan keeps its own copy of each model it uses. */
export interface Model {
  readonly id: string;
  readonly name: string;
  readonly maker: string;
  readonly kind: DeviceKind;
  /** Network channels each way. With a pool, both directions together may not use more than `channelPool`. */
  readonly channelsReceive: number;
  readonly channelsSend: number;
  readonly channelPool: number | null;
  /** Streams each way: how many RTP sessions the device can hear and send at once (both legs count as one). */
  readonly streamsReceive: number;
  readonly streamsSend: number;
  readonly channelsPerStreamMax: number;
  readonly sends: StreamCapability;
  readonly receives: StreamCapability;
  readonly ratesHz: readonly RateHz[];
  readonly ports: readonly ModelPort[];
  /** The smallest link offset at which the receiver works, in nanoseconds; the packet time may ask for more. */
  readonly linkOffsetMinNs: number;
  /** Switches and routers only. */
  readonly switching: Switching | null;
  /** What it does as a clock; null: not stated (see `abilityOf`). */
  readonly clock: ClockAbility | null;
  /** Units of a slot bus only. */
  readonly slots: SlotAbility | null;
  /** How long its channel labels may be; null: not stated, any will do. */
  readonly naming: NamingAbility | null;
  /** How its network channels can be fed from streams (IS-08); null: one by one, in any order. */
  readonly receiveMap: MapLimits | null;
  /**
   * How many of its channels, from the first on, it passes from in to out under the same number: what makes it a processing
   * unit that everything of a system can pass through. Sender channels beyond are its own players.
   */
  readonly passesThrough: number;
}

/** Lengths are in characters. */
export interface NamingAbility {
  readonly labelMax: number;
  /** Null: it has no short labels. */
  readonly shortMax: number | null;
  /** It keeps the names of what it hears, not ids: what is renamed falls silent there until its lanes are sent again. */
  readonly subscribesByName: boolean;
}

/** The caps of IS-08 inputs: see `map-limits`. */
export interface MapLimits {
  readonly blockSize: number;
  readonly reordering: boolean;
}

/** What a model has where nothing else is stated. */
export const PLAIN_MODEL = {
  maker: '',
  channelPool: null,
  switching: null,
  clock: null,
  slots: null,
  naming: null,
  receiveMap: null,
  passesThrough: 0,
} as const;

export const DEVICE_KINDS = [
  'console',
  'processor',
  'stage-box',
  'amplifier',
  'wireless',
  'endpoint',
  'player',
  'recorder',
  'converter',
  'clock',
  'switch',
] as const;
export type DeviceKind = (typeof DEVICE_KINDS)[number];

export const LEGS = ['A', 'B'] as const;
export type Leg = (typeof LEGS)[number];

export const PORT_ROLES = ['A', 'B', 'control', 'switched'] as const;
export type PortRole = (typeof PORT_ROLES)[number];

/** A network socket. Devices have at most one port per role; a switch has many `switched` ones. */
export interface ModelPort {
  readonly name: string;
  readonly role: PortRole;
  readonly bitsPerSecond: number;
  /** Power over Ethernet: the class of supply that a switch's port offers at most. */
  readonly givesPoeClass?: PoeClass | null;
  /** The class that a device asks for on this port when it has no supply of its own. */
  readonly takesPoeClass?: PoeClass | null;
}

/** IEEE 802.3 clauses 33 and 145. */
export const POE_CLASSES = [0, 1, 2, 3, 4, 5, 6, 7, 8] as const;
export type PoeClass = (typeof POE_CLASSES)[number];

/** Between subnets: nothing, packets to one host, or packets to groups too. */
export const ROUTINGS = ['none', 'unicast', 'multicast'] as const;
export type Routing = (typeof ROUTINGS)[number];

export interface Switching {
  /** Time from the last bit in to the first bit out on an idle port: a figure of the model, in nanoseconds. */
  readonly forwardingNs: number;
  /** What it does between the subnets in which it has an address. */
  readonly routing: Routing;
  readonly snooping: boolean;
  readonly querier: boolean;
  /** How many groups it can tell apart; those beyond are flooded or lost. */
  readonly groupTableSize: number;
  readonly queues: number;
  readonly dscpTrust: boolean;
  readonly timestamping: 'none' | 'transparent' | 'boundary';
  /** Whether it saves energy on idle links, and whether that can be turned off. */
  readonly energySaving: 'none' | 'switchable' | 'fixed';
  readonly spanningTree: boolean;
  /** Joins several cables into one link (IEEE 802.1AX). */
  readonly joinsLinks: boolean;
  /** What all its ports together can supply. */
  readonly poeBudgetW: number;
}
