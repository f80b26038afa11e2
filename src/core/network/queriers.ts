import { interfacesOf, type ModelledDevices, type PlanOf } from '../plan/plan';
import { parseAddress } from './address';
import type { Subnet } from './subnets-table';

/** A switch that is set to ask for memberships, with its address in the subnet; null: it has none there. */
export interface Querier {
  readonly id: string;
  readonly address: number | null;
}

/**
 * The queriers of a subnet, the elected one first: of several that ask the lowest address goes on asking and the others fall silent
 * (RFC 3376 clause 6.6.2, RFC 2236 clause 7). One without an address asks from 0.0.0.0, which takes no part in the election
 * (RFC 4541 clause 2.1.1), so that it asks only where nobody else has an address.
 */
export function queriersOf(plan: Pick<ModelledDevices, 'devices'> & PlanOf<'interfaces'>, subnet: Subnet): Querier[] {
  return subnet.querierIds
    .filter((id) => plan.devices.has(id))
    .map((id) => ({ id, address: addressIn(plan, id, subnet.id) }))
    .sort((a, b) => (a.address ?? Infinity) - (b.address ?? Infinity) || (a.id < b.id ? -1 : 1));
}

function addressIn(plan: PlanOf<'interfaces'>, deviceId: string, subnetId: string): number | null {
  for (const i of interfacesOf(plan, deviceId).values()) {
    if (i.subnetId === subnetId && i.address !== null) return parseAddress(i.address);
  }
  return null;
}
