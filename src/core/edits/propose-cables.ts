import { INTERFACE_ROLES, type InterfaceRole, type ModelPort } from '../models/models-table';
import { cablesFor } from '../network/cable';
import { PLAIN_LINK, type Link } from '../network/links-table';
import { feeds } from '../network/power';
import type { Command } from '../plan/commands';
import { interfacesOf, modelOf, type Plan } from '../plan/plan';
import { cablesOf, farEnd, freeSockets } from '../plan/sockets';
import { freeId } from './propose-devices';

/** Many cables at once: the free ports of some devices into the next free ports of switches. */

interface CablingWish {
  /** In the order in which they take ports. Switches among them are passed over: how they are joined is a design of its own. */
  readonly deviceIds: readonly string[];
  readonly switchByRole: Readonly<Partial<Record<InterfaceRole, string | null>>>;
  readonly metres: number;
}

/** Why a port is left as it is: it is plugged in already, the switch has no free port, or none that supplies its power. */
export type NotCabledWhy = 'plugged-in' | 'no-free-port' | 'no-power';

interface CablingProposal {
  readonly commands: readonly Command[];
  readonly links: readonly Link[];
  readonly left: readonly { readonly deviceId: string; readonly port: string; readonly why: NotCabledWhy }[];
  /** Media subnets that nobody asked for memberships yet: the switch that they are plugged into does from now on. */
  readonly queriers: readonly { readonly subnetId: string; readonly switchId: string }[];
}

/**
 * Devices take the first free switch ports that are fast enough; those that need power only ports that supply it, those that do not the others
 * first. The fastest ports of a switch that has several speeds are for other switches, and are taken by devices last.
 */
export function proposeCables(plan: Plan, { deviceIds, switchByRole, metres }: CablingWish): CablingProposal {
  const links: Link[] = [];
  const left: { deviceId: string; port: string; why: NotCabledWhy }[] = [];
  const ids = new Set(plan.links.keys());
  const free = new Map<string, ModelPort[]>();
  const freeOf = (switchId: string) => {
    let ports = free.get(switchId);
    if (ports === undefined)
      free.set(switchId, (ports = freeSockets(plan, switchId).filter((p) => p.role === 'switched')));
    return ports;
  };
  const join = (deviceId: string, port: ModelPort, switchId: string, socket: ModelPort) => {
    const id = freeId(`${deviceId}-${port.name}`, ids);
    ids.add(id);
    const bitsPerSecond = Math.min(port.bitsPerSecond, socket.bitsPerSecond);
    links.push({
      ...PLAIN_LINK,
      id,
      from: { deviceId, port: port.name },
      to: { deviceId: switchId, port: socket.name },
      bitsPerSecond,
      metres,
      cable: cablesFor(metres, bitsPerSecond).find((c) => c !== 'cat5e') ?? null,
    });
  };
  for (const role of INTERFACE_ROLES) {
    const switchId = switchByRole[role] ?? null;
    if (switchId === null || !plan.devices.has(switchId)) continue;
    for (const deviceId of deviceIds) {
      const model = modelOf(plan, deviceId);
      if (deviceId === switchId || model === undefined || model.switching !== null) continue;
      const port = model.ports.find((p) => p.role === role);
      if (port === undefined) continue;
      if (cablesOf(plan, deviceId).has(port.name)) {
        left.push({ deviceId, port: port.name, why: 'plugged-in' });
        continue;
      }
      const ports = freeOf(switchId);
      const chosen = bestFor(port, ports);
      if (chosen === null)
        left.push({ deviceId, port: port.name, why: ports.length === 0 ? 'no-free-port' : 'no-power' });
      else {
        ports.splice(ports.indexOf(chosen), 1);
        join(deviceId, port, switchId, chosen);
      }
    }
  }
  const queriers = queriersFor(plan, links);
  const commands = [
    ...links.map((link): Command => ({ kind: 'put-link', link })),
    ...queriers.flatMap(({ subnetId, switchId }): Command[] => {
      const subnet = plan.subnets.get(subnetId);
      return subnet === undefined ? [] : [{ kind: 'put-subnet', subnet: { ...subnet, querierIds: [switchId] } }];
    }),
  ];
  return { commands, links, left, queriers };
}

/** Without a querier, memberships run out and multicast stops or floods (RFC 4541). */
function queriersFor(plan: Plan, links: readonly Link[]): CablingProposal['queriers'] {
  const found = new Map<string, string>();
  for (const { from, to } of links) {
    const role = modelOf(plan, from.deviceId)?.ports.find((p) => p.name === from.port)?.role;
    const subnetId = role === 'A' || role === 'B' ? interfacesOf(plan, from.deviceId).get(role)?.subnetId : null;
    if (subnetId == null || found.has(subnetId) || plan.subnets.get(subnetId)?.querierIds.length !== 0) continue;
    if (modelOf(plan, to.deviceId)?.switching?.querier === true) found.set(subnetId, to.deviceId);
  }
  return [...found].map(([subnetId, switchId]) => ({ subnetId, switchId }));
}

function bestFor(port: ModelPort, ports: readonly ModelPort[]): ModelPort | null {
  const takes = port.takesPoeClass ?? null;
  const able = ports.filter((p) => takes === null || feeds(p.givesPoeClass ?? null, takes));
  const cost = (p: ModelPort) =>
    // Too slow is worse than a port that another would need.
    (p.bitsPerSecond < port.bitsPerSecond ? 8 : 0) +
    (p.bitsPerSecond > port.bitsPerSecond && p.bitsPerSecond > slowest(ports) ? 4 : 0) +
    (takes === null && p.givesPoeClass != null ? 2 : 0);
  return able.reduce<ModelPort | null>((best, p) => (best === null || cost(p) < cost(best) ? p : best), null);
}

const slowest = (ports: readonly ModelPort[]) => Math.min(...ports.map((p) => p.bitsPerSecond));

/**
 * The switch that each role would most likely be plugged into: the one that most devices of the same subnet are plugged into, else the first
 * switch that no other leg uses.
 */
export function likelySwitches(plan: Plan, deviceIds: readonly string[]): Record<InterfaceRole, string | null> {
  const switches = [...plan.devices.keys()].filter((id) => modelOf(plan, id)?.switching != null);
  const chosen: Record<InterfaceRole, string | null> = { A: null, B: null, control: null };
  const roles = INTERFACE_ROLES.filter((role) =>
    deviceIds.some(
      (id) => modelOf(plan, id)?.switching == null && modelOf(plan, id)?.ports.some((p) => p.role === role),
    ),
  );
  for (const role of roles) {
    const subnets = new Set(deviceIds.map((id) => interfacesOf(plan, id).get(role)?.subnetId ?? null));
    const used = new Map<string, number>();
    for (const device of plan.devices.values()) {
      const port = modelOf(plan, device.id)?.ports.find((p) => p.role === role);
      const subnetId = interfacesOf(plan, device.id).get(role)?.subnetId ?? null;
      if (port === undefined || subnetId === null || !subnets.has(subnetId)) continue;
      for (const link of cablesOf(plan, device.id).get(port.name) ?? []) {
        const other = farEnd(link, device.id, port.name).deviceId;
        if (modelOf(plan, other)?.switching && freeSockets(plan, other).length > 0) {
          used.set(other, (used.get(other) ?? 0) + 1);
        }
      }
    }
    const [most] = [...used].sort((a, b) => b[1] - a[1])[0] ?? [];
    chosen[role] = most ?? null;
  }
  for (const role of roles) {
    // Two legs in one switch would be no redundancy; control has no switch unless one is over.
    chosen[role] ??=
      switches.find((id) => !Object.values(chosen).includes(id) && freeSockets(plan, id).length > 0) ?? null;
  }
  return chosen;
}
