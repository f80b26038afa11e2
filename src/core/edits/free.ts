import { firstFreeAddress, formatAddress, parseAddress, parseCidr } from '../network/address';
import { isSetAside } from '../network/subnets';
import type { PlanOf } from '../plan/plan';

/**
 * The first free address of a subnet outside its DHCP range, or null when it is full or not a CIDR. `alsoUsed` are given
 * out but not yet applied.
 */
export function freeAddressIn(
  plan: PlanOf<'subnets' | 'interfaces'>,
  subnetId: string,
  alsoUsed: readonly string[] = [],
): string | null {
  const subnet = plan.subnets.get(subnetId);
  const block = parseCidr(subnet?.cidr ?? '');
  if (subnet === undefined || block === null) return null;
  const used = new Set<number>();
  const note = (text: string | null) => {
    const address = text === null ? null : parseAddress(text);
    if (address !== null) used.add(address);
  };
  for (const owned of plan.interfaces.values()) for (const i of owned.values()) note(i.address);
  alsoUsed.forEach(note);
  const free = firstFreeAddress(block, (address) => used.has(address) || isSetAside(subnet, address));
  return free === null ? null : formatAddress(free);
}

/** `Dome amp 2` for a second `Dome amp 1`: counts up the number at the end until the name is free. */
export function freeName(plan: PlanOf<'devices'>, name: string, alsoUsed: ReadonlySet<string> = new Set()): string {
  const names = new Set([...plan.devices.values()].map((d) => d.name));
  const isTaken = (n: string) => names.has(n) || alsoUsed.has(n);
  if (!isTaken(name)) return name;
  const match = /^(.*?)(\d+)$/.exec(name);
  const stem = match ? (match[1] as string) : `${name} `;
  for (let n = match ? Number(match[2]) + 1 : 2; ; n += 1) if (!isTaken(`${stem}${n}`)) return `${stem}${n}`;
}
