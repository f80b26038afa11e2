import type { Leg } from '../models/models-table';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { Link } from './links-table';
import type { PlanSettings } from '../plan/settings-table';
import type { Stream } from '../streams/stream';
import { wireBytesOf } from '../streams/wire';
import { samplesPerPacket } from '../streams/format';
import { allowanceFor, followersBySubnet, type Allowance } from './allowances';
import type { End, Topology } from './topology';

/** Where the packets of one leg of a stream go. */
export interface StreamTree {
  readonly stream: Stream;
  readonly leg: Leg;
  readonly bitsPerSecond: number;
  /** One packet with preamble and gap. */
  readonly packetBits: number;
  /** Directed links towards receivers. A link stands twice where the stream runs on it in two VLANs. */
  readonly directed: readonly number[];
  /**
   * Directed links that carry it only because a snooping switch passes every group on to where the querier is
   * (RFC 4541 clause 2.1.2).
   */
  readonly towardsQuerier: readonly number[];
  /** Switches that need an entry for its group. */
  readonly switches: readonly number[];
}

/** Loads of every link, each way. Arrays are by directed link; see Topology. */
export interface Loads {
  readonly treesBySender: ReadonlyMap<string, readonly StreamTree[]>;
  /** Media towards receivers. */
  readonly mediaBitsPerSecond: Float64Array;
  /** Media that only the querier asks for. */
  readonly querierBitsPerSecond: Float64Array;
  /** One packet of every stream that runs there: what a packet may have to wait for in its own class. */
  readonly packetBits: Float64Array;
  /** Entries wanted in each switch's group table, by switch index. */
  readonly groupsAtSwitch: Int32Array;
}

/** What of the loads does not depend on streams. */
export interface LoadFrame {
  /** By link index: what it carries beside media, each way. */
  readonly allowances: readonly Allowance[];
  /** By link index: its speed less what is set aside. */
  readonly usableBitsPerSecond: readonly number[];
  /** By subnet: switch indexes of its queriers. */
  readonly queriersBySubnet: ReadonlyMap<string, readonly number[]>;
}

export function loadFrameOf(
  plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'interfaces'>,
  topology: Topology,
): LoadFrame {
  const followers = followersBySubnet(plan);
  const all = [...followers.values()].reduce((sum, n) => sum + n, 0);
  const { network } = topology;
  const isSwitch = (id: string) => network.indexOfSwitch.has(id);
  const allowances = topology.links.map((link) => {
    // A cable to a device carries its subnet's clock messages; one between switches those of all subnets it passes.
    if (isSwitch(link.from.deviceId) && isSwitch(link.to.deviceId)) {
      const passed = link.carries?.reduce((sum, id) => sum + (followers.get(id) ?? 0), 0) ?? all;
      return allowanceFor(passed, plan.settings);
    }
    const device = isSwitch(link.from.deviceId) ? link.to : link.from;
    return allowanceFor(followers.get(subnetOfPort(plan, device.deviceId, device.port) ?? '') ?? 0, plan.settings);
  });
  const queriersBySubnet = new Map<string, readonly number[]>();
  for (const subnet of plan.subnets.values()) {
    const indexes = subnet.querierIds.flatMap((id) => network.indexOfSwitch.get(id) ?? []);
    if (indexes.length > 0) queriersBySubnet.set(subnet.id, indexes);
  }
  return {
    allowances,
    usableBitsPerSecond: topology.links.map((l) => (l.bitsPerSecond * (100 - l.setAsidePercent)) / 100),
    queriersBySubnet,
  };
}

/** The subnet in which a socket of a device lives: that of the interface with the port's role. */
export function subnetOfPort(
  plan: ModelledDevices & PlanOf<'interfaces'>,
  deviceId: string,
  portName: string,
): string | null {
  const model = modelOf(plan, deviceId);
  const role = model?.ports.find((p) => p.name === portName)?.role;
  return role === undefined ? null : (plan.interfaces.get(deviceId)?.get(role)?.subnetId ?? null);
}

export type EndFor = (deviceId: string, leg: Leg) => End | null;

/** The trees of all streams of one sender. Legs whose cables are not drawn have none. */
export function treesOf(
  streams: readonly Stream[],
  endFor: EndFor,
  topology: Topology,
  frame: LoadFrame,
  settings: PlanSettings,
): StreamTree[] {
  const trees: StreamTree[] = [];
  for (const stream of streams) {
    for (const leg of stream.legs) {
      const from = endFor(stream.senderDeviceId, leg);
      if (from !== null) trees.push(treeOf(stream, leg, from, endFor, topology, frame, settings));
    }
  }
  return trees;
}

/** What a tree has touched already: numbers stand for the tree's turn, so that nothing has to be cleared. */
class Touched {
  private turn = 0;
  private marks: Int32Array = new Int32Array(256);

  begin(): void {
    this.turn += 1;
  }

  /** Whether it was not touched yet; it is now. */
  isNew(n: number): boolean {
    if (n >= this.marks.length) {
      const wider = new Int32Array(Math.max(n + 1, 2 * this.marks.length));
      wider.set(this.marks);
      this.marks = wider;
    }
    if (this.marks[n] === this.turn) return false;
    this.marks[n] = this.turn;
    return true;
  }
}
const touchedSteps = new Touched();
const touchedSwitches = new Touched();

function treeOf(
  stream: Stream,
  leg: Leg,
  from: End,
  endFor: EndFor,
  topology: Topology,
  frame: LoadFrame,
  settings: PlanSettings,
): StreamTree {
  const kind = stream.unicastTo === null ? 'multicast' : 'unicast';
  const flow = topology.isAnyJoined ? flowOf(stream.id, leg) : 0;
  touchedSteps.begin();
  touchedSwitches.begin();
  const directed: number[] = [];
  const towardsQuerier: number[] = [];
  const switches: number[] = [];
  /** By subnet into which a router passed it: the switch where it comes in. */
  let entries: Map<string, number> | null = null;
  let isSent = false;
  for (const receiverId of stream.receiverDeviceIds) {
    const to = endFor(receiverId, leg);
    if (to === null) continue;
    if (to.at.link === from.at.link) {
      if (!isSent) directed.push(2 * from.at.linkIndex + (from.at.isFrom ? 0 : 1));
      isSent = true;
      continue;
    }
    if (from.at.switchIndex < 0 || to.at.switchIndex < 0) continue;
    const path = topology.pathBetween(from.at.switchIndex, from.subnetId, to.at.switchIndex, to.subnetId, kind);
    if (path === null) continue;
    if (!isSent) directed.push(2 * from.at.linkIndex + (from.at.isFrom ? 0 : 1));
    isSent = true;
    const { steps, vlanSteps } = path;
    for (let n = 0; n < steps.length; n += 1) {
      if (touchedSteps.isNew(vlanSteps[n] as number)) directed.push(topology.directedOf(steps[n] as number, flow));
    }
    for (const s of path.switches) if (touchedSwitches.isNew(s)) switches.push(s);
    for (const at of path.routedAt) {
      const into = path.subnetIds[at] ?? to.subnetId;
      entries ??= new Map();
      if (!entries.has(into)) entries.set(into, path.switches[at] as number);
    }
    directed.push(2 * to.at.linkIndex + (to.at.isFrom ? 1 : 0));
  }
  const packetBits = wireBytesOf(stream.width, stream.format, settings.vlanTagged) * 8;
  const packetsPerSecond = stream.format.rateHz / samplesPerPacket(stream.format.rateHz, stream.format.packetTimeUs);
  if (isSent && kind === 'multicast' && from.at.switchIndex >= 0) {
    const towards = (subnetId: string, entry: number) => {
      for (const querier of frame.queriersBySubnet.get(subnetId) ?? []) {
        const path = topology.pathBetween(entry, subnetId, querier, subnetId, 'multicast');
        path?.steps.forEach((step, n) => {
          if (touchedSteps.isNew(path.vlanSteps[n] as number)) towardsQuerier.push(topology.directedOf(step, flow));
        });
      }
    };
    // Routers first, in the order in which the stream came to them, but for the subnet that it starts in.
    for (const [subnetId, entry] of entries ?? []) {
      towards(subnetId, subnetId === from.subnetId ? from.at.switchIndex : entry);
    }
    if (entries?.has(from.subnetId) !== true) towards(from.subnetId, from.at.switchIndex);
  }
  return { stream, leg, bitsPerSecond: packetBits * packetsPerSecond, packetBits, directed, towardsQuerier, switches };
}

/** Which of several joined cables a stream uses follows from its identity, as a switch's hash of addresses would. */
export function flowOf(streamId: string, leg: Leg): number {
  let hash = leg === 'A' ? 17 : 31;
  for (let i = 0; i < streamId.length; i += 1) hash = (Math.imul(hash, 31) + streamId.charCodeAt(i)) >>> 0;
  return hash;
}

/** Adds up what every link carries. */
export function sumLoads(topology: Topology, treesBySender: ReadonlyMap<string, readonly StreamTree[]>): Loads {
  const size = topology.links.length * 2;
  const mediaBitsPerSecond = new Float64Array(size);
  const querierBitsPerSecond = new Float64Array(size);
  const packetBits = new Float64Array(size);
  const groupsAtSwitch = new Int32Array(topology.network.bridges.length);
  const add = (array: Float64Array, at: number, value: number) => {
    array[at] = (array[at] as number) + value;
  };
  for (const trees of treesBySender.values()) {
    for (const tree of trees) {
      for (const d of tree.directed) {
        add(mediaBitsPerSecond, d, tree.bitsPerSecond);
        add(packetBits, d, tree.packetBits);
      }
      for (const d of tree.towardsQuerier) {
        add(querierBitsPerSecond, d, tree.bitsPerSecond);
        add(packetBits, d, tree.packetBits);
      }
      if (tree.stream.unicastTo === null) {
        for (const s of tree.switches) groupsAtSwitch[s] = (groupsAtSwitch[s] as number) + 1;
      }
    }
  }
  return { treesBySender, mediaBitsPerSecond, querierBitsPerSecond, packetBits, groupsAtSwitch };
}

/** Everything on one direction of a link, in bits per second. */
export function totalBitsPerSecond(loads: Loads, frame: LoadFrame, directed: number): number {
  const allowance = (frame.allowances[directed >> 1] as Allowance).bitsPerSecond;
  return (loads.mediaBitsPerSecond[directed] as number) + (loads.querierBitsPerSecond[directed] as number) + allowance;
}

/** Share of what is not set aside; 1 is full. A link of which all is set aside is full with anything on it. */
export function shareOf(bitsPerSecond: number, usableBitsPerSecond: number): number {
  return usableBitsPerSecond > 0 ? bitsPerSecond / usableBitsPerSecond : bitsPerSecond > 0 ? Infinity : 0;
}

/** The direction with the highest share of all that carry media; null where nothing is carried. */
export function busiestOf(loads: Loads, frame: LoadFrame): { directed: number; share: number } | null {
  let best: { directed: number; share: number } | null = null;
  for (let d = 0; d < loads.mediaBitsPerSecond.length; d += 1) {
    if ((loads.mediaBitsPerSecond[d] as number) + (loads.querierBitsPerSecond[d] as number) === 0) continue;
    const share = shareOf(totalBitsPerSecond(loads, frame, d), frame.usableBitsPerSecond[d >> 1] as number);
    if (best === null || share > best.share) best = { directed: d, share };
  }
  return best;
}

/** The end that sends in a direction, and the end that hears. */
export function endsOf(links: readonly Link[], directed: number) {
  const link = links[directed >> 1] as Link;
  return (directed & 1) === 0 ? { link, sends: link.from, hears: link.to } : { link, sends: link.to, hears: link.from };
}
