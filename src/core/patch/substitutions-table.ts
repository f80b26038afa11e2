import {
  channel,
  defaulted,
  flag,
  id,
  lines,
  list,
  nullable,
  oneOf,
  record,
  text,
  whole,
  type Described,
} from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, terminalAt, TERMINALS_OF, type Terminals } from '../signal/signal-end';
import { TAPS } from '../signal/terminal-shape';

const feed = record({ from: nullable(record({ terminalId: id, channel })), tap: nullable(oneOf(TAPS)) });

const strip = record({
  /** The channel that is fed otherwise meanwhile, and what feeds it then, in the same device. */
  deviceId: id,
  terminalId: id,
  channel,
  fromTerminalId: id,
  fromChannel: channel,
  /** While in force: the patch that was there before. Null: there was none, it was as the model has it. */
  was: defaulted(nullable(feed), null),
});
export type SubstitutedStrip = Described<typeof strip>;

const lane = record({
  receiverDeviceId: id,
  receiverChannel: channel,
  senderDeviceId: id,
  senderChannel: channel,
  /** While in force: what it heard before. Null: nothing. */
  wasSenderDeviceId: defaulted(nullable(id), null),
  wasSenderChannel: defaulted(nullable(channel), null),
});
export type SubstitutedLane = Described<typeof lane>;

const shape = record({
  id,
  name: text(120, 1),
  why: defaulted(lines(2000), ''),
  /** Who began it, and when (milliseconds since 1970). Null: it is not in force. */
  by: defaulted(nullable(text(120)), null),
  since: defaulted(nullable(whole(0)), null),
  /** It stays in the list when it ends, to be begun again: a rehearsal from recording. */
  isKept: defaulted(flag, false),
  strips: defaulted(list(strip, 4096), []),
  lanes: defaulted(list(lane, 4096), []),
});
/** Channels that are fed from something else until further notice, and go back with one step. */
export type Substitution = Described<typeof shape>;

function substitutionProblem(substitution: Substitution, tables: Terminals): FieldProblem | null {
  for (const [n, s] of substitution.strips.entries()) {
    const path = `strips[${n}]`;
    const fed = endProblem(tables, s, ['out', 'inside'], path);
    if (fed !== null) return fed;
    const { deviceId, fromTerminalId: terminalId, fromChannel } = s;
    const from = endProblem(tables, { deviceId, terminalId, channel: fromChannel }, ['in', 'inside'], path);
    if (from !== null)
      return { ...from, path: from.path.replace('.terminalId', '.fromTerminalId').replace('.channel', '.fromChannel') };
    const terminal = terminalAt(tables, s);
    if (terminal?.patchFrom.includes(terminalId) !== true) {
      const limit = terminal?.patchFrom.join(', ') || 'no patch';
      return { reason: 'out-of-range', path: `${path}.fromTerminalId`, value: terminalId, limit };
    }
  }
  return null;
}

export const substitutions = table(shape)({
  owner: null,
  key: ['id'],
  since: 5,
  command: { noun: 'substitution', as: 'substitution', id: 'substitutionId' },
  pointsTo: [
    { path: 'strips[].deviceId', to: 'devices', whenGone: 'emptied' },
    { path: 'lanes[].receiverDeviceId', to: 'devices', whenGone: 'emptied' },
    { path: 'lanes[].senderDeviceId', to: 'devices', whenGone: 'emptied' },
    { path: 'lanes[].wasSenderDeviceId', to: 'devices', whenGone: 'emptied' },
  ],
  merges: 'records',
  fits: { reads: TERMINALS_OF, problem: substitutionProblem, whenUnfit: 'taken-along' },
  nameOf: (r) => r.name,
});
