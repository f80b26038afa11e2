import type { PlanOf } from '../plan/plan';
import type { Subnet } from './subnets-table';
import { rangeOf } from './address-range';
import { formatAddress, isHostOfBlock, isInBlock, parseAddress, parseCidr, type Block } from './address';
import { onceFor } from '../plan/once-for';

/** Arithmetic of IPv4 subnets. */

interface SubnetFigures {
  readonly network: string;
  /** None in /31 (RFC 3021) and /32. */
  readonly broadcast: string | null;
  readonly first: string;
  readonly last: string;
  readonly usableHosts: number;
}

export const blockSize = (block: Block): number => 2 ** (32 - block.prefix);
const lastOf = (block: Block): number => block.base + blockSize(block) - 1;

/** Hosts of a block: all but network and broadcast address; both of a /31, the one of a /32. */
export function usableHosts(block: Block): number {
  return block.prefix >= 31 ? blockSize(block) : blockSize(block) - 2;
}

export function subnetFigures(block: Block): SubnetFigures {
  const last = lastOf(block);
  const isSmall = block.prefix >= 31;
  return {
    network: formatAddress(block.base),
    broadcast: isSmall ? null : formatAddress(last),
    first: formatAddress(isSmall ? block.base : block.base + 1),
    last: formatAddress(isSmall ? last : last - 1),
    usableHosts: usableHosts(block),
  };
}

export function cidrText(block: Block): string {
  return `${formatAddress(block.base)}/${block.prefix}`;
}

/** Blocks overlap exactly when one holds the other's first address: they are nested or apart. */
export function doOverlap(a: Block, b: Block): boolean {
  return isInBlock(a.base, b) || isInBlock(b.base, a);
}

/** The two halves of a block, or null of a /32. */
export function halves(block: Block): readonly [Block, Block] | null {
  if (block.prefix >= 32) return null;
  const prefix = block.prefix + 1;
  const mask = (0xffffffff << (32 - prefix)) >>> 0;
  return [
    { base: block.base, mask, prefix },
    { base: block.base + 2 ** (32 - prefix), mask, prefix },
  ];
}

/** The block twice as large that holds this one, or null of a /0. */
export function doubled(block: Block): Block | null {
  if (block.prefix === 0) return null;
  const prefix = block.prefix - 1;
  const mask = prefix === 0 ? 0 : (0xffffffff << (32 - prefix)) >>> 0;
  return { base: (block.base & mask) >>> 0, mask, prefix };
}

/** How the addresses of a subnet are spent. */
export interface SubnetUse {
  readonly block: Block | null;
  readonly usable: number;
  /** Addresses held by interfaces of the plan, in ascending order, each once. */
  readonly held: readonly HeldAddress[];
  readonly dhcp: { readonly first: number; readonly last: number } | null;
  /** Hosts neither held, nor in the DHCP range, nor the gateway. */
  readonly free: number;
}

interface HeldAddress {
  readonly address: number;
  readonly deviceIds: readonly string[];
}

/** Every address that an interface of the plan holds, in ascending order, each once. */
const heldAddresses = onceFor((interfaces: PlanOf<'interfaces'>['interfaces']): readonly HeldAddress[] => {
  const holders = new Map<number, string[]>();
  for (const [deviceId, owned] of interfaces) {
    for (const i of owned.values()) {
      const address = i.address === null ? null : parseAddress(i.address);
      if (address === null) continue;
      const list = holders.get(address);
      if (list === undefined) holders.set(address, [deviceId]);
      else list.push(deviceId);
    }
  }
  const held = Array.from(holders, ([address, deviceIds]) => ({ address, deviceIds }));
  return held.sort((a, b) => a.address - b.address);
});

/** The place of the first that is not below an address. */
function placeFrom(held: readonly HeldAddress[], address: number): number {
  let low = 0;
  let high = held.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((held[middle] as HeldAddress).address < address) low = middle + 1;
    else high = middle;
  }
  return low;
}

export function subnetUse(plan: PlanOf<'interfaces'>, subnet: Subnet): SubnetUse {
  const block = parseCidr(subnet.cidr);
  const dhcp = rangeOf(subnet.dhcp);
  if (block === null) return { block, usable: 0, held: [], dhcp, free: 0 };
  const all = heldAddresses(plan.interfaces);
  const held = all.slice(placeFrom(all, block.base), placeFrom(all, lastOf(block) + 1));
  const usable = usableHosts(block);
  const inRange = (address: number) => dhcp !== null && address >= dhcp.first && address <= dhcp.last;
  let taken = 0;
  for (const { address } of held) if (isHostOfBlock(address, block) && !inRange(address)) taken += 1;
  if (dhcp !== null) {
    const first = Math.max(dhcp.first, block.base + (block.prefix >= 31 ? 0 : 1));
    const last = Math.min(dhcp.last, lastOf(block) - (block.prefix >= 31 ? 0 : 1));
    taken += Math.max(0, last - first + 1);
  }
  const gateway = subnet.gateway === null ? null : parseAddress(subnet.gateway);
  if (gateway !== null && isHostOfBlock(gateway, block) && !inRange(gateway)) {
    if (held[placeFrom(held, gateway)]?.address !== gateway) taken += 1;
  }
  return { block, usable, held, dhcp, free: Math.max(0, usable - taken) };
}

/** Addresses of a subnet that must not be given to a device although nobody holds them: DHCP's and the gateway. */
export function isSetAside(subnet: Subnet, address: number): boolean {
  const dhcp = rangeOf(subnet.dhcp);
  if (dhcp !== null && address >= dhcp.first && address <= dhcp.last) return true;
  return subnet.gateway !== null && parseAddress(subnet.gateway) === address;
}
