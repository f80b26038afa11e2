import { ASSUMED } from '../models/unknown-figures';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { Link } from './links-table';
import { switchSettingsOf, USUAL_BRIDGE_PRIORITY } from './switch-settings';
import type { SpanningTrees } from './switches-table';

/** What joins two switches: one cable, or several that carry traffic as one (IEEE 802.1AX). */
export interface Trunk {
  readonly index: number;
  readonly links: readonly Link[];
  /** Switch indexes; the first link's `from` is at `a`. */
  readonly a: number;
  readonly b: number;
  /** Ids of the subnets whose VLANs pass; null: all. */
  readonly carries: ReadonlySet<string> | null;
}

export interface Bridge {
  readonly deviceId: string;
  readonly forwardingNs: number;
  readonly spanningTree: boolean;
  readonly spanningTrees: SpanningTrees;
  /** Passes groups on to those who asked for them alone. */
  readonly snoops: boolean;
  readonly priority: number;
}

/**
 * The tree that the switches of one VLAN make. Where cables form a ring, the spanning tree (IEEE 802.1Q) leaves some idle: for all VLANs, unless
 * every switch there is set to several trees. A VLAN that only an idle cable carries is cut in two.
 */
export interface VlanTree {
  /** By switch: the next switch towards the root, -1 at a root. */
  readonly parent: Int32Array;
  /** By switch: the trunk to its parent, -1 at a root. */
  readonly via: Int32Array;
  readonly depth: Int32Array;
  /** By switch: the root it belongs to. Switches with different roots do not meet. */
  readonly root: Int32Array;
  /** Trunks that carry the VLAN and stay idle because they would close a ring. */
  readonly idle: readonly Trunk[];
}

export interface SwitchNetwork {
  /** In the order of device ids. */
  readonly bridges: readonly Bridge[];
  readonly indexOfSwitch: ReadonlyMap<string, number>;
  readonly trunks: readonly Trunk[];
  /** The tree of a subnet's VLAN. Subnets that pass the same trunks share one. */
  treeOf(subnetId: string): VlanTree;
  /** The tree over all cables, whichever VLANs they carry. */
  readonly common: VlanTree;
}

export function switchNetworkOf(plan: ModelledDevices & PlanOf<'settings' | 'links' | 'switches'>): SwitchNetwork {
  const bridges: Bridge[] = [];
  const indexOfSwitch = new Map<string, number>();
  for (const deviceId of [...plan.devices.keys()].sort()) {
    const switching = modelOf(plan, deviceId)?.switching;
    if (!switching) continue;
    const settings = switchSettingsOf(plan, deviceId);
    indexOfSwitch.set(deviceId, bridges.length);
    bridges.push({
      deviceId,
      forwardingNs: switching.forwardingNs ?? ASSUMED.forwardingNs,
      spanningTree: settings?.spanningTree ?? false,
      spanningTrees: settings?.spanningTrees ?? 'one',
      snoops: switching.snooping && settings?.snooping === true,
      priority: settings?.bridgePriority ?? USUAL_BRIDGE_PRIORITY,
    });
  }
  const trunks = trunksOf(plan, indexOfSwitch);
  const trees = new Map<string, VlanTree>();
  const treeBySubnet = new Map<string, VlanTree>();
  const limited = trunks.filter((t) => t.carries !== null);
  const common = vlanTree(bridges, trunks);
  // IEEE 802.1Q clause 13: a single tree is laid for all VLANs, whichever of them its cables carry.
  const withOneTree = new Set<number>();
  bridges.forEach(({ spanningTree, spanningTrees }, index) => {
    if (spanningTree && spanningTrees === 'one') withOneTree.add(common.root[index] as number);
  });
  const idleInCommon = new Set(common.idle.map((t) => t.index));
  /** Idle for all VLANs, as the switches there share one tree. */
  const isIdleForAll = (t: Trunk) => idleInCommon.has(t.index) && withOneTree.has(common.root[t.a] as number);
  return {
    bridges,
    indexOfSwitch,
    trunks,
    common,
    treeOf(subnetId) {
      const known = treeBySubnet.get(subnetId);
      if (known !== undefined) return known;
      const left = limited.filter((t) => t.carries?.has(subnetId) !== true).map((t) => t.index);
      const key = left.join();
      let tree = trees.get(key);
      if (tree === undefined) {
        const without = new Set(left);
        const carrying = trunks.filter((t) => !without.has(t.index));
        const active = vlanTree(
          bridges,
          carrying.filter((t) => !isIdleForAll(t)),
        );
        tree = { ...active, idle: [...active.idle, ...carrying.filter(isIdleForAll)] };
        trees.set(key, tree);
      }
      treeBySubnet.set(subnetId, tree);
      return tree;
    },
  };
}

function trunksOf(plan: PlanOf<'links'>, indexOfSwitch: ReadonlyMap<string, number>): Trunk[] {
  const groups = new Map<string, Link[]>();
  for (const link of [...plan.links.values()].sort((x, y) => (x.id < y.id ? -1 : 1))) {
    const a = indexOfSwitch.get(link.from.deviceId);
    const b = indexOfSwitch.get(link.to.deviceId);
    if (a === undefined || b === undefined || a === b) continue;
    const pair = a < b ? `${a}-${b}` : `${b}-${a}`;
    const key = link.joinedAs === null ? `link ${link.id}` : `joined ${pair} ${link.joinedAs}`;
    const group = groups.get(key);
    if (group === undefined) groups.set(key, [link]);
    else group.push(link);
  }
  return [...groups.values()].map((links, index) => {
    const first = links[0] as Link;
    const carried = links.map((l) => l.carries);
    return {
      index,
      links,
      a: indexOfSwitch.get(first.from.deviceId) as number,
      b: indexOfSwitch.get(first.to.deviceId) as number,
      carries: carried.includes(null) ? null : new Set(carried.flatMap((ids) => ids ?? [])),
    };
  });
}

/** IEEE 802.1D-2004 table 17-3: 20 Tb/s divided by the speed. */
function pathCost(trunk: Trunk): number {
  return 20e12 / trunk.links.reduce((sum, l) => sum + l.bitsPerSecond, 0);
}

/**
 * Root: lowest bridge priority, then lowest device id (in the place of the lowest MAC address, which a plan does not know).
 * Then the least cost to the root; ties go to the lower neighbour, then to the lower trunk.
 */
export function vlanTree(bridges: readonly Bridge[], trunks: readonly Trunk[]): VlanTree {
  const count = bridges.length;
  const parent = new Int32Array(count).fill(-1);
  const via = new Int32Array(count).fill(-1);
  const depth = new Int32Array(count);
  const root = new Int32Array(count).fill(-1);
  const cost = new Float64Array(count).fill(Infinity);
  const isDone = new Uint8Array(count);
  const edges: Trunk[][] = bridges.map(() => []);
  for (const trunk of trunks) {
    edges[trunk.a]?.push(trunk);
    edges[trunk.b]?.push(trunk);
  }
  const precedes = (x: number, y: number) => (bridges[x] as Bridge).priority - (bridges[y] as Bridge).priority || x - y;
  const rank = [...bridges.keys()].sort(precedes);
  const rankOf = new Int32Array(count);
  rank.forEach((index, at) => (rankOf[index] = at));

  for (const start of rank) {
    if (root[start] !== -1) continue;
    cost[start] = 0;
    root[start] = start;
    const open = new Set([start]);
    while (open.size > 0) {
      let at = -1;
      for (const candidate of open) {
        if (at === -1 || less(cost, rankOf, candidate, at)) at = candidate;
      }
      open.delete(at);
      isDone[at] = 1;
      for (const trunk of edges[at] as Trunk[]) {
        const next = trunk.a === at ? trunk.b : trunk.a;
        if (isDone[next] === 1) continue;
        const through = (cost[at] as number) + pathCost(trunk);
        const known = cost[next] as number;
        const isTie = through === known && parent[next] !== -1;
        const isBetter =
          through < known ||
          (isTie && (rankOf[at] as number) < (rankOf[parent[next] as number] as number)) ||
          (isTie && at === parent[next] && trunk.index < (via[next] as number));
        if (!isBetter) continue;
        cost[next] = through;
        parent[next] = at;
        via[next] = trunk.index;
        root[next] = start;
        depth[next] = (depth[at] as number) + 1;
        open.add(next);
      }
    }
  }
  const idle = trunks.filter((t) => via[t.a] !== t.index && via[t.b] !== t.index);
  return { parent, via, depth, root, idle };
}

function less(cost: Float64Array, rankOf: Int32Array, x: number, y: number): boolean {
  const a = cost[x] as number;
  const b = cost[y] as number;
  return a < b || (a === b && (rankOf[x] as number) < (rankOf[y] as number));
}
