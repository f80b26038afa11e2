import { readNumber } from '../formats/table';
import type { Model, ModelPort } from '../models/models-table';
import { isHostOfBlock, parseAddress, parseCidr } from '../network/address';
import type { Command } from '../plan/commands';
import { ImportDraft } from './import-draft';
import type { PlanOf } from '../plan/plan';
import { freeId } from './propose-devices';
import { farEnd } from '../plan/sockets';
import { CABLES, PLAIN_LINK, type Cable, type Link } from '../network/links-table';
import { PLAIN_DEVICE, type Device } from '../plan/devices-table';
import type { Subnet } from '../network/subnets-table';

/** One interface of a device as a table or the field tells it. Null says nothing. */
export interface NetworkRow {
  /** Where it stands in its file, from 1; null where it comes from the field. */
  readonly line: number | null;
  /** By name, or by id. */
  readonly device: string;
  readonly model: string | null;
  readonly place: string | null;
  /** A socket's name, or its role: A, B, control. */
  readonly port: string | null;
  readonly address: string | null;
  readonly subnet: string | null;
  readonly switch: string | null;
  readonly socket: string | null;
  /** Mb/s. */
  readonly speed: string | null;
  readonly cable: string | null;
  readonly metres: string | null;
}

type ImportedWhat = 'device' | 'model' | 'place' | 'address' | 'subnet' | 'plugged into' | 'speed' | 'cable' | 'metres';

/** What a row would change, before and after as people read them. */
interface ImportChange {
  readonly what: ImportedWhat;
  readonly before: string | null;
  readonly after: string;
}

export interface ImportItem {
  readonly line: number | null;
  readonly device: string;
  readonly port: string | null;
  readonly verdict: 'new' | 'differs' | 'same' | 'refused';
  readonly changes: readonly ImportChange[];
  /** Why it is refused. */
  readonly problem: string | null;
  readonly commands: readonly Command[];
}

/**
 * Holds rows against the plan, one after the other, so that a device that one row brings can be plugged in by the next. What
 * a row does not say is left alone. Rows that cannot be are named with their reason and change nothing.
 */
export function importNetwork(
  plan: PlanOf<'places' | 'models' | 'subnets' | 'devices' | 'links' | 'interfaces'>,
  rows: readonly NetworkRow[],
): ImportItem[] {
  const draft = new ImportDraft(plan);
  const seen = new Map<string, number | null>();
  return rows.map((row) => {
    const item = itemOf(draft, row, seen);
    draft.take(item.commands);
    return item;
  });
}

/** The commands of all rows that are taken. */
export function commandsOfImport(items: readonly ImportItem[]): Command[] {
  return items.flatMap((i) => [...i.commands]);
}

const same = (a: string, b: string) => a.trim().toLowerCase() === b.trim().toLowerCase();

class Refused extends Error {}

function itemOf(draft: ImportDraft, row: NetworkRow, seen: Map<string, number | null>): ImportItem {
  const base = { line: row.line, device: row.device, port: row.port };
  try {
    const changes: ImportChange[] = [];
    const commands: Command[] = [];
    const { device, model, isNew } = deviceOf(draft, row, changes, commands);
    const port = portOf(model, row.port);
    if (row.port !== null || row.address !== null || row.switch !== null || row.subnet !== null) {
      const key = `${device.id}/${port?.name ?? ''}`;
      const earlier = seen.get(key);
      if (earlier !== undefined) {
        throw new Refused(
          `${row.device}${port ? `, ${port.name}` : ''} is listed twice${earlier === null ? '' : `, first in line ${earlier}`}`,
        );
      }
      seen.set(key, row.line);
    }
    addressOf(draft, row, device, port, changes, commands);
    plugOf(draft, row, device, port, changes, commands);
    const verdict = isNew ? 'new' : changes.length > 0 ? 'differs' : 'same';
    return { ...base, port: port?.name ?? row.port, verdict, changes, problem: null, commands };
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    return { ...base, verdict: 'refused', changes: [], problem: error.message, commands: [] };
  }
}

function deviceOf(draft: ImportDraft, row: NetworkRow, changes: ImportChange[], commands: Command[]) {
  const known = draft.devices.find(row.device);
  const wanted = row.model === null ? undefined : draft.models.find(row.model);
  if (row.model !== null && wanted === undefined) throw new Refused(`no model is called “${row.model}”`);
  let placeId = known?.placeId ?? null;
  if (row.place !== null) {
    const place = draft.places.find(row.place);
    placeId = place?.id ?? freeId(row.place, draft.places);
    if (place === undefined) {
      if (row.place.length > 200) throw new Refused('the name of the place is longer than 200 characters');
      commands.push({ kind: 'put-place', place: { id: placeId, name: row.place, parentId: null } });
    }
  }
  if (known !== undefined) {
    const model = draft.models.get(known.modelId);
    if (model === undefined) throw new Refused('the model of the device is not in the plan');
    const change: { placeId?: string | null; modelId?: string } = {};
    if (placeId !== known.placeId) {
      change.placeId = placeId;
      changes.push({
        what: 'place',
        before: draft.places.get(known.placeId)?.name ?? null,
        after: row.place ?? '',
      });
    }
    if (wanted !== undefined && wanted.id !== model.id && !same(wanted.name, model.name)) {
      if (!draft.isInPlan(wanted)) commands.push({ kind: 'put-model', model: wanted });
      change.modelId = wanted.id;
      changes.push({ what: 'model', before: model.name, after: wanted.name });
    }
    if (Object.keys(change).length > 0) commands.push({ kind: 'change-device', deviceId: known.id, change });
    return { device: known, model: change.modelId === undefined ? model : (wanted as Model), isNew: false };
  }
  if (wanted === undefined) throw new Refused(`no device is called “${row.device}”, and no model is given to make one`);
  if (row.device.length > 200) throw new Refused('the name is longer than 200 characters');
  const device: Device = {
    ...PLAIN_DEVICE,
    id: freeId(row.device, draft.devices),
    name: row.device,
    modelId: wanted.id,
    placeId,
    rateHz: wanted.ratesHz.includes(48_000) ? 48_000 : (wanted.ratesHz[0] ?? 48_000),
  };
  if (!draft.isInPlan(wanted)) commands.push({ kind: 'put-model', model: wanted });
  commands.push({ kind: 'add-device', device });
  changes.push({ what: 'device', before: null, after: wanted.name });
  return { device, model: wanted, isNew: true };
}

function portOf(model: Model, text: string | null): ModelPort | undefined {
  if (text === null) return model.ports.find((p) => p.role === 'A') ?? model.ports[0];
  const port = model.ports.find((p) => same(p.name, text)) ?? model.ports.find((p) => same(p.role, text));
  if (port === undefined) {
    throw new Refused(`${model.name} has no port “${text}”; it has ${model.ports.map((p) => p.name).join(', ')}`);
  }
  return port;
}

function addressOf(
  draft: ImportDraft,
  row: NetworkRow,
  device: Device,
  port: ModelPort | undefined,
  changes: ImportChange[],
  commands: Command[],
): void {
  if (row.address === null && row.subnet === null) return;
  if (port === undefined || port.role === 'switched') throw new Refused('this port has no address of its own');
  const own = draft.interfaceOf(device.id, port.role);
  let subnet: Subnet | undefined = draft.subnet(own?.subnetId ?? null);
  if (row.subnet !== null) {
    subnet = draft.subnetNamed(row.subnet);
    if (subnet === undefined) throw new Refused(`no subnet is called “${row.subnet}”`);
  }
  let address = own?.address ?? null;
  if (row.address !== null) {
    const parsed = parseAddress(row.address);
    if (parsed === null) throw new Refused(`“${row.address}” is not an IPv4 address`);
    address = row.address;
    const holds = (s: Subnet) => {
      const block = parseCidr(s.cidr);
      return block !== null && isHostOfBlock(parsed, block);
    };
    if (row.subnet === null && (subnet === undefined || !holds(subnet))) {
      subnet = draft.subnets.find(holds);
      if (subnet === undefined) throw new Refused(`no subnet of the plan holds ${row.address}`);
    }
    if (subnet !== undefined && !holds(subnet)) {
      throw new Refused(`${row.address} is not a host of ${subnet.name} ${subnet.cidr}`);
    }
    const holder = draft.holdersOf(row.address).find((i) => i.deviceId !== device.id || i.name !== port.role);
    if (holder !== undefined) throw new Refused(`${address} is the address of ${draft.nameOf(holder.deviceId)}`);
  }
  const subnetId = subnet?.id ?? null;
  if (own?.address === address && own?.subnetId === subnetId) return;
  if (own?.address !== address) changes.push({ what: 'address', before: own?.address ?? null, after: address ?? '' });
  if (own?.subnetId !== subnetId) {
    const before = draft.subnet(own?.subnetId ?? null)?.name ?? null;
    changes.push({ what: 'subnet', before, after: subnet?.name ?? '' });
  }
  commands.push({ kind: 'put-interface', interface: { deviceId: device.id, name: port.role, subnetId, address } });
}

function plugOf(
  draft: ImportDraft,
  row: NetworkRow,
  device: Device,
  port: ModelPort | undefined,
  changes: ImportChange[],
  commands: Command[],
): void {
  const says = row.switch ?? row.socket ?? row.speed ?? row.cable ?? row.metres;
  if (says === null) return;
  if (port === undefined) throw new Refused('the device has no port for a cable');
  const known = draft.cablesIn(device.id, port.name)[0];
  const far = known && farEnd(known, device.id, port.name);
  let target = far;
  if (row.switch !== null || row.socket !== null) {
    const into = row.switch === null ? draft.devices.get(far?.deviceId ?? null) : draft.devices.find(row.switch);
    if (into === undefined) {
      throw new Refused(row.switch === null ? 'a switch port without a switch' : `no switch is called “${row.switch}”`);
    }
    const model = draft.modelOf(into.id);
    if (!model?.switching) throw new Refused(`${into.name} is not a switch`);
    const isSame = into.id === far?.deviceId && row.socket === null;
    const socket = row.socket === null ? null : model.ports.find((p) => same(p.name, row.socket as string));
    if (!isSame) {
      if (row.socket !== null && !socket) throw new Refused(`${into.name} has no port “${row.socket}”`);
      if (!socket) throw new Refused(`no port of ${into.name} is named`);
      target = { deviceId: into.id, port: socket.name };
    }
  }
  if (target === undefined) throw new Refused('a port is named, and no switch');
  const to = target;
  if (to.deviceId === device.id) throw new Refused('a device cannot be plugged into itself');
  const into = draft.modelOf(to.deviceId)?.ports.find((p) => p.name === to.port);
  if (into === undefined) throw new Refused(`${draft.nameOf(to.deviceId)} has no port “${to.port}”`);
  const taken = draft.cablesIn(to.deviceId, to.port).find((l) => l.id !== known?.id);
  const nameOf = (end: { deviceId: string; port: string }) => `${draft.nameOf(end.deviceId)} ${end.port}`;
  if (taken) {
    const other = farEnd(taken, to.deviceId, to.port);
    throw new Refused(`${nameOf(to)} is taken by ${nameOf(other)}`);
  }
  const bitsPerSecond =
    numberIn(row.speed, 'speed', 1e6) ?? known?.bitsPerSecond ?? Math.min(port.bitsPerSecond, into.bitsPerSecond);
  const metres = numberIn(row.metres, 'metres', 1) ?? known?.metres ?? 0;
  const cable = cableIn(row.cable) ?? known?.cable ?? null;
  const from = { deviceId: device.id, port: port.name };
  const link: Link = {
    ...(known ?? { id: freeId(`${device.id}-${port.name}`, draft.links), ...PLAIN_LINK }),
    from,
    to,
    bitsPerSecond,
    metres,
    cable,
  };
  const before = changes.length;
  if (far === undefined || far.deviceId !== to.deviceId || far.port !== to.port) {
    changes.push({ what: 'plugged into', before: far ? nameOf(far) : null, after: nameOf(to) });
  }
  if (known && known.bitsPerSecond !== bitsPerSecond) {
    changes.push({ what: 'speed', before: `${known.bitsPerSecond / 1e6} Mb/s`, after: `${bitsPerSecond / 1e6} Mb/s` });
  }
  if (known && known.cable !== cable) changes.push({ what: 'cable', before: known.cable, after: cable ?? '' });
  if (known && known.metres !== metres) {
    changes.push({ what: 'metres', before: String(known.metres), after: String(metres) });
  }
  if (changes.length > before) commands.push({ kind: 'put-link', link });
}

function numberIn(text: string | null, what: string, times: number): number | null {
  if (text === null) return null;
  const value = readNumber(text, what === 'speed' ? 'thousands' : 'decimals');
  if (value === null || value < 0 || (what === 'speed' && value <= 0)) {
    throw new Refused(`“${text}” is not a number of ${what === 'speed' ? 'Mb/s' : what}`);
  }
  return what === 'speed' ? Math.round(value * times) : value * times;
}

function cableIn(text: string | null): Cable | null {
  if (text === null) return null;
  const cable = CABLES.find((c) => same(c, text));
  if (cable === undefined) throw new Refused(`“${text}” is not a kind of cable; the kinds are ${CABLES.join(', ')}`);
  return cable;
}
