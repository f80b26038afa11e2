import { interfacesOf, type Plan } from '../plan/plan';
import { cablesOf, farEnd } from '../plan/sockets';
import type { NetworkRow } from '../edits/import-network';
import { readTable, writeTable, type ColumnMapping, type ColumnWords, type Table, type TableProblem } from './table';

export type { TableProblem };

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
type NetworkColumn = (typeof NETWORK_COLUMNS)[number];

export const NETWORK_WORDS: ColumnWords<NetworkColumn> = {
  columns: NETWORK_COLUMNS,
  needed: ['device'],
  also: {
    device: ['device name', 'name', 'host', 'hostname', 'equipment', 'gerät'],
    model: ['type', 'device type', 'product'],
    place: ['location', 'room', 'rack', 'site', 'ort'],
    port: ['interface', 'device port', 'nic', 'network port'],
    address: ['ip', 'ip address', 'ipv4', 'ipv4 address', 'ip adresse'],
    subnet: ['network', 'vlan name', 'subnet name'],
    switch: ['switch name', 'connected to', 'far end'],
    socket: ['switch port', 'port on switch', 'far port'],
    speed: ['link speed', 'speed mb s', 'mbit s', 'mbps'],
    cable: ['cable type', 'medium', 'kabel'],
    metres: ['length', 'length m', 'metres m', 'meters', 'cable length', 'länge', 'm'],
  },
};

/** A table that was read, with which of its columns is which. */
type NetworkTable = { readonly rows: readonly NetworkRow[] } & Omit<Table<NetworkColumn>, 'lines'>;

const LINES_MAX = 20_000;
export const NETWORK_CSV_MAX_BYTES = 5_000_000;

/** Reads a table. Every line that cannot be used is named with its reason; the others are there to be offered. */
export function readNetworkCsv(text: string, mapping: ColumnMapping<NetworkColumn> | null = null): NetworkTable {
  const { lines, ...table } = readTable(text, NETWORK_WORDS, LINES_MAX, mapping);
  const problems: TableProblem[] = [...table.problems];
  const rows: NetworkRow[] = [];
  for (const { line, fields } of lines) {
    const said = Object.fromEntries(
      Object.entries(fields).map(([column, value]) => [column, value?.trim() ? value.trim() : null]),
    ) as Record<NetworkColumn, string | null>;
    if (said.device === null) problems.push({ line, problem: 'no device is named' });
    else rows.push({ line, ...said, device: said.device });
  }
  return { ...table, rows, problems };
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
  return writeTable(NETWORK_COLUMNS, lines);
}
