import type { Clocks } from '../clocks/clocks';
import type { PlanOf, ModelledDevices } from '../plan/plan';
import { allowanceFor, NO_PTP, ptpBySubnet, sumOfPtp, type Allowance, type PtpMessages } from './allowances';
import { subnetOfPort, type Delivery } from './delivery';
import type { Link } from './links-table';
import type { LoadSums, StreamTree } from './stream-trees';
import type { Topology } from './topology';

/** Loads of every link, each way. Arrays are by directed link; see Topology. */
export interface Loads extends LoadSums {
  readonly treesBySender: ReadonlyMap<string, readonly StreamTree[]>;
}

/** What of the loads does not depend on streams. */
export interface LoadFrame extends Delivery {
  /** By link index: what it carries beside media, each way. */
  readonly allowances: readonly Allowance[];
  /** By link index: its speed less what is set aside. */
  readonly usableBitsPerSecond: readonly number[];
}

export function loadFrameOf(
  plan: ModelledDevices & PlanOf<'settings' | 'interfaces'>,
  topology: Topology,
  delivery: Delivery,
  clocks: Pick<Clocks, 'time' | 'network'>,
): LoadFrame {
  const ptp = ptpBySubnet(clocks);
  const all = sumOfPtp([...ptp.values()]);
  const { indexOfSwitch } = topology.network;
  /** Links of one subnet carry the same beside media. */
  const known = new Map<PtpMessages, Allowance>();
  const allowanceOf = (messages: PtpMessages): Allowance => {
    let allowance = known.get(messages);
    if (allowance === undefined) known.set(messages, (allowance = allowanceFor(messages, plan.settings)));
    return allowance;
  };
  const allowances = topology.links.map((link) => {
    const isFromSwitch = indexOfSwitch.has(link.from.deviceId);
    // A cable to a device carries its subnet's clock messages; one between switches those of all subnets it passes.
    if (isFromSwitch && indexOfSwitch.has(link.to.deviceId)) {
      const passed = link.carries?.map((id) => ptp.get(id) ?? NO_PTP);
      return allowanceOf(passed === undefined ? all : sumOfPtp(passed));
    }
    const device = isFromSwitch ? link.to : link.from;
    return allowanceOf(ptp.get(subnetOfPort(plan, device.deviceId, device.port) ?? '') ?? NO_PTP);
  });
  const usableBitsPerSecond = topology.links.map((l) => (l.bitsPerSecond * (100 - l.setAsidePercent)) / 100);
  return { ...delivery, allowances, usableBitsPerSecond };
}

/** Adds up what every link carries. */
export function sumLoads(topology: Topology, treesBySender: ReadonlyMap<string, readonly StreamTree[]>): Loads {
  const size = topology.links.length * 2;
  const mediaBitsPerSecond = new Float64Array(size);
  const querierBitsPerSecond = new Float64Array(size);
  const floodedBitsPerSecond = new Float64Array(size);
  const packetBits = new Float64Array(size);
  const groupsAtSwitch = new Int32Array(topology.network.bridges.length);
  for (const trees of treesBySender.values()) {
    for (const tree of trees) {
      const add = (links: readonly number[], sums: Float64Array) => {
        for (const d of links) {
          sums[d] = (sums[d] as number) + tree.bitsPerSecond;
          packetBits[d] = (packetBits[d] as number) + tree.packetBits;
        }
      };
      add(tree.directed, mediaBitsPerSecond);
      add(tree.towardsQuerier, querierBitsPerSecond);
      add(tree.flooded, floodedBitsPerSecond);
      if (tree.stream.unicastTo !== null) continue;
      for (const s of tree.switches) groupsAtSwitch[s] = (groupsAtSwitch[s] as number) + 1;
    }
  }
  return { treesBySender, mediaBitsPerSecond, querierBitsPerSecond, floodedBitsPerSecond, packetBits, groupsAtSwitch };
}

/** Everything on one direction of a link, in bits per second. */
export function totalBitsPerSecond(loads: Loads, frame: LoadFrame, directed: number): number {
  const allowance = (frame.allowances[directed >> 1] as Allowance).bitsPerSecond;
  return streamBitsPerSecond(loads, directed) + allowance;
}

/** All streams on one direction of a link, asked for or not, in bits per second. */
export function streamBitsPerSecond(loads: Loads, directed: number): number {
  const { mediaBitsPerSecond, querierBitsPerSecond, floodedBitsPerSecond } = loads;
  return (
    (mediaBitsPerSecond[directed] as number) +
    (querierBitsPerSecond[directed] as number) +
    (floodedBitsPerSecond[directed] as number)
  );
}

/** Share of what is not set aside; 1 is full. A link of which all is set aside is full with anything on it. */
export function shareOf(bitsPerSecond: number, usableBitsPerSecond: number): number {
  return usableBitsPerSecond > 0 ? bitsPerSecond / usableBitsPerSecond : bitsPerSecond > 0 ? Infinity : 0;
}

/** The direction with the highest share of all that carry media; null where nothing is carried. */
export function busiestOf(loads: Loads, frame: LoadFrame): { directed: number; share: number } | null {
  let best: { directed: number; share: number } | null = null;
  for (let d = 0; d < loads.mediaBitsPerSecond.length; d += 1) {
    if (streamBitsPerSecond(loads, d) === 0) continue;
    const share = shareOf(totalBitsPerSecond(loads, frame, d), frame.usableBitsPerSecond[d >> 1] as number);
    if (best === null || share > best.share) best = { directed: d, share };
  }
  return best;
}

/** The end that sends in a direction, and the end that receives. */
export function endsOf(links: readonly Link[], directed: number) {
  const link = links[directed >> 1] as Link;
  return (directed & 1) === 0 ? { link, sends: link.from, hears: link.to } : { link, sends: link.to, hears: link.from };
}
