import { channel, defaulted, id, nullable, number, oneOf, record, text, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, signalEnd, terminalAt, TERMINALS_OF, type Terminals } from './signal-end';
import { CONNECTORS, SIGNAL_FORMATS } from './terminal-shape';

export const AUDIO_CABLE_KINDS = [
  'balanced',
  'unbalanced',
  'multicore',
  'coax',
  'twisted-pair',
  'optical',
  'fibre',
] as const;
export type AudioCableKind = (typeof AUDIO_CABLE_KINDS)[number];

const shape = record({
  id,
  name: text(80, 1),
  /** The output and the input that it joins: the first of its channels at each end. */
  from: signalEnd,
  to: signalEnd,
  channels: channel,
  format: oneOf(SIGNAL_FORMATS),
  kind: oneOf(AUDIO_CABLE_KINDS),
  grade: defaulted(nullable(text(80)), null),
  metres: defaulted(nullable(number(0)), null),
  fromPlug: defaulted(nullable(oneOf(CONNECTORS)), null),
  toPlug: defaulted(nullable(oneOf(CONNECTORS)), null),
  adapter: defaulted(nullable(text(80)), null),
  /** What an attenuator in it takes away; null: there is none. */
  attenuationDb: defaulted(nullable(number(0)), null),
});
/** A cable that carries sound in any format but the network's: its two ends are sockets or links of devices. */
export type AudioCable = Described<typeof shape>;

function cableProblem(cable: AudioCable, tables: Terminals): FieldProblem | null {
  for (const [end, direction] of [
    ['from', 'out'],
    ['to', 'in'],
  ] as const) {
    const first = cable[end];
    const problem =
      endProblem(tables, first, [direction], end) ??
      endProblem(tables, { ...first, channel: first.channel + cable.channels - 1 }, [direction], end);
    if (problem !== null) return problem;
    const { kind = 'network', formats = [] } = terminalAt(tables, first) ?? {};
    if (kind === 'network' || kind === 'slots' || kind === 'radio') {
      return {
        reason: 'out-of-range',
        path: `${end}.terminalId`,
        value: first.terminalId,
        limit: 'connectors and links',
      };
    }
    if (formats.length > 0 && !formats.includes(cable.format)) {
      return { reason: 'out-of-range', path: 'format', value: cable.format, limit: formats.join(', ') };
    }
  }
  return null;
}

export const audioCables = table(shape)({
  owner: null,
  key: ['id'],
  since: 5,
  command: { noun: 'audio-cable', as: 'cable', id: 'cableId' },
  pointsTo: [
    { path: 'from.deviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'to.deviceId', to: 'devices', whenGone: 'taken-along' },
  ],
  merges: 'records',
  fits: { reads: TERMINALS_OF, problem: cableProblem, whenUnfit: 'taken-along' },
  nameOf: (r) => r.name,
});
