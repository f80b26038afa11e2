import { channel, id, record, type Described } from '../plan/shape';
import type { FieldProblem } from '../plan/table';
import type { Direction } from './terminal-shape';
import { terminalOf, type Insides, type Terminal } from './terminals';

/** One channel of a terminal of a device. */
export const signalEnd = record({ deviceId: id, terminalId: id, channel });
export type SignalEnd = Described<typeof signalEnd>;

/** The end of anything that says more of it. */
export const endOf = ({ deviceId, terminalId, channel }: SignalEnd): SignalEnd => ({ deviceId, terminalId, channel });

/** The tables that say what terminals a device has. */
export interface Terminals {
  readonly devices: ReadonlyMap<string, { readonly modelId: string }>;
  readonly models: ReadonlyMap<string, Insides>;
}

/** As tables declare that they read them. */
export const TERMINALS_OF = { devices: ['modelId'], models: 'every field' } as const;

export function terminalAt(
  { devices, models }: Terminals,
  { deviceId, terminalId }: Pick<SignalEnd, 'deviceId' | 'terminalId'>,
): Terminal | undefined {
  return terminalOf(models.get(devices.get(deviceId)?.modelId ?? ''), terminalId);
}

/** What is wrong with a channel that a record names: no such terminal, another direction, too high a number. */
export function endProblem(
  tables: Terminals,
  end: SignalEnd,
  directions: readonly Direction[],
  path = '',
): FieldProblem | null {
  const at = (field: string) => (path === '' ? field : `${path}.${field}`);
  const terminal = terminalAt(tables, end);
  if (terminal === undefined) return { reason: 'unknown', path: at('terminalId'), value: end.terminalId };
  if (!directions.includes(terminal.direction)) {
    return { reason: 'out-of-range', path: at('terminalId'), value: end.terminalId, limit: directions.join(' or ') };
  }
  if (end.channel > terminal.channels) {
    return {
      reason: 'out-of-range',
      path: at('channel'),
      value: String(end.channel),
      limit: `1 to ${terminal.channels}`,
    };
  }
  return null;
}
