import {
  channel,
  defaulted,
  flag,
  id,
  nullable,
  number,
  oneOf,
  record,
  set,
  text,
  whole,
  type Described,
} from '../plan/shape';

/**
 * A terminal is a group of like channels of a device: sixteen microphone sockets, a MADI input, seventy-two strips. Terminals are figures
 * of the model. Those of the network and of a slot bus follow from other figures and need not be stated (see `terminals.ts`).
 */

export const TERMINAL_KINDS = [
  /** Sockets on the case, one channel each. */
  'connector',
  /** A multi-channel link: MADI, ADAT, AES3, AES50, SDI, a multicore. */
  'link',
  'network',
  'slots',
  /** Channels that programs of a computer play or record. */
  'computer',
  /** Radio channels of a wireless receiver. */
  'radio',
  'strip',
  'bus',
  'direct',
  'monitor',
] as const;
export type TerminalKind = (typeof TERMINAL_KINDS)[number];

/** Seen from the device: sound comes in here, goes out here, or is led on inside. */
export const DIRECTIONS = ['in', 'out', 'inside'] as const;
export type Direction = (typeof DIRECTIONS)[number];

/** What a connector or link can be set to carry. */
export const SIGNAL_FORMATS = [
  'microphone',
  'line',
  'loudspeaker',
  'headphones',
  'AES3',
  'MADI',
  'ADAT',
  'AES50',
  'SDI',
  'HDMI',
] as const;
export type SignalFormat = (typeof SIGNAL_FORMATS)[number];

/** Where in a strip or bus the sound is taken, the earliest first. */
export const TAPS = ['before-equaliser', 'before-fader', 'after-fader', 'after-mute'] as const;
export type Tap = (typeof TAPS)[number];

/** What can go along with the sound of a link, for all of its channels together. */
export const SIDE_TRAFFIC = ['MIDI', 'serial', 'timecode'] as const;
export type SideKind = (typeof SIDE_TRAFFIC)[number];

export const CONNECTORS = [
  'XLR',
  'jack',
  'phono',
  'binding posts',
  'terminal block',
  'D-sub',
  'BNC',
  'RJ45',
  'optical',
  'fibre',
  'USB',
] as const;
export type Connector = (typeof CONNECTORS)[number];

const level = record({
  /** Analogue gain that can be set at an input. Null: none. */
  gainMinDb: nullable(number(-200)),
  gainMaxDb: nullable(number(-200)),
  gainStepDb: nullable(number(0)),
  /** What the pad takes away. Null: it has none. */
  padDb: nullable(number(0)),
  /** Whether it can supply a microphone (IEC 61938, 48 V). */
  hasPhantom: flag,
  /** The level at which it is meant to work. */
  nominalDbu: nullable(number(-200)),
  /** The level that is digital full scale, at 0 dB of gain. */
  fullScaleDbu: nullable(number(-200)),
  impedanceOhm: nullable(number(0)),
  isBalanced: flag,
  /** Of an amplifier's output, into the smallest load that it takes. */
  powerW: nullable(number(0)),
  loadMinOhm: nullable(number(0)),
});
/** The analogue side of a terminal. */
export type LevelFacts = Described<typeof level>;

export const terminalShape = record({
  id,
  /** As printed on the case. */
  name: text(80, 1),
  kind: oneOf(TERMINAL_KINDS),
  direction: oneOf(DIRECTIONS),
  /** Network terminals have as many as the model has network channels, whatever stands here. */
  channels: channel,
  /** The number printed beside the first channel. */
  countsFrom: defaulted(whole(0, 9999), 1),
  connector: defaulted(nullable(oneOf(CONNECTORS)), null),
  /** The first is what it is set to when nothing is planned; empty: it has no choice and no name for it. */
  formats: defaulted(set(oneOf(SIGNAL_FORMATS), SIGNAL_FORMATS.length), []),
  /** What feeds it when nothing is patched: the channels of that terminal with the same numbers. */
  normalledTo: defaulted(nullable(id), null),
  /** The terminals whose channels can be patched to it; empty: it cannot be patched. */
  patchFrom: defaulted(set(id, 64), []),
  /** Channels that are patched together, from one terminal and in step. */
  blockSize: defaulted(whole(1, 64), 1),
  /** Whether single channels can be patched apart from their block. */
  hasExceptions: defaulted(flag, false),
  /** A bus that can be fed from these, each by a send of its own. */
  sendsFrom: defaulted(set(id, 64), []),
  /** A bus that always mixes all channels of that terminal: a matrix, a renderer. */
  mixes: defaulted(nullable(id), null),
  /** Where what it gives can be taken; empty: there is but one place. */
  taps: defaulted(set(oneOf(TAPS), TAPS.length), []),
  /** What it passes on beside the sound; empty: nothing. */
  carries: defaulted(set(oneOf(SIDE_TRAFFIC), SIDE_TRAFFIC.length), []),
  level: defaulted(nullable(level), null),
  /** What comes out is another sound than what went in: reverberation, an effect. */
  isEffect: defaulted(flag, false),
  /** Whether it keeps the clock of the device's other side, for devices with two (see `clockGroups` of the clock ability). */
  isOtherSide: defaulted(flag, false),
  /** From the entry of this terminal to its exit: converter or processing. */
  delayNs: defaulted(nullable(whole(0, 10_000_000_000)), null),
});
export type StatedTerminal = Described<typeof terminalShape>;

/** A terminal of which nothing but its id, name, kind, direction and count is stated. */
export const PLAIN_TERMINAL = {
  countsFrom: 1,
  connector: null,
  formats: [],
  normalledTo: null,
  patchFrom: [],
  blockSize: 1,
  hasExceptions: false,
  sendsFrom: [],
  mixes: null,
  taps: [],
  carries: [],
  level: null,
  isEffect: false,
  isOtherSide: false,
  delayNs: null,
} as const satisfies Partial<StatedTerminal>;

/** An analogue side of which nothing is stated. */
export const PLAIN_LEVEL: LevelFacts = {
  gainMinDb: null,
  gainMaxDb: null,
  gainStepDb: null,
  padDb: null,
  hasPhantom: false,
  nominalDbu: null,
  fullScaleDbu: null,
  impedanceOhm: null,
  isBalanced: true,
  powerW: null,
  loadMinOhm: null,
};
