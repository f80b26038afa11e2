import { onceWith } from '../core/plan/once-for';
import { formatAddress, isMulticast } from '../core/network/address';
import type { EndResource } from '../core/formats/is04';
import type { Side } from '../core/plan/labels-table';
import type { Plan } from '../core/plan/plan';
import type { PlanRef } from '../core/plan/plan-ref';
import type { FieldNode } from './field-resources';
import type { FieldSnapshot } from './field-snapshot';
import { partOf } from './node-parts';

/** How plan addresses look on the network where the devices are: `10.` to `127.` for the stand-ins, unchanged elsewhere. */
export interface AddressTranslation {
  readonly from: string;
  readonly to: string;
}

/** `10.=127.` as a translation; null where there is none. */
export function parseTranslation(text: string | undefined): AddressTranslation | null {
  const match = /^([\d.]+)=([\d.]+)$/.exec(text ?? '');
  return match ? { from: match[1] as string, to: match[2] as string } : null;
}

export function fieldAddress(address: string, translation: AddressTranslation | null): string {
  return translation && address.startsWith(translation.from)
    ? translation.to + address.slice(translation.from.length)
    : address;
}

/** Where a leg of a stream is sent, as devices get it: a group is the same everywhere, an address of a device is not. */
export function destinationText(address: number, translation: AddressTranslation | null): string {
  const text = formatAddress(address);
  return isMulticast(address) ? text : fieldAddress(text, translation);
}

/** The way back: an address of the field as the plan would write it. */
export function planAddress(address: string, translation: AddressTranslation | null): string {
  return translation && address.startsWith(translation.to)
    ? translation.from + address.slice(translation.to.length)
    : address;
}

/** As planAddress, for every address that stands in a text. */
export function planAddressesIn(text: string, translation: AddressTranslation | null): string {
  return translation === null
    ? text
    : text.replace(/(?<![\d.])\d{1,3}(?:\.\d{1,3}){3}(?![\d.])/g, (a) => planAddress(a, translation));
}

/** Several nodes claim to be what only one can be. Nothing is written to any of them until that is settled. */
export interface Contest {
  readonly by: 'id' | 'serial' | 'address';
  readonly value: string;
  /** The nodes that claim it, as far as they can be told apart. */
  readonly nodeIds: readonly string[];
}

type OwnEnds = Plan['streamEnds'] extends ReadonlyMap<string, infer Own> ? Own : never;

/**
 * A node with its senders and receivers in the order in which the plan counts its device's streams: each that the plan knows by id where it belongs,
 * whatever it is called now, and the others in the order of their labels.
 */
const inPlanOrder = onceWith((found: FieldNode, ends: OwnEnds | undefined): FieldNode => {
  if (ends === undefined) return found;
  const place = (all: readonly EndResource[], side: Side): EndResource[] => {
    const fixed = new Map<number, EndResource>();
    for (const { side: of, streamNumber, endId } of ends.values()) {
      const end = all.find((e) => e.id === endId);
      const isFree = end !== undefined && ![...fixed.values()].includes(end);
      if (of === side && isFree && streamNumber <= all.length) fixed.set(streamNumber, end);
    }
    const taken = new Set(fixed.values());
    const others = all.filter((e) => !taken.has(e));
    return all.map((_, n) => fixed.get(n + 1) ?? (others.shift() as EndResource));
  };
  return { ...found, senders: place(found.senders, 'send'), receivers: place(found.receivers, 'receive') };
});

export interface Bindings {
  /** By plan device id. */
  readonly nodeByDevice: ReadonlyMap<string, FieldNode>;
  /** How each was found. */
  readonly boundBy: ReadonlyMap<string, 'hand' | 'serial' | 'address'>;
  /** Devices of the plan that are not bound because several nodes claim to be them. */
  readonly contested: ReadonlyMap<string, Contest>;
  /** How plan addresses look where the devices are. */
  readonly translation: AddressTranslation | null;
  /** Devices that another plan of this server runs, which alone writes to them; missing: none. */
  readonly runElsewhere?: ReadonlyMap<string, PlanRef>;
}

/** The node that a device of the plan is bound to, as it is now: all of it, or the one device of it that is planned by itself. */
export function boundNow(plan: Plan, deviceId: string, found: FieldNode): FieldNode | undefined {
  const nodeDeviceId = plan.devices.get(deviceId)?.nodeDeviceId ?? null;
  const bound = nodeDeviceId === null ? found : partOf(found, nodeDeviceId);
  return bound && inPlanOrder(bound, plan.streamEnds.get(deviceId));
}

/**
 * Ties devices of the plan to nodes of the field: by hand where the plan says so, then by serial, then by address. A node
 * is bound once; a device that was bound by hand waits for its node rather than take another. What several nodes claim ties to none of them.
 */
export function bindDevices(plan: Plan, field: FieldSnapshot, translation: AddressTranslation | null): Bindings {
  const nodeByDevice = new Map<string, FieldNode>();
  const boundBy = new Map<string, 'hand' | 'serial' | 'address'>();
  const taken = new Set<string>();
  const parts = new Set<string>();
  const contested = new Map<string, Contest>();
  const bind = (deviceId: string, found: FieldNode | undefined, by: 'hand' | 'serial' | 'address') => {
    if (found === undefined || nodeByDevice.has(deviceId) || taken.has(found.node.id)) return;
    const { id } = found.node;
    if (field.contestedIds.has(id)) return void contested.set(deviceId, { by: 'id', value: id, nodeIds: [id] });
    nodeByDevice.set(deviceId, inPlanOrder(found, plan.streamEnds.get(deviceId)));
    boundBy.set(deviceId, by);
    taken.add(found.node.id);
  };
  const devices = [...plan.devices.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  // Devices of one node that are planned by themselves come first: then nobody else is the whole of it.
  for (const { id, nodeId, nodeDeviceId } of devices) {
    const found = nodeId === null ? undefined : field.nodes.get(nodeId);
    if (found === undefined || nodeDeviceId === null) continue;
    taken.add(found.node.id);
    if (field.contestedIds.has(found.node.id)) {
      contested.set(id, { by: 'id', value: found.node.id, nodeIds: [found.node.id] });
      continue;
    }
    const part = partOf(found, nodeDeviceId);
    if (part === undefined || parts.has(nodeDeviceId)) continue;
    parts.add(nodeDeviceId);
    nodeByDevice.set(id, inPlanOrder(part, plan.streamEnds.get(id)));
    boundBy.set(id, 'hand');
  }
  for (const { id, nodeId, nodeDeviceId } of devices)
    if (nodeId !== null && nodeDeviceId === null) bind(id, field.nodes.get(nodeId), 'hand');
  const bySerial = new Map<string, FieldNode[]>();
  const byAddress = new Map<string, FieldNode[]>();
  for (const found of field.nodes.values()) {
    if (found.node.serial !== null) push(bySerial, found.node.serial, found);
    for (const address of found.node.addresses) push(byAddress, address, found);
  }
  /** The one that claims a value and is not bound by hand; of several none. */
  const only = (deviceId: string, by: 'serial' | 'address', value: string, claims: readonly FieldNode[] = []) => {
    const free = claims.filter((f) => !taken.has(f.node.id));
    if (free.length < 2) return free[0];
    contested.set(deviceId, { by, value, nodeIds: free.map((f) => f.node.id).sort() });
    return undefined;
  };
  const free = devices.filter((d) => d.nodeId === null);
  for (const { id, serial } of free) {
    if (serial !== null) bind(id, only(id, 'serial', serial, bySerial.get(serial)), 'serial');
  }
  for (const device of free) {
    for (const i of plan.interfaces.get(device.id)?.values() ?? []) {
      if (i.address === null) continue;
      if (nodeByDevice.has(device.id) || contested.has(device.id)) break;
      const address = fieldAddress(i.address, translation);
      // A serial that the plan knows and the node denies is another box on the same address.
      const claims = byAddress
        .get(address)
        ?.filter(({ node }) => device.serial === null || node.serial === null || node.serial === device.serial);
      bind(device.id, only(device.id, 'address', address, claims), 'address');
    }
  }
  return { nodeByDevice, boundBy, contested, translation };
}

function push<K, V>(lists: Map<K, V[]>, key: K, value: V): void {
  const list = lists.get(key);
  if (list === undefined) lists.set(key, [value]);
  else list.push(value);
}
