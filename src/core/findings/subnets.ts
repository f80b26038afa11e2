import { rule } from './rule';
import { parseCidr } from '../network/address';
import { queriersOf } from '../network/queriers';
import type { Reach } from '../network/reach';
import type { Topology } from '../network/topology';
import { cidrText, doOverlap, subnetUse } from '../network/subnets';
import { switchSettingsOf } from '../network/switch-settings';
import { interfacesOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import { isRouted } from '../network/interfaces-table';
import type { Subnet } from '../network/subnets-table';
import type { FindingAbout } from './finding';
import { SUBNET_KINDS } from './areas';

type Found = FindingAbout<(typeof SUBNET_KINDS)[number]>;

/** A subnet with fewer free addresses than this is called full: the next device may not find one. */
const FREE_MIN = 1;

/** Subnets, routers, queriers, and what a device's own interfaces have to do with one another. */
function subnetFindings(
  plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'switches' | 'interfaces'>,
  reach: Reach,
  topology: Topology,
): Found[] {
  const findings: Found[] = [];
  const subnets = [...plan.subnets.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  const members = membersBySubnet(plan);
  subnets.forEach((subnet, index) => {
    for (const other of subnets.slice(index + 1)) {
      const a = parseCidr(subnet.cidr);
      const b = parseCidr(other.cidr);
      const [roleA, roleB] = subnet.role === 'B' ? [other, subnet] : [subnet, other];
      if (roleA.role === 'A' && roleB.role === 'B' && subnet.vlan !== null && subnet.vlan === other.vlan) {
        findings.push({
          id: `one-vlan|${roleA.id}|${roleB.id}`,
          severity: 'refusal',
          deviceIds: [],
          about: 'legs-on-one-vlan',
          subnetIds: [roleA.id, roleB.id],
          vlan: subnet.vlan,
        });
      }
      if (a === null || b === null || !doOverlap(a, b)) continue;
      findings.push({
        id: `overlap|${subnet.id}|${other.id}`,
        severity: 'refusal',
        deviceIds: [],
        about: 'subnets-overlap',
        subnetIds: [subnet.id, other.id],
        cidrs: [cidrText(a), cidrText(b)],
      });
    }
    const devices = members.get(subnet.id) ?? [];
    if (devices.length === 0) return;
    const use = subnetUse(plan, subnet);
    if (use.block !== null && use.free < FREE_MIN) {
      findings.push({
        id: `full|${subnet.id}`,
        severity: 'caution',
        deviceIds: [],
        about: 'subnet-full',
        subnetId: subnet.id,
        free: use.free,
        usable: use.usable,
      });
    }
    findings.push(...querierFindings(plan, subnet, topology, new Set(devices).size));
    const gateway = subnet.gateway;
    if (gateway !== null && !isHeld(plan, topology.routes.routersOf(subnet.id), gateway)) {
      findings.push({
        id: `gateway|${subnet.id}`,
        severity: 'caution',
        deviceIds: [],
        about: 'gateway-nobody',
        subnetId: subnet.id,
        gateway,
      });
    }
  });
  findings.push(...ownInterfaceFindings(plan, reach, topology));
  return findings;
}

/** Devices (not switches) with an address in each subnet. */
function membersBySubnet(plan: PlanOf<'interfaces'>): Map<string, string[]> {
  const members = new Map<string, string[]>();
  for (const [deviceId, owned] of plan.interfaces) {
    for (const i of owned.values()) {
      if (i.subnetId === null || isRouted(i)) continue;
      const list = members.get(i.subnetId);
      if (list === undefined) members.set(i.subnetId, [deviceId]);
      else list.push(deviceId);
    }
  }
  return members;
}

/**
 * Snooping needs someone to ask for memberships: without a querier they lapse after 260 s and streams stop or flood. Asked
 * of media subnets that reach a switch of the drawing.
 */
function querierFindings(
  plan: ModelledDevices & PlanOf<'settings' | 'switches' | 'interfaces'>,
  subnet: Subnet,
  topology: Topology,
  devices: number,
): Found[] {
  if (subnet.role === 'control') return [];
  const base = { severity: 'caution' } as const;
  const asking = queriersOf(plan, subnet);
  const queriers = asking.map((q) => q.id);
  if (queriers.length === 0) {
    const hasSwitch = [...topology.network.indexOfSwitch.keys()].some((id) => switchSettingsOf(plan, id)?.snooping);
    if (!hasSwitch || subnet.role === 'other') return [];
    const subject = { about: 'no-querier', subnetId: subnet.id, devices } as const;
    return [{ id: `no-querier|${subnet.id}`, ...base, severity: 'refusal', deviceIds: [], ...subject }];
  }
  if (queriers.length === 1) return [];
  return [
    {
      id: `two-queriers|${subnet.id}`,
      ...base,
      deviceIds: queriers,
      about: 'two-queriers',
      subnetId: subnet.id,
      switchIds: queriers,
      winnerId: asking[0]?.address == null ? null : asking[0].id,
    },
  ];
}

function isHeld(plan: PlanOf<'interfaces'>, routerIds: readonly string[], gateway: string): boolean {
  return routerIds.some((id) => [...interfacesOf(plan, id).values()].some((i) => i.address === gateway));
}

/** The devices that have an address among subnets which routers join, by the number of these. */
function devicesByDomain(
  plan: PlanOf<'interfaces'>,
  routes: Topology['routes'],
): ReadonlyMap<number, ReadonlySet<string>> {
  const found = new Map<number, Set<string>>();
  for (const [deviceId, own] of plan.interfaces) {
    for (const { subnetId, address } of own.values()) {
      if (subnetId === null || address === null) continue;
      const domain = routes.domainOf('unicast', subnetId);
      const known = found.get(domain);
      if (known === undefined) found.set(domain, new Set([deviceId]));
      else known.add(deviceId);
    }
  }
  return found;
}

/** A device's control and media addresses, and its two legs, as networks. */
function ownInterfaceFindings(plan: ModelledDevices & PlanOf<'interfaces'>, reach: Reach, topology: Topology): Found[] {
  const findings: Found[] = [];
  const { routes } = topology;
  const addressed = devicesByDomain(plan, routes);
  for (const device of plan.devices.values()) {
    const model = plan.models.get(device.modelId);
    if (model === undefined || model.switching) continue;
    const own = interfacesOf(plan, device.id);
    const media = own.get('A')?.subnetId ?? null;
    const control = own.get('control')?.subnetId ?? null;
    if (media !== null && control !== null && own.get('control')?.address) {
      // A control network of its own is how it should be. An address that nobody else of the plan can reach is not.
      const domain = routes.domainOf('unicast', control);
      if (domain !== routes.domainOf('unicast', media) && (addressed.get(domain)?.size ?? 0) < 2) {
        findings.push({
          id: `control-apart|${device.id}`,
          severity: 'caution',
          deviceIds: [device.id],
          about: 'control-apart',
          mediaSubnetId: media,
          controlSubnetId: control,
        });
      }
    }
    const a = reach.legOf(device.id, model, 'A');
    const b = reach.legOf(device.id, model, 'B');
    if (a.ok && b.ok && a.at.domain === b.at.domain) {
      findings.push({
        id: `one-network|${device.id}`,
        severity: 'caution',
        deviceIds: [device.id],
        about: 'legs-in-one-network',
        subnetIds: [a.at.subnetId, b.at.subnetId],
      });
    }
  }
  return findings;
}

export const subnetRule = rule({
  finds: SUBNET_KINDS,
  reads: ['modelled', 'settings', 'subnets', 'switches', 'interfaces', 'reach', 'topology'],
  find: ({ modelled, reach, topology, ...plan }) => subnetFindings({ ...modelled, ...plan }, reach, topology),
});
