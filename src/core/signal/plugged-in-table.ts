import { channel, defaulted, id, nullable, number, oneOf, record, text, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, terminalAt, TERMINALS_OF, type Terminals } from './signal-end';
import { CONNECTORS } from './terminal-shape';

export const SOURCE_KINDS = ['microphone', 'instrument', 'line-source', 'player', 'radio-pack'] as const;
export const SINK_KINDS = ['loudspeaker', 'headphones', 'recorder-input', 'hearing-loop', 'line-input'] as const;
export const PLUGGED_KINDS = [...SOURCE_KINDS, ...SINK_KINDS] as const;
export type PluggedKind = (typeof PLUGGED_KINDS)[number];

/** How a source is powered: not at all, by phantom power of its socket, or by itself. */
export const POWERINGS = ['none', 'phantom', 'own'] as const;

export const PAYLOADS = ['linear', 'data-reduced'] as const;

const position = record({ x: number(-1e6), y: number(-1e6), z: number(-1e6) });
/** In metres, from the origin of the place. */
export type Position = Described<typeof position>;

const shape = record({
  deviceId: id,
  terminalId: id,
  channel,
  name: text(80, 1),
  kind: oneOf(PLUGGED_KINDS),
  /** What it usually gives, or wants, and the most it gives before it distorts. Null: not known. */
  levelDbu: defaulted(nullable(number(-200)), null),
  maxLevelDbu: defaulted(nullable(number(-200)), null),
  powering: defaulted(oneOf(POWERINGS), 'none'),
  /** What is in its samples: sound, or data-reduced sound in AES3 (ST 337), which survives only paths that change no bit. */
  payload: defaulted(oneOf(PAYLOADS), 'linear'),
  /** Of a source: what it gives from; of a loudspeaker: its load. */
  impedanceOhm: defaulted(nullable(number(0)), null),
  /** What a loudspeaker takes for long. */
  powerW: defaulted(nullable(number(0)), null),
  placeId: defaulted(nullable(id), null),
  position: defaulted(nullable(position), null),
  /** The cable between it and the socket: its plug at the socket's end, its grade, its length, and what it runs through. */
  plug: defaulted(nullable(oneOf(CONNECTORS)), null),
  cableGrade: defaulted(nullable(text(80, 1)), null),
  metres: defaulted(nullable(number(0)), null),
  metresMax: defaulted(nullable(number(0)), null),
  adapter: defaulted(nullable(text(80, 1)), null),
  /** What an attenuator in the cable takes away; null: there is none. */
  attenuationDb: defaulted(nullable(number(0)), null),
});
/** A source or sink in a socket. */
export type PluggedIn = Described<typeof shape>;

/** Something plugged in of which nothing but its name and kind is stated. */
export const PLAIN_PLUGGED = {
  levelDbu: null,
  maxLevelDbu: null,
  powering: 'none',
  payload: 'linear',
  impedanceOhm: null,
  powerW: null,
  placeId: null,
  position: null,
  plug: null,
  cableGrade: null,
  metres: null,
  metresMax: null,
  adapter: null,
  attenuationDb: null,
} as const satisfies Partial<PluggedIn>;

export const isSource = (kind: PluggedKind): boolean => (SOURCE_KINDS as readonly string[]).includes(kind);

function socketProblem(plugged: PluggedIn, tables: Terminals): FieldProblem | null {
  const problem = endProblem(tables, plugged, ['in', 'out']);
  if (problem !== null) return problem;
  const terminal = terminalAt(tables, plugged);
  const { kind, direction } = terminal ?? { kind: 'network', direction: 'in' };
  if (kind === 'network' || kind === 'slots' || kind === 'link') {
    return { reason: 'out-of-range', path: 'terminalId', value: plugged.terminalId, limit: 'connectors' };
  }
  if (isSource(plugged.kind) === (direction === 'in')) return null;
  const limit = (direction === 'in' ? SOURCE_KINDS : SINK_KINDS).join(', ');
  return { reason: 'out-of-range', path: 'kind', value: plugged.kind, limit };
}

/** By device and `mic-in/3`. */
export const pluggedIn = table(shape)({
  owner: 'deviceId',
  key: ['terminalId', 'channel'],
  since: 5,
  command: { noun: 'plugged-in', as: 'plugged' },
  pointsTo: [
    { path: 'deviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'placeId', to: 'places', whenGone: 'emptied' },
  ],
  merges: 'records',
  fits: { reads: TERMINALS_OF, problem: socketProblem, whenUnfit: 'taken-along' },
  nameOf: (r, deviceName) => `${r.name} at ${deviceName(r.deviceId)}`,
});
