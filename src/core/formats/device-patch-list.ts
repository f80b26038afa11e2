import { compareNames } from '../plan/name-order';
import type { Plan } from '../plan/plan';
import { terminalsOf, type Terminal } from '../signal/terminals';
import { Names } from './names';
import { readTable, writeTable, type ColumnMapping, type ColumnWords, type Table } from './table';

/**
 * The device patches of a plan, one line for each channel that is patched and for each send. `from` empty: it is fed by nothing. `send` says
 * whether a send is on; empty: it is a patch. Devices and terminals go by their names, channels by the numbers printed on the case.
 */
const DEVICE_PATCH_COLUMNS = [
  'device',
  'output',
  'number',
  'from',
  'from number',
  'tap',
  'send',
  'send level',
] as const;
type DevicePatchColumn = (typeof DEVICE_PATCH_COLUMNS)[number];

export const DEVICE_PATCH_WORDS: ColumnWords<DevicePatchColumn> = {
  columns: DEVICE_PATCH_COLUMNS,
  needed: ['device', 'output', 'number', 'from'],
  also: {
    output: ['fed', 'to', 'destination'],
    number: ['channel', 'to number'],
    from: ['source', 'input'],
    'from number': ['from channel', 'source number'],
  },
};

export const DEVICE_PATCH_MAX_BYTES = 5_000_000;
const LINES_MAX = 40_000;

export interface DevicePatchRow {
  readonly line: number;
  readonly fields: Readonly<Record<DevicePatchColumn, string | null>>;
}
type DevicePatchTable = { readonly rows: readonly DevicePatchRow[] } & Omit<Table<DevicePatchColumn>, 'lines'>;

export function readDevicePatchList(
  text: string,
  mapping: ColumnMapping<DevicePatchColumn> | null = null,
): DevicePatchTable {
  const { lines, ...table } = readTable(text, DEVICE_PATCH_WORDS, LINES_MAX, mapping);
  return { ...table, rows: lines };
}

/** The list of a plan: reading it back changes nothing. */
export function writeDevicePatchList(plan: Plan): string {
  const lines: string[][] = [];
  const devices = [...plan.devices.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  const deviceNames = new Names(devices);
  for (const device of devices) {
    const model = plan.models.get(device.modelId);
    const name = deviceNames.nameOf(device.id);
    const terminals = model ? terminalsOf(model) : [];
    const names = new Names(terminals);
    const byId = new Map<string, Terminal>(terminals.map((t) => [t.id, t]));
    const end = (terminalId: string, channel: number) => {
      const terminal = byId.get(terminalId);
      return [names.nameOf(terminalId), String(channel + (terminal?.countsFrom ?? 1) - 1)];
    };
    for (const p of sorted(plan.patches.get(device.id))) {
      const from = p.from === null ? ['', ''] : end(p.from.terminalId, p.from.channel);
      lines.push([name, ...end(p.terminalId, p.channel), ...from, p.tap ?? '', '', '']);
    }
    for (const s of sorted(plan.busSends.get(device.id))) {
      const level = s.levelDb === null ? '' : String(s.levelDb);
      const from = end(s.fromTerminalId, s.fromChannel);
      lines.push([name, ...end(s.terminalId, s.channel), ...from, s.tap ?? '', s.isOn ? 'on' : 'off', level]);
    }
  }
  return writeTable(DEVICE_PATCH_COLUMNS, lines);
}

function sorted<T>(own: ReadonlyMap<string, T> | undefined): T[] {
  return [...(own ?? [])].sort(([a], [b]) => compareNames(a, b)).map(([, record]) => record);
}
