import { address, id, nullable, record, text, type Described } from '../plan/shape';
import { table } from '../plan/table';

const shape = record({
  deviceId: id,
  /** The port's role; for a router `routed:` and the subnet's id. Unique within the device. */
  name: text(80),
  subnetId: nullable(id),
  address: nullable(address),
});
/** A network interface of a device. A router has one `routed` interface for each subnet it joins. */
export type Interface = Described<typeof shape>;

/** The interface by which a router passes packets into a subnet. */
export const routedName = (subnetId: string): string => `routed:${subnetId}`;

/** Whether an interface is one by which a router joins a subnet, not one of the device's own. */
export function isRouted(i: { readonly name: string }): boolean {
  return i.name.startsWith('routed:');
}

/** By device and interface name. */
export const interfaces = table(shape)({
  owner: 'deviceId',
  key: ['name'],
  since: 1,
  command: { noun: 'interface', as: 'interface' },
  pointsTo: [
    { path: 'deviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'subnetId', to: 'subnets', whenGone: 'refused' },
  ],
  merges: 'records',
  nameOf: (r, deviceName) => `${deviceName(r.deviceId)}, ${r.name}`,
});
