import { channel, defaulted, flag, id, nullable, number, oneOf, record, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, terminalAt, TERMINALS_OF, type Terminals } from '../signal/signal-end';
import { TAPS } from '../signal/terminal-shape';
import { tapProblem } from './patches-table';

const shape = record({
  deviceId: id,
  /** The bus that is fed. */
  terminalId: id,
  channel,
  fromTerminalId: id,
  fromChannel: channel,
  /** Where in the strip it is taken; null: where it usually is. */
  tap: defaulted(nullable(oneOf(TAPS)), null),
  isOn: defaulted(flag, true),
  /** Null: not planned. */
  levelDb: defaulted(nullable(number(-200)), null),
});
/** A strip that goes to a bus. A bus is fed from as many as there are records. */
export type BusSend = Described<typeof shape>;

function sendProblem(send: BusSend, tables: Terminals): FieldProblem | null {
  const { deviceId, fromTerminalId, fromChannel } = send;
  const fed = endProblem(tables, send, ['out', 'inside']);
  if (fed !== null) return fed;
  const terminal = terminalAt(tables, send);
  if (terminal === undefined) return null;
  if (!terminal.sendsFrom.includes(fromTerminalId)) {
    const limit = terminal.sendsFrom.join(', ') || 'no sends';
    return { reason: 'out-of-range', path: 'fromTerminalId', value: fromTerminalId, limit };
  }
  const from = { deviceId, terminalId: fromTerminalId, channel: fromChannel };
  const problem = endProblem(tables, from, ['in', 'inside']);
  if (problem !== null) return { ...problem, path: problem.path === 'channel' ? 'fromChannel' : 'fromTerminalId' };
  return tapProblem(terminalAt(tables, from), send.tap);
}

/** By device and `buses/3/strips/12`. */
export const busSends = table(shape)({
  owner: 'deviceId',
  key: ['terminalId', 'channel', 'fromTerminalId', 'fromChannel'],
  since: 5,
  command: { noun: 'bus-send', as: 'send' },
  pointsTo: [{ path: 'deviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'records',
  fits: { reads: TERMINALS_OF, problem: sendProblem, whenUnfit: 'taken-along' },
  nameOf: (r, deviceName) =>
    `${deviceName(r.deviceId)}, ${r.fromTerminalId} ${r.fromChannel} to ${r.terminalId} ${r.channel}`,
});
