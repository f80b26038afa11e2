import { clockAbility } from '../clocks/clock-ability';
import { LABEL_MAX } from '../plan/labels-table';
import {
  channel,
  defaulted,
  flag,
  id,
  list,
  missing,
  nullable,
  number,
  oneOf,
  record,
  text,
  whole,
  type Described,
} from '../plan/shape';
import { table } from '../plan/table';
import { terminalShape } from '../signal/terminal-shape';
import { terminalProblem } from '../signal/terminals';
import { slotAbility } from '../slots/slot-ability';
import { streamCapability } from '../streams/capability';
import { RATES_HZ } from '../streams/format';

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
type PortRole = (typeof PORT_ROLES)[number];

/** What a device's own interfaces are for; a switch's ports are `switched`. */
export const INTERFACE_ROLES = ['A', 'B', 'control'] as const satisfies readonly PortRole[];
export type InterfaceRole = (typeof INTERFACE_ROLES)[number];

/** IEEE 802.3 clauses 33 and 145. */
export const POE_CLASSES = [0, 1, 2, 3, 4, 5, 6, 7, 8] as const;
export type PoeClass = (typeof POE_CLASSES)[number];

/** Between subnets: nothing, packets to one host, or packets to groups too. */
export const ROUTINGS = ['none', 'unicast', 'multicast'] as const;
export type Routing = (typeof ROUTINGS)[number];

export const STREAMS_MAX = 4096;

const port = record({
  name: text(80),
  role: oneOf(PORT_ROLES),
  bitsPerSecond: whole(1),
  /** Power over Ethernet: the class of supply that a switch's port offers at most. */
  givesPoeClass: missing(nullable(oneOf(POE_CLASSES))),
  /** The class that a device asks for on this port when it has no supply of its own. */
  takesPoeClass: missing(nullable(oneOf(POE_CLASSES))),
});
/** A network socket. Devices have at most one port per role; a switch has many `switched` ones. */
export type ModelPort = Described<typeof port>;

const switching = record({
  /** Time from the last bit in to the first bit out on an idle port: a figure of the model, in nanoseconds. Null: not known. */
  forwardingNs: nullable(whole(0, 1_000_000_000)),
  /** What it does between the subnets in which it has an address. */
  routing: oneOf(ROUTINGS),
  snooping: defaulted(flag, true),
  querier: defaulted(flag, true),
  /** How many groups it can tell apart; those beyond are flooded or lost. Null: not known. */
  groupTableSize: defaulted(nullable(whole(0, 1_000_000)), 1000),
  queues: defaulted(whole(1, 16), 4),
  dscpTrust: defaulted(flag, true),
  timestamping: defaulted(oneOf(['none', 'transparent', 'boundary']), 'none'),
  /** Whether it saves energy on idle links, and whether that can be turned off. */
  energySaving: defaulted(oneOf(['none', 'switchable', 'fixed']), 'switchable'),
  spanningTree: defaulted(flag, true),
  /** Joins several cables into one link (IEEE 802.1AX). */
  joinsLinks: defaulted(flag, true),
  /** What all its ports together can supply. Null: not known. */
  poeBudgetW: defaulted(nullable(number(0)), 0),
});
export type Switching = Described<typeof switching>;

const naming = record({
  labelMax: whole(1, LABEL_MAX),
  /** Null: it has no short labels. */
  shortMax: nullable(whole(1, LABEL_MAX)),
  /** It keeps the names of what it hears, not ids: what is renamed falls silent there until its lanes are sent again. */
  subscribesByName: flag,
});
/** Lengths are in characters. */
export type NamingAbility = Described<typeof naming>;

const mapLimits = record({ blockSize: whole(1, 64), reordering: flag });
/** The caps of IS-08 inputs: see `map-limits`. */
export type MapLimits = Described<typeof mapLimits>;

const channelRange = record({ first: channel, channels: whole(1, 120) });
/** Channels of a device that follow one another: so many from the first one on. */
export type ChannelRange = Described<typeof channelRange>;

const shape = record({
  id,
  name: text(),
  maker: text(),
  kind: oneOf(DEVICE_KINDS),
  /** Network channels each way. With a pool, both directions together may not use more than `channelPool`. */
  channelsReceive: whole(0, 4096),
  channelsSend: whole(0, 4096),
  channelPool: nullable(whole(0, 8192)),
  /** Streams each way: how many RTP sessions the device can hear and send at once (both legs count as one). Null: not known. */
  streamsReceive: nullable(whole(0, STREAMS_MAX)),
  streamsSend: nullable(whole(0, STREAMS_MAX)),
  /** Null: not known. */
  channelsPerStreamMax: nullable(whole(0, 120)),
  sends: streamCapability,
  receives: streamCapability,
  ratesHz: list(oneOf(RATES_HZ), 8),
  ports: list(port, 512),
  /**
   * The smallest link offset at which the receiver works, in nanoseconds; the packet time may ask for more. Null: not known.
   */
  linkOffsetMinNs: nullable(whole(0, 1_000_000_000)),
  /** Switches and routers only. */
  switching: nullable(switching),
  /** What it does as a clock; null: not stated (see `abilityOf`). */
  clock: defaulted(nullable(clockAbility), null),
  /** Units of a slot bus only. */
  slots: defaulted(nullable(slotAbility), null),
  /** How long its channel labels may be; null: not stated, any will do. */
  naming: defaulted(nullable(naming), null),
  /** How its network channels can be fed from streams (IS-08); null: one by one, in any order. */
  receiveMap: defaulted(nullable(mapLimits), null),
  /** How its own channels can be put into streams (IS-08); null: one by one, in any order. */
  sendMap: defaulted(nullable(mapLimits), null),
  /**
   * A device without a channel map: the channels that each of its streams carries, or feeds, in order; the nth range is its nth stream.
   * Null: streams and channels are mapped freely (IS-08).
   */
  sendOrder: defaulted(nullable(list(channelRange, STREAMS_MAX, 1)), null),
  receiveOrder: defaulted(nullable(list(channelRange, STREAMS_MAX, 1)), null),
  /**
   * How many of its channels, from the first on, it passes from in to out under the same number: what makes it a processing
   * unit that everything of a system can pass through. Sender channels beyond are its own players.
   */
  passesThrough: defaulted(whole(0, 4096), 0),
  /** What it has beside the network: sockets, strips, buses; and how its network channels are patched inside. Empty: not stated. */
  terminals: defaulted(list(terminalShape, 64), []),
});
/** A catalogue entry: what a kind of device can do and its limits. A plan keeps its own copy of each model it uses. */
export type Model = Described<typeof shape>;

/** What a model has where nothing else is stated. */
export const PLAIN_MODEL = {
  maker: '',
  channelPool: null,
  switching: null,
  clock: null,
  slots: null,
  naming: null,
  receiveMap: null,
  sendMap: null,
  sendOrder: null,
  receiveOrder: null,
  passesThrough: 0,
  terminals: [],
} as const;

export const models = table(shape)({
  owner: null,
  key: ['id'],
  since: 1,
  command: { noun: 'model', as: 'model', id: 'modelId' },
  pointsTo: [],
  merges: 'records',
  problem: terminalProblem,
  nameOf: (r) => r.name,
});
