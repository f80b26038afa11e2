import type { Plan } from '../plan/plan';
import { PAYLOADS, PLUGGED_KINDS, POWERINGS, type PluggedIn } from '../signal/plugged-in-table';
import type { ChannelSettings } from '../signal/channel-settings-table';
import { CONNECTORS, SIGNAL_FORMATS, TAPS } from '../signal/terminal-shape';
import { terminalsOf } from '../signal/terminals';
import { Names } from './names';
import { readDecimal, readTable, writeTable, type ColumnMapping, type ColumnWords, type Table } from './table';

/**
 * What is plugged in and how sockets are set, one line for each channel: an input list, and the same for outputs. Devices, terminals and places
 * go by their names, channels by the numbers printed on the case. An empty field says nothing and changes nothing.
 */
const SOCKET_COLUMNS = [
  'device',
  'terminal',
  'channel',
  'name',
  'kind',
  'label',
  'format',
  'gain',
  'pad',
  'phantom',
  'asks tap',
  'powering',
  'payload',
  'level',
  'max level',
  'impedance',
  'power',
  'place',
  'x',
  'y',
  'z',
  'plug',
  'cable',
  'metres',
  'max metres',
  'adapter',
  'attenuator',
  'output delay ms',
  'distance m',
  'measured on',
  'air c',
] as const;
export type SocketColumn = (typeof SOCKET_COLUMNS)[number];

export const SOCKET_WORDS: ColumnWords<SocketColumn> = {
  columns: SOCKET_COLUMNS,
  needed: ['device', 'terminal', 'channel'],
  also: {
    device: ['box', 'unit', 'stage box'],
    terminal: ['sockets', 'input group'],
    channel: ['ch', 'socket', 'input', 'number', 'no'],
    name: ['source', 'microphone', 'instrument', 'signal', 'sink'],
    gain: ['gain db', 'preamp'],
    phantom: ['48v', '48 v', 'p48', 'phantom power'],
    level: ['level dbu'],
    'max level': ['max level dbu', 'peak dbu'],
    impedance: ['ohm', 'load'],
    power: ['watt', 'w'],
    metres: ['length', 'length m', 'm'],
    place: ['location', 'position'],
  },
};

export const SOCKET_LIST_MAX_BYTES = 5_000_000;
const LINES_MAX = 20_000;

type SocketFields = Readonly<Record<SocketColumn, string | null>>;
export interface SocketRow {
  readonly line: number;
  readonly fields: SocketFields;
}
type SocketTable = { readonly rows: readonly SocketRow[] } & Omit<Table<SocketColumn>, 'lines'>;

export function readSocketList(text: string, mapping: ColumnMapping<SocketColumn> | null = null): SocketTable {
  const { lines, ...table } = readTable(text, SOCKET_WORDS, LINES_MAX, mapping);
  return { ...table, rows: lines };
}

/** A field of a record as text, and back; undefined: it is none. */
interface Field {
  readonly of: 'plugged' | 'settings';
  readonly key: string;
  readonly write: (value: unknown) => string;
  readonly read: (text: string) => unknown;
  /** Spaces around it belong to it. */
  readonly isText?: boolean;
}

const text = { isText: true, write: (v: unknown) => (v as string | null) ?? '', read: (t: string) => t };
const number = {
  write: (v: unknown) => (v === null ? '' : String(v)),
  read: (t: string) => readDecimal(t) ?? undefined,
};
const milliseconds = {
  write: (v: unknown) => (v === null ? '' : String((v as number) / 1e6)),
  read: (t: string) => {
    const ms = readDecimal(t);
    return ms === null ? undefined : Math.round(ms * 1e6);
  },
};
const flag = {
  write: (v: unknown) => (v === true ? 'yes' : 'no'),
  read: (t: string) => {
    if (/^(yes|y|on|true|1|x)$/i.test(t)) return true;
    return /^(no|n|off|false|0)$/i.test(t) ? false : undefined;
  },
};
const oneOf = (values: readonly string[]) => ({
  write: (v: unknown) => (v as string | null) ?? '',
  read: (t: string) => values.find((v) => v.toLowerCase() === t.toLowerCase()),
});

/** The columns that are fields of records. Places and positions are read apart. */
export const SOCKET_FIELDS: Readonly<Partial<Record<SocketColumn, Field>>> = {
  name: { of: 'plugged', key: 'name', ...text },
  kind: { of: 'plugged', key: 'kind', ...oneOf(PLUGGED_KINDS) },
  powering: { of: 'plugged', key: 'powering', ...oneOf(POWERINGS) },
  payload: { of: 'plugged', key: 'payload', ...oneOf(PAYLOADS) },
  level: { of: 'plugged', key: 'levelDbu', ...number },
  'max level': { of: 'plugged', key: 'maxLevelDbu', ...number },
  impedance: { of: 'plugged', key: 'impedanceOhm', ...number },
  power: { of: 'plugged', key: 'powerW', ...number },
  plug: { of: 'plugged', key: 'plug', ...oneOf(CONNECTORS) },
  cable: { of: 'plugged', key: 'cableGrade', ...text },
  metres: { of: 'plugged', key: 'metres', ...number },
  'max metres': { of: 'plugged', key: 'metresMax', ...number },
  adapter: { of: 'plugged', key: 'adapter', ...text },
  attenuator: { of: 'plugged', key: 'attenuationDb', ...number },
  label: { of: 'settings', key: 'label', ...text },
  format: { of: 'settings', key: 'format', ...oneOf(SIGNAL_FORMATS) },
  gain: { of: 'settings', key: 'gainDb', ...number },
  pad: { of: 'settings', key: 'hasPad', ...flag },
  phantom: { of: 'settings', key: 'hasPhantom', ...flag },
  'asks tap': { of: 'settings', key: 'asksTap', ...oneOf(TAPS) },
  'output delay ms': { of: 'settings', key: 'outputDelayNs', ...milliseconds },
  'distance m': { of: 'settings', key: 'distanceMetres', ...number },
  'measured on': { of: 'settings', key: 'measuredOn', ...text },
  'air c': { of: 'settings', key: 'airCelsius', ...number },
};

/** The list of a plan: reading it back changes nothing. */
export function writeSocketList(plan: Plan): string {
  const lines: string[][] = [];
  const devices = [...plan.devices.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  const deviceNames = new Names(devices);
  const placeNames = new Names(plan.places.values());
  for (const device of devices) {
    const model = plan.models.get(device.modelId);
    const terminals = model ? terminalsOf(model) : [];
    const terminalNames = new Names(terminals);
    for (const terminal of terminals) {
      for (let channel = 1; channel <= terminal.channels; channel += 1) {
        const key = `${terminal.id}/${channel}`;
        const plugged = plan.pluggedIn.get(device.id)?.get(key);
        const settings = plan.channelSettings.get(device.id)?.get(key);
        if (plugged === undefined && settings === undefined) continue;
        const number = String(channel + terminal.countsFrom - 1);
        const where = [deviceNames.nameOf(device.id), terminalNames.nameOf(terminal.id), number] as const;
        lines.push(
          lineOf(where, plugged?.placeId == null ? '' : placeNames.nameOf(plugged.placeId), plugged, settings),
        );
      }
    }
  }
  return writeTable(SOCKET_COLUMNS, lines);
}

function lineOf(
  [device, terminal, channel]: readonly [string, string, string],
  place: string,
  plugged: PluggedIn | undefined,
  settings: ChannelSettings | undefined,
): string[] {
  const { x, y, z } = plugged?.position ?? { x: '', y: '', z: '' };
  const own: Partial<Record<SocketColumn, string>> = {
    device,
    terminal,
    channel,
    place,
    x: String(x),
    y: String(y),
    z: String(z),
  };
  return SOCKET_COLUMNS.map((column) => {
    const field = SOCKET_FIELDS[column];
    if (field === undefined) return own[column] ?? '';
    const record = (field.of === 'plugged' ? plugged : settings) as Readonly<Record<string, unknown>> | undefined;
    return record === undefined ? '' : field.write(record[field.key] ?? null);
  });
}
