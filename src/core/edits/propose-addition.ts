import { parseCidr } from '../network/address';
import { cidrText } from '../network/subnets';
import { PLAIN_SUBNET, type Subnet } from '../network/subnets-table';
import { INTERFACE_ROLES, type InterfaceRole, type Model } from '../models/models-table';
import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { freeId, proposeDevices } from './propose-devices';

const ROLE_NAMES: Readonly<Record<InterfaceRole, string>> = { A: 'Leg A', B: 'Leg B', control: 'Control' };

/** Something of the plan, or something that is made on the way. */
export type OnTheWay = { readonly id: string } | { readonly make: string } | null;

interface Addition {
  readonly model: Model;
  readonly count: number;
  readonly name: string;
  /** `make`: the name of a new place. */
  readonly place: OnTheWay;
  /** `make`: the prefix of a new subnet, such as 10.20.0.0/24. */
  readonly subnets: Readonly<Partial<Record<InterfaceRole, OnTheWay>>>;
}

/**
 * The commands that add devices together with the place and the subnets that they need and the plan does not have yet. A prefix that is no
 * prefix makes no subnet.
 */
export function proposeAddition(plan: Plan, { model, count, name, place, subnets }: Addition): Command[] {
  const made: Command[] = [];
  let placeId = place !== null && 'id' in place ? place.id : null;
  if (place !== null && 'make' in place) {
    placeId = freeId(place.make, plan.places);
    made.push({ kind: 'put-place', place: { id: placeId, name: place.make, parentId: null } });
  }
  const names = new Set([...plan.subnets.values()].map((s) => s.name));
  const ids = new Set(plan.subnets.keys());
  const byPrefix = new Map<string, string>();
  const subnetByRole: Partial<Record<InterfaceRole, string | null>> = {};
  for (const role of INTERFACE_ROLES) {
    const wanted = subnets[role] ?? null;
    subnetByRole[role] = wanted !== null && 'id' in wanted ? wanted.id : null;
    const block = wanted !== null && 'make' in wanted ? parseCidr(wanted.make) : null;
    if (block === null || !model.ports.some((p) => p.role === role)) continue;
    const prefix = cidrText(block);
    let id = byPrefix.get(prefix);
    if (id === undefined) {
      const subnetName = names.has(ROLE_NAMES[role]) ? `${ROLE_NAMES[role]} ${prefix}` : ROLE_NAMES[role];
      names.add(subnetName);
      id = freeId(subnetName, ids);
      ids.add(id);
      byPrefix.set(prefix, id);
      const subnet: Subnet = { ...PLAIN_SUBNET, id, name: subnetName, cidr: prefix, vlan: null, role };
      made.push({ kind: 'put-subnet', subnet });
    }
    subnetByRole[role] = id;
  }
  const prepared = made.length === 0 ? null : applyCommands(plan, made);
  const into = prepared?.ok === true ? prepared.plan : plan;
  return [...made, ...proposeDevices(into, { model, count, name, placeId, subnetByRole })];
}
