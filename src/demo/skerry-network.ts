import type { Subnet } from '../core/network/subnets-table';

/** Subnets, switches and fibres of Skerry Point. */

const routed = (gateway: string, querier: string, dhcp: Subnet['dhcp'] = null) => ({
  gateway,
  querierIds: [querier],
  dhcp,
});

export const SUBNETS: Subnet[] = [
  {
    id: 'a-north',
    name: 'Leg A north',
    cidr: '10.71.36.0/24',
    vlan: 131,
    role: 'A',
    ...routed('10.71.36.1', 'core-a', { first: '10.71.36.200', last: '10.71.36.239' }),
  },
  {
    id: 'a-south',
    name: 'Leg A south',
    cidr: '10.71.52.0/24',
    vlan: 146,
    role: 'A',
    ...routed('10.71.52.1', 'core-a'),
  },
  { id: 'a-pier', name: 'Leg A pier', cidr: '10.71.68.0/25', vlan: 162, role: 'A', ...routed('10.71.68.1', 'core-a') },
  {
    id: 'b-north',
    name: 'Leg B north',
    cidr: '10.72.36.0/24',
    vlan: 231,
    role: 'B',
    ...routed('10.72.36.1', 'core-b'),
  },
  {
    id: 'b-south',
    name: 'Leg B south',
    cidr: '10.72.52.0/24',
    vlan: 246,
    role: 'B',
    ...routed('10.72.52.1', 'core-b'),
  },
  {
    id: 'control',
    name: 'Control',
    cidr: '10.73.0.0/23',
    vlan: 300,
    role: 'control',
    ...routed('10.73.0.1', 'core-a', { first: '10.73.1.0', last: '10.73.1.199' }),
  },
  {
    id: 'boat',
    name: 'Boat',
    cidr: '10.71.80.0/26',
    vlan: 190,
    role: 'other',
    ...routed('10.71.80.1', 'core-a', { first: '10.71.80.33', last: '10.71.80.62' }),
  },
];

export const ON_A = ['a-north', 'a-south', 'a-pier', 'boat', 'control'];

/** The switches of leg B are managed over the second uplink of the Wave Hall. */
export const ON_B = ['b-north', 'b-south', 'control'];

/** Where the sides are: leg A and leg B prefix, and the edge switches of the side's places. */
export const SIDES_OF_SITE = {
  north: { a: '10.71.36', b: '10.72.36', subnetA: 'a-north', subnetB: 'b-north' },
  south: { a: '10.71.52', b: '10.72.52', subnetA: 'a-south', subnetB: 'b-south' },
  pier: { a: '10.71.68', b: null, subnetA: 'a-pier', subnetB: null },
} as const;

export const SWITCHES: readonly (readonly [id: string, name: string, model: string, place: string])[] = [
  ['core-a', 'North core A', 'core-switch-24', 'north-rack'],
  ['core-b', 'North core B', 'core-switch-24', 'north-rack'],
  ['loft-edge-a', 'Loft edge A', 'edge-switch-24', 'control-loft'],
  ['loft-edge-b', 'Loft edge B', 'edge-switch-24', 'control-loft'],
  ['wave-edge-a', 'Wave edge A', 'edge-switch-24', 'wave-hall'],
  ['gallery-edge-a', 'Gallery edge A', 'edge-switch-16p', 'tide-gallery'],
  ['south-edge-a', 'South edge A', 'edge-switch-24', 'south-rack'],
  ['south-edge-b', 'South edge B', 'edge-switch-24', 'south-rack'],
  ['pier-edge-a', 'Pier edge A', 'edge-switch-24p', 'pier-rack'],
];

/** From an edge switch's first uplink to a core's, with the length of the fibre. */
export const UPLINKS: readonly (readonly [edge: string, core: string, metres: number])[] = [
  ['loft-edge-a', 'core-a', 60],
  ['wave-edge-a', 'core-a', 85],
  ['gallery-edge-a', 'core-a', 110],
  ['south-edge-a', 'core-a', 240],
  ['pier-edge-a', 'core-a', 390],
  ['loft-edge-b', 'core-b', 65],
  ['south-edge-b', 'core-b', 260],
  ['wave-edge-a', 'core-b', 85],
];

export const ROUTED: readonly (readonly [device: string, subnetId: string, address: string])[] = [
  ['core-a', 'a-north', '10.71.36.1'],
  ['core-a', 'a-south', '10.71.52.1'],
  ['core-a', 'a-pier', '10.71.68.1'],
  ['core-a', 'boat', '10.71.80.1'],
  ['core-a', 'control', '10.73.0.1'],
  ['core-b', 'b-north', '10.72.36.1'],
  ['core-b', 'b-south', '10.72.52.1'],
];
