import type { Plan } from '../plan/plan';
import type { Leg, Model } from '../models/model';
import { isHostOfBlock, parseAddress, parseCidr, type Block } from './address';

/** Where one leg of a device meets the network. */
export interface Attachment {
  readonly subnetId: string;
  readonly address: number;
  /** Subnets with the same domain are joined by multicast routing (or are the same subnet). */
  readonly domain: number;
  /** Whether unicast routing alone would get there: subnets with the same number are joined by any router. */
  readonly routedDomain: number;
}

export type LegState =
  | { readonly ok: true; readonly at: Attachment }
  /** The device has no such leg; it has one but no address yet; its address is not a host of the subnet it sits in. */
  | { readonly ok: false; readonly reason: 'no-leg' | 'no-address' | 'outside-subnet' };

/** Which interface can hear which, from addresses, subnets and routers. Cables are the business of topology.ts. */
export interface Reach {
  legOf(deviceId: string, model: Model, leg: Leg): LegState;
  blockOf(subnetId: string): Block | null;
}

export function reachOf(plan: Plan): Reach {
  const blocks = new Map<string, Block | null>();
  for (const subnet of plan.subnets.values()) blocks.set(subnet.id, parseCidr(subnet.cidr));
  const multicast = joinedSubnets(plan, (routing) => routing === 'multicast');
  const unicast = joinedSubnets(plan, (routing) => routing !== 'none');

  return {
    blockOf: (subnetId) => blocks.get(subnetId) ?? null,
    legOf(deviceId, model, leg) {
      const found = plan.interfaces.get(deviceId)?.get(leg);
      if (found === undefined) {
        return { ok: false, reason: model.ports.some((p) => p.role === leg) ? 'no-address' : 'no-leg' };
      }
      if (found.address === null || found.subnetId === null) return { ok: false, reason: 'no-address' };
      const address = parseAddress(found.address);
      const block = blocks.get(found.subnetId) ?? null;
      if (address === null || block === null || !isHostOfBlock(address, block)) {
        return { ok: false, reason: 'outside-subnet' };
      }
      return {
        ok: true,
        at: {
          subnetId: found.subnetId,
          address,
          domain: multicast.get(found.subnetId) ?? -1,
          routedDomain: unicast.get(found.subnetId) ?? -1,
        },
      };
    },
  };
}

/** Numbers the groups of subnets that routers of the wanted kind join. */
function joinedSubnets(plan: Plan, joins: (routing: 'none' | 'unicast' | 'multicast') => boolean): Map<string, number> {
  const ids = [...plan.subnets.keys()].sort();
  const parent = new Map(ids.map((id) => [id, id]));
  const root = (id: string): string => {
    let at = id;
    while (parent.get(at) !== at) at = parent.get(at) as string;
    return at;
  };
  for (const deviceId of plan.interfaces.keys()) {
    const device = plan.devices.get(deviceId);
    const switching = device && plan.models.get(device.modelId)?.switching;
    if (!switching || !joins(switching.routing)) continue;
    let first: string | null = null;
    for (const i of plan.interfaces.get(deviceId)?.values() ?? []) {
      if (i.subnetId === null || i.address === null || !parent.has(i.subnetId)) continue;
      if (first === null) first = root(i.subnetId);
      else parent.set(root(i.subnetId), first);
      first = root(first);
    }
  }
  const numbers = new Map<string, number>();
  const result = new Map<string, number>();
  for (const id of ids) {
    const r = root(id);
    if (!numbers.has(r)) numbers.set(r, numbers.size);
    result.set(id, numbers.get(r) as number);
  }
  return result;
}
