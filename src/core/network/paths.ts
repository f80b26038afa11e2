import { linkCostNs, nsPerBitOf } from './link-cost';
import type { Link } from './links-table';
import type { Bridge, SwitchNetwork, Trunk, VlanTree } from './trunks';

/** From one switch to another over trunks. */
export interface Path {
  /** In the order of travel: `2 × trunk`, `+ 1` where it runs from the trunk's b to its a. */
  readonly steps: readonly number[];
  /** Step and subnet in one number: a stream runs once on each. */
  readonly vlanSteps: readonly number[];
  /** Switches touched, the first included: one more than steps. */
  readonly switches: readonly number[];
  /** Positions in `switches` at which a router passes the packet on, and how many routers that are. */
  readonly routedAt: readonly number[];
  /** For each of those the subnet that it passes it on into. */
  readonly routedInto: readonly string[];
  readonly fixedNs: number;
  readonly nsPerBit: number;
}

/** In place of a path: both ends are on the same cable. */
export const ONE_CABLE: Path = {
  steps: [],
  vlanSteps: [],
  switches: [],
  routedAt: [],
  routedInto: [],
  fixedNs: 0,
  nsPerBit: 0,
};

/** How many links the way of a join has; 0: it has none. */
export function linksOver(join: Path | null): number {
  if (join === null) return 0;
  return join === ONE_CABLE ? 1 : join.steps.length + 2;
}

/** The subnet in whose VLAN a step of a path runs. */
export function subnetOfStep({ routedAt, routedInto }: Path, step: number, fromSubnetId: string): string {
  const passed = routedAt.filter((position) => position <= step).length;
  return routedInto[passed - 1] ?? fromSubnetId;
}

/** Paths by their two ends, each end a small number. Rows of numbers: thousands of paths are asked for tens of thousands of times. */
export class KnownPaths {
  private readonly paths: (Path | null)[] = [];
  /** By first and by last: the place in `paths` plus one. */
  private readonly rows: Int32Array[] = [];

  get(first: number, last: number): Path | null | undefined {
    const place = this.rows[first]?.[last] ?? 0;
    return place === 0 ? undefined : this.paths[place - 1];
  }

  set(first: number, last: number, path: Path | null): void {
    while (this.rows.length <= first) this.rows.push(NO_ROW);
    let row = this.rows[first] as Int32Array;
    if (row.length <= last) {
      const longer = new Int32Array(Math.max(SHORTEST_ROW, 2 ** Math.ceil(Math.log2(last + 1))));
      longer.set(row);
      this.rows[first] = row = longer;
    }
    this.paths.push(path);
    row[last] = this.paths.length;
  }
}
const NO_ROW = new Int32Array(0);
const SHORTEST_ROW = 64;

/** From a switch through the routers of a route to another switch, each part along the tree of its VLAN. */
export function pathAlong(
  network: SwitchNetwork,
  numberOfSubnet: ReadonlyMap<string, number>,
  fromSwitch: number,
  fromSubnetId: string,
  route: readonly { routerId: string; intoSubnetId: string }[],
  toSwitch: number,
): Path | null {
  const way = wayWritten;
  way.steps = 0;
  way.switches = 1;
  switchesWritten[0] = fromSwitch;
  let vlanStepCount = 0;
  const subnetCount = numberOfSubnet.size;
  let routedAt: readonly number[] = NOWHERE;
  let routedInto: readonly string[] = NO_SUBNET;
  let at = fromSwitch;
  let subnetId = fromSubnetId;
  for (let n = 0; n <= route.length; n += 1) {
    const router = route[n];
    const target = router === undefined ? toSwitch : (network.indexOfSwitch.get(router.routerId) ?? -1);
    if (target < 0) return null;
    if (target !== at && !walkTree(network.treeOf(subnetId), network.trunks, at, target)) return null;
    const numberOf = numberOfSubnet.get(subnetId) ?? 0;
    for (; vlanStepCount < way.steps; vlanStepCount += 1)
      vlanStepsWritten[vlanStepCount] = (stepsWritten[vlanStepCount] as number) * subnetCount + numberOf;
    at = target;
    if (router === undefined) continue;
    routedAt = [...routedAt, way.switches - 1];
    routedInto = [...routedInto, router.intoSubnetId];
    subnetId = router.intoSubnetId;
  }
  const steps = stepsWritten.slice(0, way.steps);
  const vlanSteps = vlanStepsWritten.slice(0, way.steps);
  const switches = switchesWritten.slice(0, way.switches);
  let fixedNs = 0;
  let nsPerBit = 0;
  for (const s of switches) fixedNs += (network.bridges[s] as Bridge).forwardingNs;
  for (const step of steps) {
    const link = (network.trunks[step >> 1] as Trunk).links[0] as Link;
    fixedNs += linkCostNs(link);
    nsPerBit += nsPerBitOf(link);
  }
  return { steps, vlanSteps, switches, routedAt, routedInto, fixedNs, nsPerBit };
}

// A way while it is written: its place is used again, so that what is kept of it is just as long as it has to be.
const NOWHERE: readonly number[] = [];
const NO_SUBNET: readonly string[] = [];
const stepsWritten: number[] = [];
const vlanStepsWritten: number[] = [];
const switchesWritten: number[] = [];
const wayWritten = { steps: 0, switches: 0 };
const downSteps: number[] = [];
const downSwitches: number[] = [];

/** Writes the only way between two switches of one tree: up from both until they meet. Returns whether there is one. */
function walkTree({ root, depth, parent, via }: VlanTree, trunks: readonly Trunk[], from: number, to: number): boolean {
  if (root[from] !== root[to]) return false;
  let a = from;
  let b = to;
  let down = 0;
  const write = (step: number, arrives: number) => {
    stepsWritten[wayWritten.steps] = step;
    wayWritten.steps += 1;
    switchesWritten[wayWritten.switches] = arrives;
    wayWritten.switches += 1;
  };
  while (a !== b) {
    if ((depth[a] as number) >= (depth[b] as number)) {
      const { index, a: end } = trunks[via[a] as number] as Trunk;
      const step = 2 * index + (end === a ? 0 : 1);
      a = parent[a] as number;
      write(step, a);
    } else {
      const { index, a: end } = trunks[via[b] as number] as Trunk;
      downSwitches[down] = b;
      b = parent[b] as number;
      downSteps[down] = 2 * index + (end === b ? 0 : 1);
      down += 1;
    }
  }
  while (down > 0) {
    down -= 1;
    write(downSteps[down] as number, downSwitches[down] as number);
  }
  return true;
}
