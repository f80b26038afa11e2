import {
  CLOCK_PROFILES,
  PLAIN_CLOCK,
  REFERENCE_KINDS,
  RELAY_KINDS,
  SRC_PLACES,
  WHEN_REFERENCE_LOST,
} from '@/core/clocks/clock-ability';
import { PLAIN_SWITCHING } from '@/core/models/new-model';
import {
  DEVICE_KINDS,
  ROUTINGS,
  STREAMS_MAX,
  type ChannelRange,
  type DeviceKind,
  type Model,
} from '@/core/models/models-table';
import type { UnknownFigure } from '@/core/models/unknown-figures';
import { LABEL_MAX } from '@/core/plan/labels-table';
import { SELECTOR_KINDS } from '@/core/slots/slot-ability';
import { LEVELS } from '@/core/streams/capability';
import { RATES_HZ } from '@/core/streams/format';
import { PROFILE_WORDS, REFERENCE_WORDS, RELAY_WORDS, WHEN_LOST_WORDS } from './clock-words';
import { kHz, plain, rangeWords } from './units';

/** Every figure of a model, declared once: what it is called, its unit, what it is used for, and which values it takes. */

export const DEVICE_KIND_WORDS: Readonly<Record<DeviceKind, string>> = {
  console: 'Console',
  processor: 'Processing unit',
  'stage-box': 'Stage box',
  amplifier: 'Amplifier',
  wireless: 'Wireless receiver',
  endpoint: 'Endpoint',
  player: 'Playback host',
  recorder: 'Recorder',
  converter: 'Format converter',
  clock: 'Master clock',
  switch: 'Switch',
};

type Value = string | number | boolean;

/** How the value of a figure is set. */
export type FigureInput =
  | { readonly is: 'text'; readonly max: number }
  | {
      readonly is: 'number';
      readonly min: number;
      readonly max: number;
      readonly isWhole: boolean;
      /** What is stored is what is shown times this. */
      readonly scale: number;
      /** What an empty field means; missing: it may not be empty. `unknown` is a possible answer of figures. */
      readonly empty?: 'unknown' | string;
    }
  | { readonly is: 'flag' }
  | { readonly is: 'one'; readonly of: readonly Value[]; readonly word: (value: Value) => string }
  | { readonly is: 'some'; readonly of: readonly Value[]; readonly word: (value: Value) => string }
  /** Channels of one stream after the other: `1–8, 9–16`. Empty: null. */
  | { readonly is: 'ranges'; readonly empty: string }
  | { readonly is: 'ports' }
  | { readonly is: 'terminals' }
  | { readonly is: 'formats' };

export interface Figure {
  /** Where it stands in the record: `clock.freePpm`. */
  readonly path: string;
  readonly label: string;
  readonly unit?: string;
  /** What it is used for. */
  readonly use: string;
  readonly input: FigureInput;
}

export interface FigureSection {
  readonly id: string;
  readonly title: string;
  /** Whether a model of the kind usually has it; one that has it shows it anyway. */
  readonly isFor: (kind: DeviceKind) => boolean;
  /** A record within the model that may be missing as a whole. */
  readonly record?: {
    readonly path: 'clock' | 'switching' | 'slots' | 'naming' | 'receiveMap' | 'sendMap';
    /** What the model is taken for without it. */
    readonly without: string;
    readonly plain: object;
  };
  readonly figures: readonly Figure[];
}

const whole = (min: number, max: number, empty?: string): FigureInput => ({
  is: 'number',
  min,
  max,
  isWhole: true,
  scale: 1,
  ...(empty === undefined ? {} : { empty }),
});
const scaled = (scale: number, max: number, empty?: string): FigureInput => ({
  is: 'number',
  min: 0,
  max,
  isWhole: false,
  scale,
  ...(empty === undefined ? {} : { empty }),
});
const UNKNOWN = 'unknown';
const flag: FigureInput = { is: 'flag' };
const one = <T extends Value>(of: readonly T[], word: (value: T) => string): FigureInput => ({
  is: 'one',
  of,
  word: word as (value: Value) => string,
});
const some = <T extends Value>(of: readonly T[], word: (value: T) => string): FigureInput => ({
  is: 'some',
  of,
  word: word as (value: Value) => string,
});

const hasChannels = (kind: DeviceKind) => kind !== 'switch' && kind !== 'clock';
const always = () => true;

export const ROUTING_WORDS = { none: 'none', unicast: 'unicast', multicast: 'unicast and multicast' } as const;
const STAMPING_WORDS = { none: 'none', transparent: 'transparent clock', boundary: 'boundary clock' } as const;
const SAVING_WORDS = { none: 'none', switchable: 'can be turned off', fixed: 'cannot be turned off' } as const;
const SRC_WORDS = { none: 'none', inputs: 'on network inputs', between: 'between its two sides' } as const;
const SELECTOR_WORDS = { rotary: 'rotary selectors', toggles: 'toggles' } as const;

export const FIGURE_SECTIONS: readonly FigureSection[] = [
  {
    id: 'name',
    title: 'Name',
    isFor: always,
    figures: [
      { path: 'name', label: 'Name', use: 'How it is listed', input: { is: 'text', max: 200 } },
      { path: 'maker', label: 'Maker', use: 'Stands beside the name', input: { is: 'text', max: 200 } },
      {
        path: 'kind',
        label: 'Kind',
        use: 'What it is for; which sections it has',
        input: one(DEVICE_KINDS, (k) => DEVICE_KIND_WORDS[k]),
      },
    ],
  },
  {
    id: 'channels',
    title: 'Network channels and streams',
    isFor: hasChannels,
    figures: [
      { path: 'channelsReceive', label: 'Receiver channels', use: 'Budget in', input: whole(0, 4096) },
      { path: 'channelsSend', label: 'Sender channels', use: 'Budget out', input: whole(0, 4096) },
      {
        path: 'channelPool',
        label: 'Channels of one pool',
        use: 'Most in both directions together',
        input: whole(0, 8192, 'no pool'),
      },
      {
        path: 'streamsReceive',
        label: 'Streams received',
        use: 'Budget in; both legs count as one',
        input: whole(0, STREAMS_MAX, UNKNOWN),
      },
      {
        path: 'streamsSend',
        label: 'Streams sent',
        use: 'Budget out; both legs count as one',
        input: whole(0, STREAMS_MAX, UNKNOWN),
      },
      {
        path: 'channelsPerStreamMax',
        label: 'Channels per stream',
        use: 'Packing, at both ends',
        input: whole(0, 120, UNKNOWN),
      },
      {
        path: 'ratesHz',
        label: 'Sample rates',
        unit: 'kHz',
        use: 'What the device can be set to',
        input: some(RATES_HZ, (r) => kHz(r)),
      },
      {
        path: 'linkOffsetMinNs',
        label: 'Smallest link offset',
        unit: 'ms',
        use: 'Delay of every lane to it; the packet time may ask for more',
        input: scaled(1e6, 1000, UNKNOWN),
      },
      {
        path: 'passesThrough',
        label: 'Channels passed from in to out',
        use: 'Processing units that everything of a system goes through',
        input: whole(0, 4096),
      },
    ],
  },
  {
    id: 'formats',
    title: 'Stream formats',
    isFor: hasChannels,
    figures: [
      {
        path: 'receives.levels',
        label: 'Receives, levels',
        use: 'ST 2110-30 levels that it claims',
        input: some(LEVELS, (l) => l),
      },
      { path: 'receives.formats', label: 'Receives, formats', use: 'Beyond those levels', input: { is: 'formats' } },
      {
        path: 'sends.levels',
        label: 'Sends, levels',
        use: 'ST 2110-30 levels that it can be set to',
        input: some(LEVELS, (l) => l),
      },
      {
        path: 'sends.formats',
        label: 'Sends, formats',
        use: 'The first that both ends have is taken',
        input: { is: 'formats' },
      },
    ],
  },
  {
    id: 'terminals',
    title: 'Terminals: sockets, strips, buses',
    isFor: hasChannels,
    figures: [
      {
        path: 'terminals',
        label: 'Terminals',
        use: 'What is plugged in, and how inputs are led to outputs',
        input: { is: 'terminals' },
      },
    ],
  },
  {
    id: 'ports',
    title: 'Network ports',
    isFor: always,
    figures: [{ path: 'ports', label: 'Ports', use: 'Cables, addresses, loads and power', input: { is: 'ports' } }],
  },
  {
    id: 'switching',
    title: 'Switching',
    isFor: (kind) => kind === 'switch',
    record: { path: 'switching', without: 'Not a switch', plain: PLAIN_SWITCHING },
    figures: [
      {
        path: 'switching.forwardingNs',
        label: 'Forwarding time',
        unit: 'µs',
        use: 'Transit of every path, on an idle port',
        input: scaled(1e3, 1e6, UNKNOWN),
      },
      {
        path: 'switching.routing',
        label: 'Routing between subnets',
        use: 'What can be reached',
        input: one(ROUTINGS, (r) => ROUTING_WORDS[r]),
      },
      { path: 'switching.snooping', label: 'IGMP snooping', use: 'Where multicast goes', input: flag },
      { path: 'switching.querier', label: 'IGMP querier', use: 'Asks who listens', input: flag },
      {
        path: 'switching.groupTableSize',
        label: 'Multicast groups',
        use: 'Table size; groups beyond are flooded or lost',
        input: whole(0, 1_000_000, UNKNOWN),
      },
      { path: 'switching.queues', label: 'Queues per port', use: 'DiffServ classes kept apart', input: whole(1, 16) },
      { path: 'switching.dscpTrust', label: 'Trusts DSCP', use: 'Clock before media before the rest', input: flag },
      {
        path: 'switching.timestamping',
        label: 'PTP time stamping',
        use: 'How well time passes through',
        input: one(['none', 'transparent', 'boundary'] as const, (t) => STAMPING_WORDS[t]),
      },
      {
        path: 'switching.energySaving',
        label: 'Energy-saving Ethernet',
        use: 'Must be off for PTP',
        input: one(['none', 'switchable', 'fixed'] as const, (s) => SAVING_WORDS[s]),
      },
      { path: 'switching.spanningTree', label: 'Spanning tree', use: 'Loops are cut (IEEE 802.1Q)', input: flag },
      { path: 'switching.joinsLinks', label: 'Link aggregation', use: 'Several cables as one link', input: flag },
      {
        path: 'switching.poeBudgetW',
        label: 'PoE budget',
        unit: 'W',
        use: 'What all ports together can supply',
        input: scaled(1, 100_000, UNKNOWN),
      },
    ],
  },
  {
    id: 'clock',
    title: 'Clock',
    isFor: always,
    record: {
      path: 'clock',
      without:
        'Not stated: with a media port it is taken for an ordinary PTP clock at the defaults, a switch with boundary time stamping for a boundary clock',
      plain: PLAIN_CLOCK,
    },
    figures: [
      {
        path: 'clock.ptpVersions',
        label: 'PTP versions',
        use: 'Versions do not hear each other',
        input: some([1, 2] as const, (v) => (v === 1 ? '1 (IEEE 1588-2002)' : '2 (2008, 2019)')),
      },
      { path: 'clock.mayLead', label: 'Can lead', use: 'May become grandmaster', input: flag },
      {
        path: 'clock.relays',
        label: 'Relays time into subnets',
        use: 'Where multicast PTP does not reach',
        input: one(RELAY_KINDS, (r) => RELAY_WORDS[r]),
      },
      {
        path: 'clock.profiles',
        label: 'PTP profiles',
        use: 'Which intervals it accepts',
        input: some(CLOCK_PROFILES, (p) => PROFILE_WORDS[p]),
      },
      { path: 'clock.classPrimary', label: 'Class with GNSS', use: 'Best master election', input: whole(0, 255) },
      {
        path: 'clock.classLocked',
        label: 'Class with another reference',
        use: 'Best master election',
        input: whole(0, 255),
      },
      { path: 'clock.classHoldover', label: 'Class in hold-over', use: 'Best master election', input: whole(0, 255) },
      {
        path: 'clock.classDegraded',
        label: 'Class after hold-over',
        use: 'Best master election, when its time is over',
        input: whole(0, 255),
      },
      { path: 'clock.classFree', label: 'Class free running', use: 'Best master election', input: whole(0, 255) },
      {
        path: 'clock.clockAccuracy',
        label: 'Clock accuracy',
        use: 'As announced; 254 is unknown',
        input: whole(0, 255),
      },
      {
        path: 'clock.offsetScaledLogVariance',
        label: 'Offset variance',
        use: 'As announced; 65535 is unknown',
        input: whole(0, 65_535),
      },
      {
        path: 'clock.referencesIn',
        label: 'References in',
        use: 'What it can lock to',
        input: some(REFERENCE_KINDS, (r) => REFERENCE_WORDS[r]),
      },
      {
        path: 'clock.referencesOut',
        label: 'References out',
        use: 'What it gives to others',
        input: some(REFERENCE_KINDS, (r) => REFERENCE_WORDS[r]),
      },
      {
        path: 'clock.whenReferenceLost',
        label: 'Without its reference it',
        use: 'Drills and pace',
        input: one(WHEN_REFERENCE_LOST, (w) => WHEN_LOST_WORDS[w]),
      },
      {
        path: 'clock.holdoverSeconds',
        label: 'Hold-over',
        unit: 's',
        use: 'How long it keeps its time',
        input: scaled(1, 1e9, UNKNOWN),
      },
      {
        path: 'clock.relockMs',
        label: 'Locks within',
        unit: 'ms',
        use: 'Take-over time',
        input: scaled(1, 1e9, UNKNOWN),
      },
      {
        path: 'clock.freePpm',
        label: 'Free-run accuracy',
        unit: 'ppm',
        use: 'How often samples slip',
        input: scaled(1, 1e6, UNKNOWN),
      },
      {
        path: 'clock.src',
        label: 'Sample-rate converter',
        use: 'Where rates may differ',
        input: one(SRC_PLACES, (s) => SRC_WORDS[s]),
      },
      {
        path: 'clock.clockGroups',
        label: 'Clock groups',
        use: 'Two: its other side may have a clock of its own',
        input: one([1, 2] as const, (n) => String(n)),
      },
      {
        path: 'clock.crossesRateFamilies',
        label: '44.1 from 48 kHz',
        use: 'Makes one rate family from a reference of the other',
        input: flag,
      },
      { path: 'clock.isBattery', label: 'Runs on a battery', use: 'No grandmaster for long', input: flag },
    ],
  },
  {
    id: 'naming',
    title: 'Channel labels',
    isFor: hasChannels,
    record: {
      path: 'naming',
      without: 'Not stated: labels of any length',
      plain: { labelMax: LABEL_MAX, shortMax: null, subscribesByName: false },
    },
    figures: [
      {
        path: 'naming.labelMax',
        label: 'Longest label',
        unit: 'characters',
        use: 'What the device holds',
        input: whole(1, LABEL_MAX),
      },
      {
        path: 'naming.shortMax',
        label: 'Longest short label',
        unit: 'characters',
        use: 'For small displays',
        input: whole(1, LABEL_MAX, 'no short labels'),
      },
      {
        path: 'naming.subscribesByName',
        label: 'Subscribes by name',
        use: 'What is renamed falls silent there',
        input: flag,
      },
    ],
  },
  {
    id: 'receiveMap',
    title: 'Channel mapping of receivers',
    isFor: hasChannels,
    record: {
      path: 'receiveMap',
      without: 'Channels are fed one by one, in any order',
      plain: { blockSize: 8, reordering: true },
    },
    figures: [
      {
        path: 'receiveMap.blockSize',
        label: 'Fed in blocks of',
        unit: 'channels',
        use: 'IS-08 block size',
        input: whole(1, 64),
      },
      {
        path: 'receiveMap.reordering',
        label: 'In any order',
        use: 'Off: channels keep the order of the stream',
        input: flag,
      },
    ],
  },
  {
    id: 'sendMap',
    title: 'Channel mapping of senders',
    isFor: hasChannels,
    record: {
      path: 'sendMap',
      without: 'Channels are put into streams one by one, in any order',
      plain: { blockSize: 8, reordering: true },
    },
    figures: [
      {
        path: 'sendMap.blockSize',
        label: 'Sent in blocks of',
        unit: 'channels',
        use: 'IS-08 block size',
        input: whole(1, 64),
      },
      {
        path: 'sendMap.reordering',
        label: 'Sent in any order',
        use: 'Off: channels keep their order in a stream',
        input: flag,
      },
    ],
  },
  {
    id: 'order',
    title: 'Without a channel map (IS-08)',
    isFor: hasChannels,
    figures: [
      {
        path: 'sendOrder',
        label: 'Channels of its streams out',
        use: 'Stream by stream, in order: 1–8, 9–16',
        input: { is: 'ranges', empty: 'mapped freely' },
      },
      {
        path: 'receiveOrder',
        label: 'Channels fed by its streams in',
        use: 'Stream by stream, in order: 1–8, 9–16',
        input: { is: 'ranges', empty: 'mapped freely' },
      },
    ],
  },
  {
    id: 'slots',
    title: 'Slot bus',
    isFor: () => false,
    record: {
      path: 'slots',
      without: 'Not a unit of a slot bus',
      plain: {
        slotCount: 96,
        blockSize: 4,
        highestHeard: 96,
        talkBlocks: 1,
        hearBlocks: 1,
        selector: { kind: 'rotary', count: 2, positions: 10, firstBlockAt: 1, offAt: 0 },
      },
    },
    figures: [
      { path: 'slots.slotCount', label: 'Slots on the bus', use: 'One channel each', input: whole(1, 4096) },
      { path: 'slots.blockSize', label: 'Slots in a block', use: 'What one choice covers', input: whole(1, 4096) },
      { path: 'slots.highestHeard', label: 'Highest slot heard', use: 'Slots above are lost', input: whole(0, 4096) },
      { path: 'slots.talkBlocks', label: 'Blocks it talks on', use: 'Each with its selectors', input: whole(0, 64) },
      { path: 'slots.hearBlocks', label: 'Blocks it listens to', use: 'Each with its selectors', input: whole(0, 64) },
      {
        path: 'slots.selector.kind',
        label: 'Set by',
        use: 'On the case',
        input: one(SELECTOR_KINDS, (k) => SELECTOR_WORDS[k]),
      },
      { path: 'slots.selector.count', label: 'Selectors per block', use: 'Fitting sheet', input: whole(1, 16) },
      { path: 'slots.selector.positions', label: 'Positions of each', use: 'Counted from 0', input: whole(2, 64) },
      {
        path: 'slots.selector.firstBlockAt',
        label: 'Number of block 1',
        use: 'What the selectors show',
        input: whole(0, 4096),
      },
      {
        path: 'slots.selector.offAt',
        label: 'Number for off',
        use: 'Takes the unit off the bus',
        input: whole(0, 65_536, 'cannot be off'),
      },
    ],
  },
];

const figureByPath = new Map(FIGURE_SECTIONS.flatMap((s) => s.figures.map((f) => [f.path, f] as const)));

/** The value of a figure; undefined where the record that it belongs to is missing. */
export function figureValue(model: Model, path: string): unknown {
  let value: unknown = model;
  for (const name of path.split('.')) {
    if (value === null || value === undefined) return undefined;
    value = (value as Readonly<Record<string, unknown>>)[name];
  }
  return value;
}

/** The model with another value of a figure; nothing else changes. */
export function withFigure(model: Model, path: string, value: unknown): Model {
  const set = (at: object, [name = '', ...further]: readonly string[]): object => ({
    ...at,
    [name]: further.length === 0 ? value : set((at as Readonly<Record<string, object>>)[name] ?? {}, further),
  });
  return set(model, path.split('.')) as Model;
}

/** What stands in the field of a figure. */
export function figureText(input: FigureInput, value: unknown): string {
  if (value === null || value === undefined) return '';
  if (input.is === 'ranges') return (value as readonly ChannelRange[]).map(rangeWords).join(', ');
  return input.is === 'number' ? String(Number(((value as number) / input.scale).toPrecision(12))) : String(value);
}

/** A value in words: `12`, `not known`, `L24, L16 at 48 kHz`. */
export function figureWords(figure: Figure, value: unknown): string {
  const { input, unit } = figure;
  if (value === null || value === undefined) {
    if (input.is === 'ranges') return input.empty;
    return input.is === 'number' && input.empty !== undefined ? emptyWords(input.empty) : 'not stated';
  }
  const behind = unit === undefined ? '' : ` ${unit}`;
  switch (input.is) {
    case 'number':
      return `${plain((value as number) / input.scale)}${behind}`;
    case 'flag':
      return value === true ? 'yes' : 'no';
    case 'one':
      return input.word(value as Value);
    case 'some': {
      const list = (value as readonly Value[]).map(input.word);
      return list.length === 0 ? 'none' : `${list.join(', ')}${behind}`;
    }
    case 'ranges':
      return (value as readonly ChannelRange[]).map(rangeWords).join(', ');
    case 'ports':
      return `${(value as readonly unknown[]).length} ports`;
    case 'terminals':
      return (value as Model['terminals']).map((t) => t.name).join(', ') || 'none';
    case 'formats':
      return formatsWords(value as Model['sends']['formats']);
    case 'text':
      return value === '' ? 'none' : `“${String(value)}”`;
  }
}

export const emptyWords = (empty: string): string => (empty === UNKNOWN ? 'not known' : empty);

function formatsWords(formats: Model['sends']['formats']): string {
  if (formats.length === 0) return 'none';
  return formats
    .map((f) => {
      const times = f.packetTimesUs.map((t) => (t >= 1000 ? `${t / 1000} ms` : `${t} µs`)).join(', ');
      return `${f.encodings.join(', ')} at ${f.ratesHz.map(kHz).join(', ')} kHz, ${times}, up to ${f.channelsMax} channels`;
    })
    .join('; ');
}

/** What a figure is called, by its place in the record. Ports go by their own names. */
export function figureLabel(path: string): string {
  const known = figureByPath.get(path);
  if (known !== undefined) return known.label;
  const section = FIGURE_SECTIONS.find((s) => s.record?.path === path);
  return section?.title ?? (path.startsWith('ports.') ? `Port “${path.slice(6)}”` : path);
}

/** A figure's value in one of two copies of a model, as a list of differences shows it. */
export function differenceWords(path: string, value: unknown): string {
  const known = figureByPath.get(path);
  if (known !== undefined) return figureWords(known, value);
  if (value === undefined) return 'not there';
  if (value === null) return 'not stated';
  if (path.startsWith('ports.')) return portWords(value as Model['ports'][number]);
  return 'stated';
}

const ROLE_OF_PORT = { A: 'leg A', B: 'leg B', control: 'control', switched: 'switch port' } as const;

export function portWords(port: Model['ports'][number]): string {
  const gives = port.givesPoeClass == null ? '' : `, supplies PoE class ${port.givesPoeClass}`;
  const takes = port.takesPoeClass == null ? '' : `, powered by PoE class ${port.takesPoeClass}`;
  return `${ROLE_OF_PORT[port.role]}, ${speedWords(port.bitsPerSecond)}${gives}${takes}`;
}

export const PORT_ROLE_WORDS: Readonly<Record<Model['ports'][number]['role'], string>> = ROLE_OF_PORT;

export const speedWords = (bitsPerSecond: number): string =>
  bitsPerSecond >= 1e9 ? `${plain(bitsPerSecond / 1e9)} Gb/s` : `${plain(bitsPerSecond / 1e6)} Mb/s`;

/** Figures that nobody may know, as a finding names them. */
export const unknownFigureWords = (figure: UnknownFigure): string =>
  (
    figureByPath.get(figure) ??
    figureByPath.get(`switching.${figure}`) ??
    figureByPath.get(`clock.${figure}`)
  )?.label.toLowerCase() ?? figure;

/** Why a value cannot be; null: it can. */
export function figureProblem(input: FigureInput, text: string): string | null {
  if (input.is === 'ranges') {
    return readRanges(text) === undefined ? 'As 1–8, 9–16; up to 120 each.' : null;
  }
  if (input.is !== 'number') return null;
  if (text.trim() === '') return input.empty === undefined ? 'A number is needed.' : null;
  const value = Number(text);
  const isSound = Number.isFinite(value) && value >= input.min && value <= input.max;
  if (isSound && (!input.isWhole || Number.isInteger(value))) return null;
  return `From ${plain(input.min)} to ${plain(input.max)}${input.isWhole ? '' : ', fractions too'}.`;
}

/** `1–8, 9-16, 17` as ranges; null where nothing stands there, undefined where it is none. */
export function readRanges(text: string): readonly ChannelRange[] | null | undefined {
  if (text.trim() === '') return null;
  const ranges: ChannelRange[] = [];
  for (const part of text.split(',')) {
    const match = /^\s*(\d{1,4})\s*(?:[–-]\s*(\d{1,4}))?\s*$/.exec(part);
    if (match === null) return undefined;
    const first = Number(match[1]);
    const channels = Number(match[2] ?? match[1]) - first + 1;
    if (first < 1 || channels < 1 || channels > 120 || first + channels - 1 > 4096) return undefined;
    ranges.push({ first, channels });
  }
  return ranges.length > STREAMS_MAX ? undefined : ranges;
}
