import { rule } from './rule';
import type { Reach } from '../network/reach';
import { isHostOfBlock, parseAddress } from '../network/address';
import { rangeOf } from '../network/address-range';
import type { Interface } from '../network/interfaces-table';
import type { Device } from '../plan/devices-table';
import type { PlanOf } from '../plan/plan';
import type { FindingAbout } from './finding';

const FINDS = ['duplicate-name', 'duplicate-address', 'address-outside-subnet', 'address-in-dhcp-range'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** Names and addresses: two devices with one name or one address, and addresses that are not hosts of their subnet. */
export function deviceFindings(plan: PlanOf<'subnets' | 'devices' | 'interfaces'>, reach: Reach): Found[] {
  const findings: Found[] = [];
  const names = new Shared<string>();
  for (const { id, name } of plan.devices.values()) names.add(name, id);
  for (const [name, ids] of names.holders) {
    const deviceIds = ids.sort();
    findings.push({ id: `name|${name}`, severity: 'caution', deviceIds, about: 'duplicate-name', name });
  }
  const addresses = new Shared<Interface>();
  for (const [deviceId, interfaces] of plan.interfaces) {
    for (const i of interfaces.values()) {
      if (i.address === null) continue;
      addresses.add(i.address, i);
      const subnet = i.subnetId === null ? undefined : plan.subnets.get(i.subnetId);
      const block = i.subnetId === null ? null : reach.blockOf(i.subnetId);
      const address = parseAddress(i.address);
      if (subnet && block && (address === null || !isHostOfBlock(address, block))) {
        findings.push({
          id: `outside|${deviceId}/${i.name}`,
          severity: 'refusal',
          deviceIds: [deviceId],
          about: 'address-outside-subnet',
          interface: i.name,
          address: i.address,
          cidr: subnet.cidr,
        });
      }
      const range = rangeOf(subnet?.dhcp ?? null);
      if (subnet?.dhcp && range && address !== null && address >= range.first && address <= range.last) {
        findings.push({
          id: `dhcp|${deviceId}/${i.name}`,
          severity: 'caution',
          deviceIds: [deviceId],
          about: 'address-in-dhcp-range',
          interface: i.name,
          address: i.address,
          subnetId: subnet.id,
          range: subnet.dhcp,
        });
      }
    }
  }
  for (const [address, holders] of addresses.holders) {
    const interfaces = holders.map((i) => `${i.deviceId}/${i.name}`).sort();
    const deviceIds = interfaces.map((h) => h.slice(0, h.indexOf('/')));
    if (areOfOneNode(deviceIds.map((id) => plan.devices.get(id)))) continue;
    findings.push({
      id: `address|${address}`,
      severity: 'refusal',
      deviceIds,
      about: 'duplicate-address',
      address,
      interfaces,
    });
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}

/** Whether all are different devices of one node (IS-04), which has its addresses once. */
function areOfOneNode(devices: readonly (Device | undefined)[]): boolean {
  const nodeId = devices[0]?.nodeId ?? null;
  if (nodeId === null || devices.some((d) => d?.nodeId !== nodeId || d.nodeDeviceId === null)) return false;
  return new Set(devices.map((d) => d?.nodeDeviceId)).size === devices.length;
}

/** What several have in common. Few do, so that for what one has alone no list is made. */
class Shared<T> {
  private readonly first = new Map<string, T>();
  /** By what they have in common. */
  readonly holders = new Map<string, T[]>();

  add(key: string, holder: T): void {
    const first = this.first.get(key);
    const holders = this.holders.get(key);
    if (holders !== undefined) holders.push(holder);
    else if (first !== undefined) this.holders.set(key, [first, holder]);
    else this.first.set(key, holder);
  }
}

export const deviceRule = rule({
  finds: FINDS,
  reads: ['devices', 'interfaces', 'subnets', 'reach'],
  find: ({ reach, ...plan }) => deviceFindings(plan, reach),
});
