import { freeAddressIn, freeName, freeNames } from './free';
import type { Model } from '../models/models-table';
import type { Command } from '../plan/commands';
import { interfacesOf, type PlanOf } from '../plan/plan';
import { isRouted, type Interface } from '../network/interfaces-table';
import { PLAIN_DEVICE, type Device } from '../plan/devices-table';

interface NewDevices {
  readonly model: Model;
  readonly count: number;
  /** Of one device its name; several count up from it. */
  readonly name: string;
  readonly placeId: string | null;
  /** Where each leg and the control port are to live; null: no address yet. */
  readonly subnetByRole: Readonly<Partial<Record<'A' | 'B' | 'control', string | null>>>;
}

/** The commands that add one or many devices of a model, with free names and free addresses. */
export function proposeDevices(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  wanted: NewDevices,
): Command[] {
  const { model } = wanted;
  const commands: Command[] = plan.models.has(model.id) ? [] : [{ kind: 'put-model', model }];
  const ids = new Set(plan.devices.keys());
  const addresses: string[] = [];
  for (const name of freeNames(plan, wanted.name, wanted.count)) {
    const id = freeId(name, ids);
    ids.add(id);
    const device: Device = {
      ...PLAIN_DEVICE,
      id,
      name,
      modelId: model.id,
      placeId: wanted.placeId,
      rateHz: model.ratesHz.includes(48_000) ? 48_000 : (model.ratesHz[0] ?? 48_000),
    };
    commands.push({ kind: 'add-device', device });
    for (const role of ['A', 'B', 'control'] as const) {
      if (!model.ports.some((p) => p.role === role)) continue;
      const subnetId = wanted.subnetByRole[role] ?? null;
      const address = subnetId === null ? null : freeAddressIn(plan, subnetId, addresses);
      if (address !== null) addresses.push(address);
      commands.push({ kind: 'put-interface', interface: { deviceId: id, name: role, subnetId, address } });
    }
  }
  return commands;
}

/** Copies of a device with its settings and labels, without its cables, lanes, serial and binding. */
export function proposeCopies(
  plan: PlanOf<'subnets' | 'devices' | 'interfaces' | 'labels'>,
  deviceId: string,
  count: number,
): Command[] {
  const device = plan.devices.get(deviceId);
  if (device === undefined) return [];
  const commands: Command[] = [];
  const ids = new Set(plan.devices.keys());
  const names = new Set<string>();
  const addresses: string[] = [];
  for (let n = 0; n < count; n += 1) {
    const name = freeName(plan, device.name, names);
    names.add(name);
    const id = freeId(name, ids);
    ids.add(id);
    commands.push({
      kind: 'add-device',
      device: { ...device, id, name, serial: null, nodeId: null, nodeDeviceId: null },
    });
    for (const i of interfacesOf(plan, deviceId).values()) {
      if (isRouted(i)) continue;
      const address = i.subnetId === null ? null : freeAddressIn(plan, i.subnetId, addresses);
      if (address !== null) addresses.push(address);
      const copy: Interface = { ...i, deviceId: id, address };
      commands.push({ kind: 'put-interface', interface: copy });
    }
    const labels = [...(plan.labels.get(deviceId)?.values() ?? [])].map((label) => ({ ...label, deviceId: id }));
    if (labels.length > 0) commands.push({ kind: 'put-records', table: 'labels', records: labels });
  }
  return commands;
}

/** `Dome amp 6` as `dome-amp-6`, counted up until it is free. Ids never change, so that a rename breaks nothing. */
export function freeId(name: string, taken: { has(id: string): boolean }): string {
  const stem =
    name
      .normalize('NFKD')
      .replace(/\p{Mark}/gu, '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 60) || 'device';
  if (!taken.has(stem)) return stem;
  for (let n = 2; ; n += 1) if (!taken.has(`${stem}-${n}`)) return `${stem}-${n}`;
}
