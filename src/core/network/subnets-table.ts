import {
  address,
  cidr,
  defaulted,
  id,
  list,
  nullable,
  oneOf,
  record,
  text,
  whole,
  type Described,
} from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { parseCidr } from './address';
import { rangeOf } from './address-range';

export const SUBNET_ROLES = ['A', 'B', 'control', 'other'] as const;
export type SubnetRole = (typeof SUBNET_ROLES)[number];

const shape = record({
  id,
  name: text(),
  cidr,
  vlan: nullable(whole(1, 4094)),
  role: oneOf(SUBNET_ROLES),
  /** Addresses that a DHCP server gives out, both ends included. */
  dhcp: defaulted(nullable(record({ first: address, last: address })), null),
  /** Where its hosts send what is for other subnets. */
  gateway: defaulted(nullable(address), null),
  /** The switches told to ask for memberships (IGMP querier) on this VLAN. One is right; the lowest address wins. */
  querierIds: defaulted(list(id, 100), []),
});
export type Subnet = Described<typeof shape>;

/** A subnet with neither DHCP nor router nor querier. */
export const PLAIN_SUBNET = { dhcp: null, gateway: null, querierIds: [] } as const;

function problem(subnet: Subnet): FieldProblem | null {
  if (parseCidr(subnet.cidr) === null) {
    return { reason: 'out-of-range', path: 'cidr', value: subnet.cidr, limit: 'an IPv4 block with /0 to /32' };
  }
  const { dhcp } = subnet;
  if (dhcp === null || rangeOf(dhcp) !== null) return null;
  const value = `${dhcp.first} to ${dhcp.last}`;
  return { reason: 'out-of-range', path: 'dhcp', value, limit: 'two addresses, the lower first' };
}

export const subnets = table(shape)({
  owner: null,
  key: ['id'],
  since: 1,
  command: { noun: 'subnet', as: 'subnet', id: 'subnetId' },
  pointsTo: [{ path: 'querierIds[]', to: 'devices', whenGone: 'emptied' }],
  merges: 'records',
  problem,
  nameOf: (r) => r.name,
});
