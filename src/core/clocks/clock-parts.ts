import type { PortLink, Topology } from '../network/topology';
import type { VlanTree } from '../network/trunks';

/** One port of a boundary clock that a switch is: the part of the VLAN that it faces, and its socket there. */
interface BoundaryPort {
  readonly switchId: string;
  readonly socket: string;
  readonly part: string;
}

/**
 * The parts of one VLAN within which multicast PTP messages of one domain run. A switch that is a boundary clock passes none
 * on: each of its sockets is a port of its own (IEEE 1588-2008, 6.5.3), so every such switch on the way counts as a step.
 * Any other switch passes them on, as a transparent clock where it can.
 */
export interface ClockParts {
  /** Which switches meet at all: a VLAN can be in several islands that no cable joins. */
  islandOf(switchIndex: number): string;
  /** Where a clock plugged in there takes part; the empty part is a whole island without boundary clocks. */
  partOf(at: PortLink): string;
  /** The ports between switches. Those to devices follow from the devices. */
  readonly ports: readonly BoundaryPort[];
}

export function clockPartsOf({ network }: Topology, tree: VlanTree, boundaries: ReadonlySet<number>): ClockParts {
  const islandOf = (index: number) => String(tree.root[index]);
  if (boundaries.size === 0) return { islandOf, partOf: () => '', ports: [] };
  const label = labels(tree, boundaries);
  const partAt = (index: number) => `switch ${label[index]}`;
  const ports: BoundaryPort[] = [];
  tree.via.forEach((via) => {
    const trunk = network.trunks[via];
    if (trunk === undefined) return;
    const ends = [trunk.a, trunk.b];
    const between = ends.find((end) => !boundaries.has(end));
    const part = between === undefined ? `cable ${trunk.links[0]?.id}` : partAt(between);
    for (const end of ends) {
      if (!boundaries.has(end)) continue;
      const switchId = network.bridges[end]?.deviceId as string;
      const link = trunk.links[0];
      const socket = (link?.from.deviceId === switchId ? link.from.port : link?.to.port) ?? '';
      ports.push({ switchId, socket, part });
    }
  });
  return {
    islandOf,
    partOf: ({ switchIndex, link }) => (boundaries.has(switchIndex) ? `cable ${link.id}` : partAt(switchIndex)),
    ports,
  };
}

/** By switch: the lowest of those that it shares a part with. */
function labels(tree: VlanTree, boundaries: ReadonlySet<number>): Int32Array {
  const label = Int32Array.from(tree.parent.keys());
  const inDepthOrder = [...label].sort((a, b) => (tree.depth[a] as number) - (tree.depth[b] as number));
  for (const index of inDepthOrder) {
    const parent = tree.parent[index] as number;
    if (parent >= 0 && !boundaries.has(index) && !boundaries.has(parent)) label[index] = label[parent] as number;
  }
  return label;
}
