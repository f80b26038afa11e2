import { clockAbilityFor } from './clock-abilities';
import { MODEL_TERMINALS } from './model-terminals';
import type { FormatRange, Level, StreamCapability } from '../streams/capability';
import {
  PLAIN_MODEL,
  type DeviceKind,
  type MapLimits,
  type Model,
  type ModelPort,
  type NamingAbility,
  type PoeClass,
  type Switching,
} from './models-table';

/**
 * Models to start a plan from. All are made up. Limits are of the size that real devices of the kind have; a plan keeps
 * its own copy, so that a catalogue entry can change without changing plans.
 */

const GIGABIT = 1_000_000_000;
const PCM: FormatRange['encodings'] = ['L24', 'L16'];

const ends = (ranges: FormatRange[], levels: Level[]): StreamCapability => ({ formats: ranges, levels });
const at48 = (channelsMax = 8): FormatRange => ({
  encodings: PCM,
  ratesHz: [48_000],
  packetTimesUs: [1000, 125, 250, 333],
  channelsMax,
});
const at96 = (channelsMax = 8): FormatRange => ({
  encodings: PCM,
  ratesHz: [96_000],
  packetTimesUs: [250, 125, 1000],
  channelsMax,
});
const at44: FormatRange = { encodings: PCM, ratesHz: [44_100], packetTimesUs: [1000], channelsMax: 8 };
const slow: FormatRange = { encodings: PCM, ratesHz: [48_000], packetTimesUs: [1000, 4000], channelsMax: 2 };
const NONE: StreamCapability = ends([], []);

const twoLegs: ModelPort[] = [
  { name: 'Media A', role: 'A', bitsPerSecond: GIGABIT },
  { name: 'Media B', role: 'B', bitsPerSecond: GIGABIT },
  { name: 'Control', role: 'control', bitsPerSecond: 100_000_000 },
];
/** Small boxes that live on the power their cable brings. */
const poweredLeg = (takesPoeClass: PoeClass): ModelPort[] => [
  { name: 'Media', role: 'A', bitsPerSecond: 100_000_000, takesPoeClass },
];
const oneLegAndControl: ModelPort[] = [
  { name: 'Media', role: 'A', bitsPerSecond: GIGABIT },
  { name: 'Control', role: 'control', bitsPerSecond: 100_000_000 },
];

interface Sizes {
  readonly receive: number;
  readonly send: number;
  readonly streams: readonly [receive: number, send: number];
  readonly pool?: number;
}

/** The longest labels and short labels of each model; those that keep the names of what they hear. */
const NAMING: Readonly<Record<string, NamingAbility>> = {
  'console-72': { labelMax: 32, shortMax: 6, subscribesByName: false },
  'stage-box-24': { labelMax: 31, shortMax: null, subscribesByName: false },
  'amp-8': { labelMax: 31, shortMax: null, subscribesByName: false },
  'wireless-4': { labelMax: 16, shortMax: 8, subscribesByName: false },
  'endpoint-2': { labelMax: 16, shortMax: null, subscribesByName: false },
  'intercom-1': { labelMax: 16, shortMax: 8, subscribesByName: true },
};
/** Those whose network channels are fed in blocks or only in order (IS-08). */
const RECEIVE_MAP: Readonly<Record<string, MapLimits>> = {
  'recorder-96-blocks': { blockSize: 8, reordering: true },
};
/** Processing units that everything of a system can pass through: from in to out under the same number. */
const PASSES_THROUGH: Readonly<Record<string, number>> = { 'processor-64': 48 };

function model(
  id: string,
  name: string,
  kind: DeviceKind,
  sizes: Sizes,
  ports: ModelPort[],
  sends: StreamCapability,
  receives: StreamCapability,
  ratesHz: Model['ratesHz'] = [48_000],
  linkOffsetMinNs = 1_000_000,
): Model {
  return {
    ...PLAIN_MODEL,
    id,
    name,
    maker: 'Holm Works',
    kind,
    channelsReceive: sizes.receive,
    channelsSend: sizes.send,
    channelPool: sizes.pool ?? null,
    streamsReceive: sizes.streams[0],
    streamsSend: sizes.streams[1],
    channelsPerStreamMax: 8,
    sends,
    receives,
    ratesHz,
    ports,
    linkOffsetMinNs,
    clock: clockAbilityFor(id),
    naming: NAMING[id] ?? null,
    receiveMap: RECEIVE_MAP[id] ?? null,
    passesThrough: PASSES_THROUGH[id] ?? 0,
    terminals: MODEL_TERMINALS[id] ?? [],
  };
}

const NO_CHANNELS: Sizes = { receive: 0, send: 0, streams: [0, 0] };
const withoutNetwork = (plain: Model): Model => ({ ...plain, channelsPerStreamMax: 0 });

/** A unit of a 96-slot chain with blocks of four, set by an eight-way DIP switch that reads 1 to 24; all down is off. */
function slotUnit(id: string, name: string, talkBlocks: number, hearBlocks: number, highestHeard: number): Model {
  const plain = model(id, name, 'endpoint', NO_CHANNELS, [], NONE, NONE);
  const selector = { kind: 'toggles', count: 8, positions: 2, firstBlockAt: 1, offAt: 0 } as const;
  return {
    ...withoutNetwork(plain),
    slots: { slotCount: 96, blockSize: 4, highestHeard, talkBlocks, hearBlocks, selector },
  };
}

const SWITCHING: Omit<Switching, 'routing'> = {
  forwardingNs: 4_000,
  snooping: true,
  querier: true,
  groupTableSize: 1024,
  queues: 8,
  dscpTrust: true,
  timestamping: 'transparent',
  energySaving: 'switchable',
  spanningTree: true,
  joinsLinks: true,
  poeBudgetW: 0,
};

interface SwitchSizes {
  readonly ports: number;
  readonly uplinks: { readonly count: number; readonly bitsPerSecond: number };
  /** The class each port offers, and what all together may draw. */
  readonly poe?: { readonly ports: PoeClass; readonly budgetW: number };
}

function switchModel(
  id: string,
  name: string,
  sizes: SwitchSizes,
  routing: Switching['routing'],
  change: Partial<Switching> = {},
): Model {
  const ports: ModelPort[] = [];
  const poe = sizes.poe ? { givesPoeClass: sizes.poe.ports } : {};
  for (let n = 1; n <= sizes.ports; n += 1) {
    ports.push({ name: `Port ${n}`, role: 'switched', bitsPerSecond: GIGABIT, ...poe });
  }
  for (let n = 1; n <= sizes.uplinks.count; n += 1) {
    ports.push({ name: `Uplink ${n}`, role: 'switched', bitsPerSecond: sizes.uplinks.bitsPerSecond });
  }
  const plain = model(id, name, 'switch', { receive: 0, send: 0, streams: [0, 0] }, ports, NONE, NONE, [], 0);
  const switching = { ...SWITCHING, routing, poeBudgetW: sizes.poe?.budgetW ?? 0, ...change };
  return { ...plain, channelsPerStreamMax: 0, switching };
}
const TEN_GIGABIT_PAIR = { count: 2, bitsPerSecond: 10 * GIGABIT };

const full = ends([at48(), at96()], []);
const fullIn = ends([at48(), at96()], ['BX']);

export const CATALOGUE: readonly Model[] = [
  model(
    'console-72',
    'Console 72',
    'console',
    { receive: 72, send: 72, streams: [32, 32] },
    twoLegs,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'renderer-48',
    'Dome renderer 48 × 40',
    'processor',
    { receive: 48, send: 40, streams: [16, 16] },
    twoLegs,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'processor-64',
    'Processing unit 64',
    'processor',
    { receive: 64, send: 64, streams: [32, 32], pool: 96 },
    twoLegs,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'reverb-16',
    'Reverberation processor 16',
    'processor',
    { receive: 16, send: 16, streams: [4, 4] },
    oneLegAndControl,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'amp-8',
    'Amplifier 8',
    'amplifier',
    { receive: 8, send: 0, streams: [4, 0] },
    twoLegs,
    NONE,
    ends([], ['B', 'AX']),
  ),
  model(
    'stage-box-24',
    'Stage box 24 × 12',
    'stage-box',
    { receive: 12, send: 24, streams: [4, 4] },
    twoLegs,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'wireless-4',
    'Wireless receiver 4',
    'wireless',
    { receive: 0, send: 4, streams: [0, 2] },
    oneLegAndControl,
    ends([at48()], []),
    NONE,
  ),
  model(
    'endpoint-2',
    'Sound endpoint 2',
    'endpoint',
    { receive: 2, send: 2, streams: [2, 1] },
    poweredLeg(2),
    ends([slow], []),
    ends([slow], ['A']),
  ),
  model(
    'player-48',
    'Playback host 48',
    'player',
    { receive: 8, send: 48, streams: [4, 24] },
    twoLegs,
    full,
    fullIn,
    [44_100, 48_000, 96_000],
  ),
  model(
    'recorder-96',
    'Recorder 96',
    'recorder',
    { receive: 96, send: 96, streams: [32, 16] },
    twoLegs,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'recorder-96-blocks',
    'Recorder 96, in blocks of eight',
    'recorder',
    { receive: 96, send: 96, streams: [32, 16] },
    twoLegs,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'recorder-16',
    'Measurement recorder 16',
    'recorder',
    { receive: 16, send: 16, streams: [4, 4] },
    oneLegAndControl,
    full,
    fullIn,
    [48_000, 96_000],
  ),
  model(
    'converter-64',
    'Format converter 64',
    'converter',
    { receive: 64, send: 64, streams: [16, 16] },
    twoLegs,
    ends([at48(), at96(), at44], []),
    ends([at48(), at96(), at44], ['BX']),
    [44_100, 48_000, 96_000],
  ),
  model(
    'converter-32',
    'Yard converter 32',
    'converter',
    { receive: 32, send: 32, streams: [16, 16] },
    oneLegAndControl,
    ends([at48(), at44], []),
    ends([at48(), at44], ['B']),
    [44_100, 48_000],
  ),
  model(
    'expander-8',
    'Optical expander 8',
    'converter',
    { receive: 8, send: 8, streams: [2, 2] },
    oneLegAndControl,
    ends([at48()], []),
    ends([at48()], ['A']),
  ),
  model(
    'embedder-16',
    'Embedder 16',
    'converter',
    { receive: 16, send: 16, streams: [4, 4] },
    oneLegAndControl,
    ends([at48()], []),
    ends([at48()], ['B']),
  ),
  model(
    'intercom-1',
    'Intercom station',
    'endpoint',
    { receive: 1, send: 1, streams: [2, 1] },
    poweredLeg(3),
    ends([slow], []),
    ends([slow], ['A']),
  ),
  model(
    'personal-mixer-16',
    'Personal mixer 16',
    'endpoint',
    { receive: 16, send: 0, streams: [4, 0] },
    [{ name: 'Media', role: 'A', bitsPerSecond: GIGABIT }],
    NONE,
    ends([at48()], []),
  ),
  withoutNetwork(model('madi-rack-28', 'MADI rack 28', 'stage-box', NO_CHANNELS, [], NONE, NONE, [44_100, 48_000])),
  model('master-clock', 'Master clock', 'clock', { receive: 0, send: 0, streams: [0, 0] }, twoLegs, NONE, NONE, [], 0),
  slotUnit('slot-unit-4', 'Slot unit 4 × 4', 1, 1, 64),
  slotUnit('slot-unit-in-8', 'Slot unit 8 in', 2, 0, 96),
  slotUnit('slot-unit-out-8', 'Slot unit 8 out', 0, 2, 96),
  switchModel('edge-switch-24', 'Edge switch 24', { ports: 24, uplinks: TEN_GIGABIT_PAIR }, 'none'),
  switchModel(
    'edge-switch-24p',
    'Edge switch 24, powered',
    { ports: 24, uplinks: TEN_GIGABIT_PAIR, poe: { ports: 4, budgetW: 370 } },
    'none',
  ),
  switchModel(
    'edge-switch-16p',
    'Edge switch 16, powered',
    { ports: 16, uplinks: TEN_GIGABIT_PAIR, poe: { ports: 4, budgetW: 90 } },
    'none',
  ),
  switchModel(
    'office-switch-8',
    'Office switch 8',
    { ports: 8, uplinks: { count: 1, bitsPerSecond: GIGABIT } },
    'none',
    {
      snooping: false,
      querier: false,
      groupTableSize: 0,
      queues: 1,
      dscpTrust: false,
      timestamping: 'none',
      energySaving: 'fixed',
      spanningTree: false,
      joinsLinks: false,
    },
  ),
  switchModel(
    'core-switch-24',
    'Core switch 24, routing',
    { ports: 24, uplinks: { count: 8, bitsPerSecond: 10 * GIGABIT } },
    'multicast',
    { groupTableSize: 4096, timestamping: 'boundary' },
  ),
];
