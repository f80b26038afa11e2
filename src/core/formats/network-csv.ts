import Papa from 'papaparse';
import { interfacesOf, type Plan } from '../plan/plan';
import { cablesOf, farEnd } from '../plan/sockets';
import type { NetworkRow } from '../plan/import-network';

/**
 * The network as a table, one line for each interface of a device:
 *   device,model,place,port,address,subnet,switch,socket,speed,cable,metres
 * Only `device` must be there. Names are those of the plan; an empty field says nothing and changes nothing.
 */
export const NETWORK_COLUMNS = [
  'device',
  'model',
  'place',
  'port',
  'address',
  'subnet',
  'switch',
  'socket',
  'speed',
  'cable',
  'metres',
] as const;
export type NetworkColumn = (typeof NETWORK_COLUMNS)[number];

export interface TableProblem {
  /** Counted from 1, the header included; 0: the table as a whole. */
  readonly line: number;
  readonly problem: string;
}

export interface NetworkTable {
  readonly rows: readonly NetworkRow[];
  readonly problems: readonly TableProblem[];
}

const LINES_MAX = 20_000;
export const NETWORK_CSV_MAX_BYTES = 5_000_000;

/** Reads a table. Every line that cannot be used is named with its reason; the others are there to be offered. */
export function readNetworkCsv(text: string): NetworkTable {
  const problems: TableProblem[] = [];
  if (text.includes('\u0000')) return { rows: [], problems: [{ line: 0, problem: 'this is not a text file' }] };
  const parsed = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  for (const error of parsed.errors) {
    // A one-column table has no delimiter to be found; that is no mistake.
    if (error.code === 'UndetectableDelimiter') continue;
    problems.push({ line: (error.row ?? 0) + 1, problem: error.message });
  }
  const [header, ...lines] = parsed.data;
  if (header === undefined) return { rows: [], problems: [{ line: 0, problem: 'the file is empty' }] };
  const columns = header.map((h) => h.trim().toLowerCase());
  const isKnown = (c: string): c is NetworkColumn => (NETWORK_COLUMNS as readonly string[]).includes(c);
  columns.forEach((c, n) => {
    if (!isKnown(c)) {
      problems.push({
        line: 1,
        problem:
          c === '' ? `column ${n + 1} has no name` : `no column is called “${header[n]?.trim()}”; it is left out`,
      });
    } else if (columns.indexOf(c) !== n) problems.push({ line: 1, problem: `the column ${c} stands twice` });
  });
  if (!columns.includes('device')) {
    const wanted = `the column “device” is missing; the columns are ${NETWORK_COLUMNS.join(', ')}`;
    return { rows: [], problems: [...problems, { line: 1, problem: wanted }] };
  }
  if (lines.length > LINES_MAX) {
    return { rows: [], problems: [{ line: 0, problem: `more than ${LINES_MAX} lines` }] };
  }
  const rows: NetworkRow[] = [];
  lines.forEach((fields, n) => {
    const line = n + 2;
    if (fields.length > columns.length) {
      problems.push({ line, problem: `${fields.length} fields where the header has ${columns.length}` });
      return;
    }
    const field = (name: NetworkColumn): string | null => {
      const value = fields[columns.indexOf(name)]?.trim() ?? '';
      return value === '' ? null : value;
    };
    const device = field('device');
    if (device === null) {
      problems.push({ line, problem: 'no device is named' });
      return;
    }
    rows.push({
      line,
      device,
      model: field('model'),
      place: field('place'),
      port: field('port'),
      address: field('address'),
      subnet: field('subnet'),
      switch: field('switch'),
      socket: field('socket'),
      speed: field('speed'),
      cable: field('cable'),
      metres: field('metres'),
    });
  });
  return { rows, problems };
}

/** The plan's network as such a table: reading it back changes nothing. */
export function writeNetworkCsv(plan: Plan): string {
  const lines: string[][] = [];
  const devices = [...plan.devices.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  for (const device of devices) {
    const model = plan.models.get(device.modelId);
    if (model === undefined || model.switching) continue;
    const place = plan.places.get(device.placeId ?? '')?.name ?? '';
    for (const port of model.ports) {
      const own = interfacesOf(plan, device.id).get(port.role);
      const link = cablesOf(plan, device.id).get(port.name)?.[0];
      const far = link && farEnd(link, device.id, port.name);
      lines.push([
        device.name,
        model.name,
        place,
        port.name,
        own?.address ?? '',
        plan.subnets.get(own?.subnetId ?? '')?.name ?? '',
        far ? (plan.devices.get(far.deviceId)?.name ?? '') : '',
        far?.port ?? '',
        link ? String(link.bitsPerSecond / 1e6) : '',
        link?.cable ?? '',
        link ? String(link.metres) : '',
      ]);
    }
  }
  return Papa.unparse({ fields: [...NETWORK_COLUMNS], data: lines }, { newline: '\r\n' });
}
