import type { PlanOf } from '../plan/plan';
import type { Leg, Model } from '../models/models-table';
import type { Routes } from './routes';
import { isHostOfBlock, parseAddress, parseCidr, type Block } from './address';

/** Where one leg of a device meets the network. */
interface Attachment {
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

export function reachOf(plan: PlanOf<'subnets' | 'interfaces'>, routes: Routes): Reach {
  const blocks = new Map<string, Block | null>();
  for (const subnet of plan.subnets.values()) blocks.set(subnet.id, parseCidr(subnet.cidr));

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
          domain: routes.domainOf('multicast', found.subnetId),
          routedDomain: routes.domainOf('unicast', found.subnetId),
        },
      };
    },
  };
}
