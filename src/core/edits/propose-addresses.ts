import { INTERFACE_ROLES, type InterfaceRole } from '../models/models-table';
import { formatAddress, isHostOfBlock, parseAddress, parseCidr, type Block } from '../network/address';
import { cidrText, doOverlap, halves, isSetAside } from '../network/subnets';
import { rangeOf } from '../network/address-range';
import type { Command } from '../plan/commands';
import { freeAddressIn } from './free';
import { modelOf, interfacesOf, type PlanOf } from '../plan/plan';
import { freeId } from './propose-devices';
import { isRouted, routedName, type Interface } from '../network/interfaces-table';
import type { Subnet } from '../network/subnets-table';

/** One interface and the address it is to have. */
interface AddressChange {
  readonly deviceId: string;
  readonly interface: string;
  readonly before: string | null;
  readonly after: string | null;
  readonly subnetId: string;
}

interface AddressProposal {
  readonly changes: readonly AddressChange[];
  /** Interfaces for which no address is left. */
  readonly left: readonly { readonly deviceId: string; readonly interface: string; readonly subnetId: string }[];
  readonly commands: readonly Command[];
}

/** By address: who keeps it where several have it, the first in the order of devices and interfaces. */
type Holders = ReadonlyMap<string, string>;

const keyOf = ({ deviceId, name }: Interface) => `${deviceId}/${name}`;

/** Whether an address may stay: a host of its subnet, outside the DHCP range, and of several that have it the first. */
function isSound(plan: PlanOf<'subnets'>, i: Interface, holders: Holders): boolean {
  const subnet = plan.subnets.get(i.subnetId ?? '');
  const block = subnet ? parseCidr(subnet.cidr) : null;
  const address = i.address === null ? null : parseAddress(i.address);
  if (!subnet || block === null || address === null || !isHostOfBlock(address, block)) return false;
  return !isSetAside(subnet, address) && holders.get(i.address as string) === keyOf(i);
}

function holdersOf(plan: PlanOf<'interfaces'>): Holders {
  const holders = new Map<string, string>();
  for (const owned of plan.interfaces.values()) {
    for (const i of owned.values()) {
      const first = i.address === null ? undefined : holders.get(i.address);
      if (i.address !== null && (first === undefined || keyOf(i) < first)) holders.set(i.address, keyOf(i));
    }
  }
  return holders;
}

/**
 * Gives the devices addresses in the subnets they are in: to interfaces that have none, or one that cannot stay. With
 * `subnetByRole`, interfaces without a subnet are put into that one first.
 */
export function proposeAddresses(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  deviceIds: readonly string[],
  subnetByRole: Readonly<Partial<Record<InterfaceRole, string | null>>> = {},
): AddressProposal {
  const holders = holdersOf(plan);
  return propose(plan, deviceIds, (i, role) => {
    const subnetId = i?.subnetId ?? subnetByRole[role] ?? null;
    if (subnetId === null || (i && isSound(plan, i, holders))) return null;
    return { subnetId, wish: null };
  });
}

/**
 * Moves devices to other subnets, leg by leg and with their control address, all in one go. The host part is kept where it
 * is free. Roles that are not named stay where they are.
 */
export function proposeMove(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  deviceIds: readonly string[],
  subnetByRole: Readonly<Partial<Record<InterfaceRole, string | null>>>,
): AddressProposal {
  const holders = holdersOf(plan);
  return propose(plan, deviceIds, (i, role) => {
    const subnetId = subnetByRole[role] ?? null;
    if (subnetId === null) return null;
    if (i?.subnetId === subnetId && isSound(plan, i, holders)) return null;
    return { subnetId, wish: sameHost(plan, i, subnetId) };
  });
}

function sameHost(plan: PlanOf<'subnets'>, i: Interface | undefined, subnetId: string): number | null {
  const from = parseCidr(plan.subnets.get(i?.subnetId ?? '')?.cidr ?? '');
  const to = parseCidr(plan.subnets.get(subnetId)?.cidr ?? '');
  const address = i?.address == null ? null : parseAddress(i.address);
  if (from === null || to === null || address === null) return null;
  const host = (address & ~from.mask) >>> 0;
  const wish = (to.base | host) >>> 0;
  return (host & to.mask) === 0 && isHostOfBlock(wish, to) ? wish : null;
}

function propose(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  deviceIds: readonly string[],
  wantedFor: (i: Interface | undefined, role: InterfaceRole) => { subnetId: string; wish: number | null } | null,
): AddressProposal {
  const changes: AddressChange[] = [];
  const left: { deviceId: string; interface: string; subnetId: string }[] = [];
  const commands: Command[] = [];
  const given: string[] = [];
  const held = new Set(holdersOf(plan).keys());
  for (const deviceId of deviceIds) {
    const model = modelOf(plan, deviceId);
    for (const role of INTERFACE_ROLES) {
      const own = interfacesOf(plan, deviceId).get(role);
      // A switch is managed by an address without a socket of its own.
      if (own === undefined && !model?.ports.some((p) => p.role === role)) continue;
      const wanted = wantedFor(own, role);
      if (wanted === null) continue;
      const { subnetId, wish } = wanted;
      const subnet = plan.subnets.get(subnetId);
      const kept = wish === null ? null : formatAddress(wish);
      const mayKeep =
        wish !== null &&
        kept !== null &&
        subnet &&
        !held.has(kept) &&
        !given.includes(kept) &&
        !isSetAside(subnet, wish);
      const after = mayKeep ? kept : freeAddressIn(plan, subnetId, given);
      if (after === null) {
        left.push({ deviceId, interface: role, subnetId });
        continue;
      }
      given.push(after);
      changes.push({ deviceId, interface: role, before: own?.address ?? null, after, subnetId });
      commands.push({ kind: 'put-interface', interface: { deviceId, name: role, subnetId, address: after } });
    }
  }
  return { changes, left, commands };
}

type SubnetProblem = 'not-a-block' | 'too-small-to-split' | 'unknown';

type SubnetOutcome =
  | { readonly ok: false; readonly problem: SubnetProblem }
  | {
      readonly ok: true;
      readonly subnets: readonly Subnet[];
      /** Interfaces of the subnet whose address is no host of it any more. */
      readonly fallsOut: readonly { readonly deviceId: string; readonly interface: string; readonly address: string }[];
      /** Subnets that the new block would overlap. */
      readonly overlapIds: readonly string[];
      readonly commands: readonly Command[];
    };

/** What becomes of a subnet with another block. The DHCP range and the gateway go where they do not fit any more. */
export function resizeSubnet(plan: PlanOf<'subnets' | 'interfaces'>, subnetId: string, cidr: string): SubnetOutcome {
  const subnet = plan.subnets.get(subnetId);
  const block = parseCidr(cidr);
  if (subnet === undefined) return { ok: false, problem: 'unknown' };
  if (block === null) return { ok: false, problem: 'not-a-block' };
  const after = fitted(subnet, block);
  const fallsOut = membersOf(plan, subnetId).flatMap(({ deviceId, name, address }) => {
    const parsed = address === null ? null : parseAddress(address);
    return address !== null && (parsed === null || !isHostOfBlock(parsed, block))
      ? [{ deviceId, interface: name, address }]
      : [];
  });
  return {
    ok: true,
    subnets: [after],
    fallsOut,
    overlapIds: overlapping(plan, block, [subnetId]),
    commands: [{ kind: 'put-subnet', subnet: after }],
  };
}

/**
 * Splits a subnet into halves. The first keeps the id; interfaces with an address in the second go with it. Where the
 * first has a router, the second gets an address of the same router, so that the halves still reach each other.
 */
export function splitSubnet(plan: PlanOf<'subnets' | 'links' | 'interfaces'>, subnetId: string): SubnetOutcome {
  const subnet = plan.subnets.get(subnetId);
  const block = subnet ? parseCidr(subnet.cidr) : null;
  if (subnet === undefined || block === null) return { ok: false, problem: 'unknown' };
  const parts = halves(block);
  if (parts === null || block.prefix >= 31) return { ok: false, problem: 'too-small-to-split' };
  const [low, high] = parts;
  const second: Subnet = {
    ...fitted(subnet, high),
    id: freeId(`${subnet.name} 2`, plan.subnets),
    name: `${subnet.name} 2`,
    vlan: freeVlan(plan, subnet.vlan),
  };
  const first = fitted(subnet, low);
  const fallsOut: { deviceId: string; interface: string; address: string }[] = [];
  const moved: Command[] = [];
  const routers = new Set<string>();
  const held = new Set<number>();
  for (const i of membersOf(plan, subnetId)) {
    const address = i.address === null ? null : parseAddress(i.address);
    if (address !== null) held.add(address);
    if (isRouted(i)) routers.add(i.deviceId);
    if (address === null || isHostOfBlock(address, low)) continue;
    if (isHostOfBlock(address, high) && !isRouted(i)) {
      moved.push({ kind: 'put-interface', interface: { ...i, subnetId: second.id } });
    } else fallsOut.push({ deviceId: i.deviceId, interface: i.name, address: i.address as string });
  }
  let next = high.base + 1;
  const routed: Command[] = [];
  let gateway: string | null = second.gateway;
  for (const deviceId of routers) {
    while (held.has(next)) next += 1;
    if (!isHostOfBlock(next, high)) break;
    const address = formatAddress(next);
    gateway ??= address;
    routed.push({
      kind: 'put-interface',
      interface: { deviceId, name: routedName(second.id), subnetId: second.id, address },
    });
    next += 1;
  }
  const subnets = [first, { ...second, gateway }];
  return {
    ok: true,
    subnets,
    fallsOut,
    overlapIds: [],
    commands: [
      ...subnets.map((s): Command => ({ kind: 'put-subnet', subnet: s })),
      ...carriedToo(plan, subnetId, second.id),
      ...routed,
      ...moved,
    ],
  };
}

/** Cables that let the subnet pass let its second half pass too. */
function carriedToo(plan: PlanOf<'links'>, subnetId: string, secondId: string): Command[] {
  return [...plan.links.values()].flatMap((link): Command[] =>
    link.carries?.includes(subnetId)
      ? [{ kind: 'put-link', link: { ...link, carries: [...link.carries, secondId] } }]
      : [],
  );
}

function fitted(subnet: Subnet, block: Block): Subnet {
  const fits = (text: string | null) => {
    const address = text === null ? null : parseAddress(text);
    return address !== null && isHostOfBlock(address, block);
  };
  const range = rangeOf(subnet.dhcp);
  const dhcp =
    range !== null && fits(formatAddress(range.first)) && fits(formatAddress(range.last)) ? subnet.dhcp : null;
  return { ...subnet, cidr: cidrText(block), dhcp, gateway: fits(subnet.gateway) ? subnet.gateway : null };
}

function membersOf(plan: PlanOf<'interfaces'>, subnetId: string): Interface[] {
  return [...plan.interfaces.values()].flatMap((owned) => [...owned.values()].filter((i) => i.subnetId === subnetId));
}

export function overlapping(plan: PlanOf<'subnets'>, block: Block, except: readonly string[]): string[] {
  return [...plan.subnets.values()]
    .filter((s) => {
      const other = parseCidr(s.cidr);
      return !except.includes(s.id) && other !== null && doOverlap(block, other);
    })
    .map((s) => s.id);
}

/** A VLAN number that no subnet uses, from the given one upwards; null where VLANs are not numbered. */
export function freeVlan(plan: PlanOf<'subnets'>, from: number | null): number | null {
  if (from === null) return null;
  const used = new Set([...plan.subnets.values()].map((s) => s.vlan));
  for (let vlan = from; vlan <= 4094; vlan += 1) if (!used.has(vlan)) return vlan;
  for (let vlan = 2; vlan < from; vlan += 1) if (!used.has(vlan)) return vlan;
  return null;
}
