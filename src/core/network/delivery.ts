import { portNamed } from '../models/ports';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { Link } from './links-table';
import type { Path } from './paths';
import { queriersOf } from './queriers';
import type { Topology } from './topology';
import type { Trunk } from './trunks';

/** How packets go on from switch to switch. */
export interface Delivery {
  /** By subnet: the index of the switch that is its elected querier, where that is a switch of the drawing. */
  readonly querierBySubnet: ReadonlyMap<string, number>;
  /** From a switch as it stands in a subnet to that one's querier; null: it has none, or cables do not lead there. */
  wayToQuerier(stand: number, subnetId: string): Path | null;
  /** How packets go on from switches that do not snoop; null: all do. */
  readonly floods: Floods | null;
}

/** What a switch that does not snoop passes a group on to, besides the trunks of the VLAN's tree. */
export interface Floods {
  /** By switch: whether it floods. */
  readonly isFlooding: readonly boolean[];
  /** By switch and subnet (`3 a`): directed links to the devices there. */
  readonly toDevices: ReadonlyMap<string, readonly number[]>;
  /** The neighbours of a switch in the tree of a subnet, with the step there. */
  neighboursOf(at: number, subnetId: string): readonly { readonly to: number; readonly step: number }[];
}

export function deliveryOf(plan: ModelledDevices & PlanOf<'subnets' | 'interfaces'>, topology: Topology): Delivery {
  const { network } = topology;
  const querierBySubnet = new Map<string, number>();
  for (const subnet of plan.subnets.values()) {
    const index = network.indexOfSwitch.get(queriersOf(plan, subnet)[0]?.id ?? '');
    if (index !== undefined) querierBySubnet.set(subnet.id, index);
  }
  const ways = new Map<number, Path | null>();
  return {
    querierBySubnet,
    wayToQuerier(stand, subnetId) {
      let way = ways.get(stand);
      if (way === undefined) {
        const querier = querierBySubnet.get(subnetId);
        way =
          querier === undefined ? null : topology.pathBetween(stand, topology.standOf(querier, subnetId), 'multicast');
        ways.set(stand, way);
      }
      return way;
    },
    floods: network.bridges.every((b) => b.snoops) ? null : floodsOf(plan, topology),
  };
}

function floodsOf(plan: ModelledDevices & PlanOf<'interfaces'>, { network, links }: Topology): Floods {
  const toDevices = new Map<string, number[]>();
  eachPluggedIn(plan, { network, links }, (at, subnetId, step) => {
    const key = `${at} ${subnetId}`;
    toDevices.set(key, [...(toDevices.get(key) ?? []), step]);
  });
  const bySubnet = new Map<string, { to: number; step: number }[][]>();
  return {
    isFlooding: network.bridges.map((b) => !b.snoops),
    toDevices,
    neighboursOf(at, subnetId) {
      let all = bySubnet.get(subnetId);
      if (all === undefined) {
        const tree = network.treeOf(subnetId);
        const found: { to: number; step: number }[][] = network.bridges.map(() => []);
        tree.parent.forEach((parent, child) => {
          if (parent < 0) return;
          const trunk = network.trunks[tree.via[child] as number] as Trunk;
          found[child]?.push({ to: parent, step: 2 * trunk.index + (trunk.a === child ? 0 : 1) });
          found[parent]?.push({ to: child, step: 2 * trunk.index + (trunk.a === parent ? 0 : 1) });
        });
        bySubnet.set(subnetId, (all = found));
      }
      return all[at] ?? [];
    },
  };
}

/** The subnet in which a socket of a device lives: that of the interface with the port's role. */
export function subnetOfPort(
  plan: ModelledDevices & PlanOf<'interfaces'>,
  deviceId: string,
  portName: string,
): string | null {
  const model = modelOf(plan, deviceId);
  const role = model && portNamed(model, portName)?.role;
  return role === undefined ? null : (plan.interfaces.get(deviceId)?.get(role)?.subnetId ?? null);
}

/** By subnet: indexes of the switches into which its devices are plugged. */
export function switchesInUse(
  plan: ModelledDevices & PlanOf<'interfaces'>,
  topology: Topology,
): Map<string, Set<number>> {
  const inUse = new Map<string, Set<number>>();
  eachPluggedIn(plan, topology, (at, subnetId) => {
    const switches = inUse.get(subnetId);
    if (switches === undefined) inUse.set(subnetId, new Set([at]));
    else switches.add(at);
  });
  return inUse;
}

/** Each cable between a switch and a device: the switch's index, the subnet of the device's socket, and the step from the switch to it. */
function eachPluggedIn(
  plan: ModelledDevices & PlanOf<'interfaces'>,
  { links, network }: Pick<Topology, 'links' | 'network'>,
  tell: (at: number, subnetId: string, step: number) => void,
): void {
  for (let index = 0; index < links.length; index += 1) {
    const link = links[index] as Link;
    const from = network.indexOfSwitch.get(link.from.deviceId);
    const to = network.indexOfSwitch.get(link.to.deviceId);
    const at = from ?? to;
    if (at === undefined || (from !== undefined && to !== undefined)) continue;
    const device = from === undefined ? link.from : link.to;
    const subnetId = subnetOfPort(plan, device.deviceId, device.port);
    if (subnetId !== null) tell(at, subnetId, 2 * index + (from === undefined ? 1 : 0));
  }
}
