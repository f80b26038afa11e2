import { PLAIN_SWITCHING } from '@/core/models/new-model';
import { DEVICE_KINDS, ROUTINGS, STREAMS_MAX, type DeviceKind } from '@/core/models/models-table';
import { LABEL_MAX } from '@/core/plan/labels-table';
import { SELECTOR_KINDS } from '@/core/slots/slot-ability';
import { LEVELS } from '@/core/streams/capability';
import { RATES_HZ } from '@/core/streams/format';
import { kHz } from './units';
import { type FigureSection, always, one, hasChannels, whole, UNKNOWN, some, scaled, flag } from './figure-shape';
import { CLOCK_FIGURES } from './clock-figures';

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

const ROUTING_WORDS = { none: 'none', unicast: 'unicast', multicast: 'unicast and multicast' } as const;

const STAMPING_WORDS = { none: 'none', transparent: 'transparent clock', boundary: 'boundary clock' } as const;

const SAVING_WORDS = { none: 'none', switchable: 'can be turned off', fixed: 'cannot be turned off' } as const;

const SELECTOR_WORDS = { rotary: 'rotary selectors', toggles: 'DIP switches', menu: 'a number in its menu' } as const;

export const FIGURE_SECTIONS: readonly FigureSection[] = [
  {
    id: 'name',
    title: 'Name',
    isFor: always,
    figures: [
      { path: 'name', label: 'Name', use: 'Name in lists', input: { is: 'text', max: 200 } },
      { path: 'maker', label: 'Maker', use: 'Shown next to the name', input: { is: 'text', max: 200 } },
      {
        path: 'kind',
        label: 'Kind',
        use: 'Decides which sections it has',
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
        use: 'Both directions together, at most',
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
        use: 'Minimum delay of every lane to it; a packet time may need more',
        input: scaled(1e6, 1000, UNKNOWN),
      },
      {
        path: 'passesThrough',
        label: 'Channels passed from in to out',
        use: 'For processing units that all channels of a system pass through',
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
        use: 'ST 2110-30 conformance levels',
        input: some(LEVELS, (l) => l),
      },
      { path: 'receives.formats', label: 'Receives, formats', use: 'Besides those levels', input: { is: 'formats' } },
      {
        path: 'sends.levels',
        label: 'Sends, levels',
        use: 'ST 2110-30 levels that it can be set to',
        input: some(LEVELS, (l) => l),
      },
      {
        path: 'sends.formats',
        label: 'Sends, formats',
        use: 'The first format that both ends have is used',
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
        use: 'What can be plugged in and patched',
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
      {
        path: 'switching.snooping',
        label: 'IGMP snooping',
        use: 'Sends groups only to ports with members',
        input: flag,
      },
      { path: 'switching.querier', label: 'IGMP querier', use: 'Asks for group memberships', input: flag },
      {
        path: 'switching.groupTableSize',
        label: 'Multicast groups',
        use: 'Table size; groups beyond are flooded or lost',
        input: whole(0, 1_000_000, UNKNOWN),
      },
      { path: 'switching.queues', label: 'Queues per port', use: 'DiffServ classes kept apart', input: whole(1, 16) },
      { path: 'switching.dscpTrust', label: 'Trusts DSCP', use: 'Clock first, then media, then the rest', input: flag },
      {
        path: 'switching.timestamping',
        label: 'PTP time stamping',
        use: 'How accurately PTP passes through',
        input: one(['none', 'transparent', 'boundary'] as const, (t) => STAMPING_WORDS[t]),
      },
      {
        path: 'switching.energySaving',
        label: 'Energy-saving Ethernet',
        use: 'Must be off for PTP',
        input: one(['none', 'switchable', 'fixed'] as const, (s) => SAVING_WORDS[s]),
      },
      { path: 'switching.spanningTree', label: 'Spanning tree', use: 'Blocks loops (IEEE 802.1Q)', input: flag },
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
  CLOCK_FIGURES,
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
        use: 'What the device can store',
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
        use: 'A renamed sender falls silent on this device',
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
      {
        path: 'slots.highestHeard',
        label: 'Highest slot received',
        use: 'Slots above are not received',
        input: whole(0, 4096),
      },
      { path: 'slots.talkBlocks', label: 'Blocks it talks on', use: 'Each with its selectors', input: whole(0, 64) },
      { path: 'slots.hearBlocks', label: 'Blocks it listens to', use: 'Each with its selectors', input: whole(0, 64) },
      {
        path: 'slots.selector.kind',
        label: 'Set by',
        use: 'On the case, or in its menu',
        input: one(SELECTOR_KINDS, (k) => SELECTOR_WORDS[k]),
      },
      { path: 'slots.selector.count', label: 'Selectors per block', use: 'Installation sheet', input: whole(1, 16) },
      { path: 'slots.selector.positions', label: 'Positions of each', use: 'Counted from 0', input: whole(2, 65_536) },
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
