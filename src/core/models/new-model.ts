import { PLAIN_MODEL, type DeviceKind, type Model, type ModelPort, type Switching } from './models-table';

const GIGABIT = 1_000_000_000;

const MEDIA: readonly ModelPort[] = [
  { name: 'Media A', role: 'A', bitsPerSecond: GIGABIT },
  { name: 'Media B', role: 'B', bitsPerSecond: GIGABIT },
  { name: 'Control', role: 'control', bitsPerSecond: 100_000_000 },
];

/** A switch of which nothing is known but that it forwards. */
export const PLAIN_SWITCHING: Switching = {
  forwardingNs: null,
  routing: 'none',
  snooping: false,
  querier: false,
  groupTableSize: null,
  queues: 1,
  dscpTrust: false,
  timestamping: 'none',
  energySaving: 'none',
  spanningTree: false,
  joinsLinks: false,
  poeBudgetW: null,
};

/**
 * A model of a kind with nothing behind it yet: all figures not known, what it could be trusted with is off. Formats are
 * those that every AES67 device must have: 48 kHz, 1 ms, up to eight channels.
 */
export function newModel(id: string, name: string, kind: DeviceKind): Model {
  const isSwitch = kind === 'switch';
  const hasAudio = !isSwitch && kind !== 'clock';
  const must = { encodings: ['L24'], ratesHz: [48_000], packetTimesUs: [1000], channelsMax: 8 } as const;
  return {
    ...PLAIN_MODEL,
    id,
    name,
    kind,
    channelsReceive: 0,
    channelsSend: 0,
    streamsReceive: hasAudio ? null : 0,
    streamsSend: hasAudio ? null : 0,
    channelsPerStreamMax: hasAudio ? null : 0,
    sends: { formats: hasAudio ? [must] : [], levels: [] },
    receives: { formats: [], levels: hasAudio ? ['A'] : [] },
    ratesHz: hasAudio ? [48_000] : [],
    ports: isSwitch
      ? Array.from({ length: 8 }, (_, n) => ({ name: `Port ${n + 1}`, role: 'switched', bitsPerSecond: GIGABIT }))
      : MEDIA,
    linkOffsetMinNs: hasAudio ? null : 0,
    switching: isSwitch ? PLAIN_SWITCHING : null,
  };
}
