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
  const { stem, number, width } = counted(name);
  for (let n = number === null ? 2 : number + 1; ; n += 1) {
    const next = `${stem}${String(n).padStart(width, '0')}`;
    if (!isTaken(next)) return next;
  }
}

/**
 * Names for several new devices as people number them: "Amp" gives Amp 1, Amp 2, and so on; a counter starts where the name says
 * ("Exhibit 07": 07, 08, 09, 10). Names that are taken are passed over.
 */
export function freeNames(plan: PlanOf<'devices'>, name: string, count: number): string[] {
  if (count === 1) return [freeName(plan, name)];
  const taken = new Set([...plan.devices.values()].map((d) => d.name));
  const { stem, number, width } = counted(name);
  const names: string[] = [];
  for (let n = number ?? 1; names.length < count; n += 1) {
    const next = `${stem}${String(n).padStart(width, '0')}`;
    if (!taken.has(next)) names.push(next);
  }
  return names;
}

/** `Exhibit 07` as `Exhibit `, 7 and two digits. */
function counted(name: string): { readonly stem: string; readonly number: number | null; readonly width: number } {
  const match = /^(.*?)(\d{1,9})$/.exec(name);
  if (match === null) return { stem: `${name} `, number: null, width: 1 };
  const [, stem = '', digits = ''] = match;
  return { stem, number: Number(digits), width: digits.startsWith('0') ? digits.length : 1 };
}
