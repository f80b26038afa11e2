import { parseAddress, parseCidr } from '../network/address';
import { cidrText, doubled } from '../network/subnets';
import type { Command } from '../plan/commands';
import { freeAddressIn } from '../edits/free';
import { modelOf, type PlanOf } from '../plan/plan';
import { overlapping } from '../edits/propose-addresses';
import { isRouted, routedName } from '../network/interfaces-table';
import type { Subnet } from '../network/subnets-table';
import type { NetworkFix } from './network-fix';

/** Queriers, gateways, routers, and other sizes of subnets. */

export function setQuerier(plan: PlanOf<'subnets'>, subnetId: string, deviceId: string): NetworkFix {
  const subnet = plan.subnets.get(subnetId) as Subnet;
  const commands: Command[] = [{ kind: 'put-subnet', subnet: { ...subnet, querierIds: [deviceId] } }];
  return { does: 'set-querier', subnetId, deviceId, commands };
}

/** Routers of the subnet first, then the switches that its devices are plugged into. */
export function querierCandidates(
  plan: PlanOf<'models' | 'devices' | 'links' | 'interfaces'>,
  subnetId: string,
): string[] {
  const canAsk = (id: string) => modelOf(plan, id)?.switching?.querier === true;
  const routers: string[] = [];
  const members = new Set<string>();
  for (const [deviceId, owned] of plan.interfaces) {
    for (const i of owned.values()) {
      if (i.subnetId !== subnetId) continue;
      if (isRouted(i)) routers.push(deviceId);
      else members.add(deviceId);
    }
  }
  const near = new Map<string, number>();
  for (const link of plan.links.values()) {
    for (const [a, b] of [
      [link.from, link.to],
      [link.to, link.from],
    ] as const) {
      if (members.has(a.deviceId) && modelOf(plan, b.deviceId)?.switching) {
        near.set(b.deviceId, (near.get(b.deviceId) ?? 0) + 1);
      }
    }
  }
  const byMembers = [...near].sort(([x, n], [y, m]) => m - n || (x < y ? -1 : 1)).map(([id]) => id);
  return [...new Set([...routers.sort(), ...byMembers])].filter(canAsk).slice(0, 2);
}

export const dropDhcp = (subnet: Subnet): NetworkFix => ({
  does: 'drop-dhcp',
  subnetId: subnet.id,
  commands: [{ kind: 'put-subnet', subnet: { ...subnet, dhcp: null } }],
});

export function widened(plan: PlanOf<'subnets'>, subnetId: string): NetworkFix[] {
  const subnet = plan.subnets.get(subnetId);
  const block = parseCidr(subnet?.cidr ?? '');
  const wider = block === null ? null : doubled(block);
  if (!subnet || wider === null) return [];
  const fixes: NetworkFix[] = [];
  if (overlapping(plan, wider, [subnetId]).length === 0) {
    const cidr = cidrText(wider);
    fixes.push({
      does: 'resize-subnet',
      subnetId,
      cidr,
      commands: [{ kind: 'put-subnet', subnet: { ...subnet, cidr } }],
    });
  }
  return subnet.dhcp === null ? fixes : [...fixes, dropDhcp(subnet)];
}

/** The largest block within a subnet that holds all its addresses and overlaps none of the others. */
export function narrowed(
  plan: PlanOf<'subnets' | 'interfaces'>,
  subnetId: string,
  among: readonly string[],
): NetworkFix[] {
  const subnet = plan.subnets.get(subnetId);
  const block = parseCidr(subnet?.cidr ?? '');
  if (!subnet || block === null) return [];
  const held = [...plan.interfaces.values()].flatMap((owned) =>
    [...owned.values()].flatMap((i) => (i.subnetId === subnetId && i.address ? [parseAddress(i.address)] : [])),
  );
  for (let prefix = block.prefix + 1; prefix <= 30; prefix += 1) {
    const mask = (0xffffffff << (32 - prefix)) >>> 0;
    // Where addresses are held the block must hold them; an empty subnet may move to any part of what it was.
    const parts = held.length > 0 ? 1 : Math.min(256, 2 ** (prefix - block.prefix));
    for (let part = 0; part < parts; part += 1) {
      const anchor = held[0] ?? block.base + part * 2 ** (32 - prefix);
      const smaller = { base: (anchor & mask) >>> 0, mask, prefix };
      if (held.some((a) => a === null || (a & mask) >>> 0 !== smaller.base)) return [];
      if (overlapping(plan, smaller, [subnetId]).some((id) => among.includes(id))) continue;
      const cidr = cidrText(smaller);
      return [
        { does: 'resize-subnet', subnetId, cidr, commands: [{ kind: 'put-subnet', subnet: { ...subnet, cidr } }] },
      ];
    }
  }
  return [];
}

export function gatewayFixes(plan: PlanOf<'interfaces'>, subnet: Subnet): NetworkFix[] {
  const held = [...plan.interfaces.values()].flatMap((owned) =>
    [...owned.values()].filter((i) => i.subnetId === subnet.id && isRouted(i) && i.address !== null),
  );
  const gateways = [...held.map((i) => i.address as string), null];
  return gateways.map((gateway) => ({
    does: 'set-gateway',
    subnetId: subnet.id,
    gateway,
    commands: [{ kind: 'put-subnet', subnet: { ...subnet, gateway } }],
  }));
}

/** A router of one subnet gets an address in the other, so that the two are joined. */
export function routeFixes(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  fromSubnetId: string,
  toSubnetId: string,
): NetworkFix[] {
  const routers = [...plan.interfaces]
    .filter(([id, owned]) => {
      const routing = modelOf(plan, id)?.switching?.routing ?? 'none';
      return routing !== 'none' && [...owned.values()].some((i) => i.subnetId === fromSubnetId && i.address !== null);
    })
    .map(([id]) => id)
    .sort();
  const address = freeAddressIn(plan, toSubnetId);
  if (address === null) return [];
  return routers.slice(0, 1).map((deviceId) => ({
    does: 'route-subnet',
    deviceId,
    subnetId: toSubnetId,
    address,
    commands: [
      {
        kind: 'put-interface',
        interface: { deviceId, name: routedName(toSubnetId), subnetId: toSubnetId, address },
      },
    ],
  }));
}
