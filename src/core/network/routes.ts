import { isRouted } from './interfaces-table';
import type { Routing } from '../models/models-table';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import { switchSettingsOf } from './switch-settings';

/** One router crossed: its device id and the subnet that it passes the packet into. */
interface RouterStep {
  readonly routerId: string;
  readonly intoSubnetId: string;
}

/** Which subnets routers join, for packets to one host and for packets to a group. */
export interface Routes {
  /** The routers crossed from one subnet to another: none within a subnet; null where nothing joins the two. */
  between(kind: 'unicast' | 'multicast', fromSubnetId: string, toSubnetId: string): readonly RouterStep[] | null;
  /** Subnets with the same number are joined. */
  domainOf(kind: 'unicast' | 'multicast', subnetId: string): number;
  /** The routers with an address in a subnet. */
  routersOf(subnetId: string): readonly string[];
}

/** What a router does as it is set: a model that routes multicast may be told not to. */
export function routingInForce(plan: ModelledDevices & PlanOf<'settings' | 'switches'>, deviceId: string): Routing {
  const model = modelOf(plan, deviceId);
  if (!model?.switching) return 'none';
  const { routing } = model.switching;
  return routing === 'multicast' && switchSettingsOf(plan, deviceId)?.multicastRouting === false ? 'unicast' : routing;
}

export function routesOf(plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'switches' | 'interfaces'>): Routes {
  const subnetsOfRouter = new Map<string, string[]>();
  const routersBySubnet = new Map<string, string[]>();
  const kindOfRouter = new Map<string, Routing>();
  for (const deviceId of [...plan.interfaces.keys()].sort()) {
    const kind = routingInForce(plan, deviceId);
    if (kind === 'none') continue;
    kindOfRouter.set(deviceId, kind);
    const owned = plan.interfaces.get(deviceId) ?? new Map<string, never>();
    const subnetIds = new Set<string>();
    // A switch's own management address joins nothing: only its routed interfaces do.
    for (const i of owned.values()) {
      if (isRouted(i) && i.subnetId !== null && i.address !== null) subnetIds.add(i.subnetId);
    }
    const sorted = [...subnetIds].filter((id) => plan.subnets.has(id)).sort();
    subnetsOfRouter.set(deviceId, sorted);
    for (const id of sorted) routersBySubnet.set(id, [...(routersBySubnet.get(id) ?? []), deviceId]);
  }

  /** By kind and start: for each subnet reached, where from and through which router. */
  const trees = new Map<string, Map<string, { from: string; routerId: string } | null>>();
  const treeFrom = (kind: 'unicast' | 'multicast', start: string) => {
    const key = `${kind} ${start}`;
    let tree = trees.get(key);
    if (tree !== undefined) return tree;
    tree = new Map([[start, null]]);
    const queue = [start];
    for (let head = 0; head < queue.length; head += 1) {
      const at = queue[head] as string;
      for (const routerId of routersBySubnet.get(at) ?? []) {
        if (kind === 'multicast' && kindOfRouter.get(routerId) !== 'multicast') continue;
        for (const next of subnetsOfRouter.get(routerId) ?? []) {
          if (tree.has(next)) continue;
          tree.set(next, { from: at, routerId });
          queue.push(next);
        }
      }
    }
    trees.set(key, tree);
    return tree;
  };

  const domains = { unicast: new Map<string, number>(), multicast: new Map<string, number>() };
  for (const kind of ['unicast', 'multicast'] as const) {
    let next = 0;
    for (const id of [...plan.subnets.keys()].sort()) {
      if (domains[kind].has(id)) continue;
      for (const reached of treeFrom(kind, id).keys()) domains[kind].set(reached, next);
      next += 1;
    }
  }

  return {
    domainOf: (kind, subnetId) => domains[kind].get(subnetId) ?? -1,
    routersOf: (subnetId) => routersBySubnet.get(subnetId) ?? [],
    between(kind, from, to) {
      const tree = treeFrom(kind, from);
      if (!tree.has(to)) return null;
      const steps: RouterStep[] = [];
      for (let at = to; ;) {
        const step = tree.get(at);
        if (!step) return steps.reverse();
        steps.push({ routerId: step.routerId, intoSubnetId: at });
        at = step.from;
      }
    },
  };
}
