import { formatAddress, isMulticast } from '../core/network/address';
import type { Plan } from '../core/plan/plan';
import type { FieldNode } from './field-resources';
import type { FieldSnapshot } from './follower';

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

/** Where a leg of a stream is sent, as devices are told: a group is the same everywhere, an address of a device is not. */
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

export interface Bindings {
  /** By plan device id. */
  readonly nodeByDevice: ReadonlyMap<string, FieldNode>;
  /** How each was found. */
  readonly boundBy: ReadonlyMap<string, 'hand' | 'serial' | 'address'>;
  /** Nodes that no device of the plan is bound to. */
  readonly unknown: readonly FieldNode[];
  /** How plan addresses look where the devices are. */
  readonly translation: AddressTranslation | null;
}

/**
 * Ties devices of the plan to nodes of the field: by hand where the plan says so, then by serial, then by address. A node
 * is bound once; a device that was bound by hand waits for its node rather than take another.
 */
export function bindDevices(plan: Plan, field: FieldSnapshot, translation: AddressTranslation | null): Bindings {
  const nodeByDevice = new Map<string, FieldNode>();
  const boundBy = new Map<string, 'hand' | 'serial' | 'address'>();
  const taken = new Set<string>();
  const bind = (deviceId: string, found: FieldNode | undefined, by: 'hand' | 'serial' | 'address') => {
    if (found === undefined || nodeByDevice.has(deviceId) || taken.has(found.node.id)) return;
    nodeByDevice.set(deviceId, found);
    boundBy.set(deviceId, by);
    taken.add(found.node.id);
  };
  const devices = [...plan.devices.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  for (const device of devices) if (device.nodeId !== null) bind(device.id, field.nodes.get(device.nodeId), 'hand');
  const bySerial = new Map<string, FieldNode>();
  const byAddress = new Map<string, FieldNode>();
  for (const found of field.nodes.values()) {
    if (found.node.serial !== null) bySerial.set(found.node.serial, found);
    for (const address of found.node.addresses) byAddress.set(address, found);
  }
  const free = devices.filter((d) => d.nodeId === null);
  for (const device of free) if (device.serial !== null) bind(device.id, bySerial.get(device.serial), 'serial');
  for (const device of free) {
    for (const i of plan.interfaces.get(device.id)?.values() ?? []) {
      if (i.address === null) continue;
      const found = byAddress.get(fieldAddress(i.address, translation));
      // A serial that the plan knows and the node denies is another box on the same address.
      if (found && device.serial !== null && found.node.serial !== null && found.node.serial !== device.serial)
        continue;
      bind(device.id, found, 'address');
    }
  }
  const unknown = [...field.nodes.values()].filter((f) => !taken.has(f.node.id));
  return { nodeByDevice, boundBy, unknown, translation };
}
