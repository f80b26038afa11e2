import { channel, defaulted, id, nullable, oneOf, record, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, terminalAt, TERMINALS_OF, type Terminals } from '../signal/signal-end';
import { TAPS, type Tap } from '../signal/terminal-shape';
import type { Terminal } from '../signal/terminals';

const shape = record({
  deviceId: id,
  /** What is fed: a channel of an output, of strips, of monitors. */
  terminalId: id,
  channel,
  /** What feeds it, in the same device. Null: nothing does, whatever it is normalled to. */
  from: defaulted(nullable(record({ terminalId: id, channel })), null),
  /** Where in the strip or bus it is taken; null: where it usually is. */
  tap: defaulted(nullable(oneOf(TAPS)), null),
});
/** The device patch: one channel within a device is fed from another. A channel without a record is fed as its model says. */
export type Patch = Described<typeof shape>;

function patchProblem(patch: Patch, tables: Terminals): FieldProblem | null {
  const fed = endProblem(tables, patch, ['out', 'inside']);
  if (fed !== null) return fed;
  const terminal = terminalAt(tables, patch);
  const { deviceId, from, tap } = patch;
  if (terminal === undefined) return null;
  if (terminal.patchFrom.length === 0) {
    return { reason: 'out-of-range', path: 'terminalId', value: patch.terminalId, limit: 'terminals with a patch' };
  }
  if (from === null) return tap === null ? null : { reason: 'out-of-range', path: 'tap', value: tap, limit: 'no tap' };
  const problem = endProblem(tables, { deviceId, ...from }, ['in', 'inside'], 'from');
  if (problem !== null) return problem;
  if (!terminal.patchFrom.includes(from.terminalId)) {
    return {
      reason: 'out-of-range',
      path: 'from.terminalId',
      value: from.terminalId,
      limit: terminal.patchFrom.join(', '),
    };
  }
  return tapProblem(terminalAt(tables, { deviceId, terminalId: from.terminalId }), tap);
}

/** Only what a terminal offers can be asked of it. */
export function tapProblem(from: Terminal | undefined, tap: Tap | null): FieldProblem | null {
  if (tap === null || from?.taps.includes(tap) === true) return null;
  return { reason: 'out-of-range', path: 'tap', value: tap, limit: from?.taps.join(', ') || 'no tap' };
}

/** By device and `strips/3`. */
export const patches = table(shape)({
  owner: 'deviceId',
  key: ['terminalId', 'channel'],
  since: 5,
  command: { noun: 'patch', as: 'patch' },
  pointsTo: [{ path: 'deviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'records',
  fits: { reads: TERMINALS_OF, problem: patchProblem, whenUnfit: 'taken-along' },
  nameOf: (r, deviceName) => `${deviceName(r.deviceId)}, ${r.terminalId} ${r.channel}`,
});
