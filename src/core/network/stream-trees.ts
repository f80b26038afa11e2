import type { Leg } from '../models/models-table';
import type { PlanSettings } from '../plan/settings-table';
import { samplesPerPacket } from '../streams/format';
import type { Stream } from '../streams/stream';
import { wireBytesOf } from '../streams/wire';
import type { Delivery, Floods } from './delivery';
import type { Path } from './paths';
import type { End, Topology } from './topology';

/** Where the packets of one leg of a stream go. */
export interface StreamTree {
  readonly stream: Stream;
  readonly leg: Leg;
  readonly bitsPerSecond: number;
  /** One packet with preamble and gap. */
  readonly packetBits: number;
  /** Directed links towards receivers. A link is listed twice where the stream runs on it in two VLANs. */
  readonly directed: readonly number[];
  /**
   * Directed links that carry it only because a snooping switch passes every group on to where the querier is
   * (RFC 4541 clause 2.1.2).
   */
  readonly towardsQuerier: readonly number[];
  /** Directed links that carry it only because a switch before them does not snoop, and passes every group on to all ports of the VLAN. */
  readonly flooded: readonly number[];
  /** Switches that need an entry for its group: those that receive its receivers' reports, on their way to the querier (RFC 4541 clause 2.1.1). */
  readonly switches: readonly number[];
  /** The routers that pass it on into another subnet, by switch index. */
  readonly routers: readonly number[];
}

/** What every link, each way, and every switch carries. */
export interface LoadSums {
  /** Media towards receivers. */
  readonly mediaBitsPerSecond: Float64Array;
  /** Media that only the querier asks for. */
  readonly querierBitsPerSecond: Float64Array;
  /** Media that nobody asked for, from switches that do not snoop. */
  readonly floodedBitsPerSecond: Float64Array;
  /** One packet of every stream that runs there: what a packet may have to wait for in its own class. */
  readonly packetBits: Float64Array;
  /** Entries wanted in each switch's group table, by switch index. */
  readonly groupsAtSwitch: Int32Array;
}

/** Where a device is plugged in, by leg; null: nothing is known of it. */
export type Ends = Readonly<Record<Leg, End | null>>;
export type EndsFor = (deviceId: string) => Ends | null;

/** The trees of all streams of one sender. Legs whose cables are not drawn have none. */
export function treesOf(
  streams: readonly Stream[],
  endsFor: EndsFor,
  topology: Topology,
  frame: Delivery,
  settings: PlanSettings,
): StreamTree[] {
  const trees: StreamTree[] = [];
  for (const stream of streams) {
    const sender = endsFor(stream.senderDeviceId);
    if (sender === null) continue;
    const receivers = stream.receiverDeviceIds.map(endsFor);
    for (const leg of stream.legs) {
      const from = sender[leg];
      if (from !== null) trees.push(treeOf(stream, leg, from, receivers, topology, frame, settings));
    }
  }
  return trees;
}

/** Which links a tree has taken already: numbers are the tree's turn, so that nothing has to be cleared. A Set for each tree costs 7 % of reckoning 100,000 lanes. */
class Taken {
  private turn = 0;
  private marks = new Int32Array(256);

  begin(): void {
    this.turn += 1;
  }

  /** Whether it was not taken yet; it is now. */
  take(n: number): boolean {
    if (n >= this.marks.length) {
      const wider = new Int32Array(2 * n);
      wider.set(this.marks);
      this.marks = wider;
    }
    if (this.marks[n] === this.turn) return false;
    this.marks[n] = this.turn;
    return true;
  }
}
const taken = new Taken();
const NONE: readonly number[] = [];
const kept = (list: readonly number[]) => (list.length === 0 ? NONE : list.slice());

/** Where a stream comes into a subnet: by which switch. */
interface Entry {
  readonly subnetId: string;
  readonly at: number;
}

/** Notes where a stream comes into a subnet, the first time that it does. Nearly all streams stay in one: a Map for each tree would cost more. */
function enter(entries: Entry[], subnetId: string, at: number): void {
  if (!entries.some((e) => e.subnetId === subnetId)) entries.push({ subnetId, at });
}

function treeOf(
  stream: Stream,
  leg: Leg,
  from: End,
  receivers: readonly (Ends | null)[],
  topology: Topology,
  frame: Delivery,
  settings: PlanSettings,
): StreamTree {
  const kind = stream.unicastTo === null ? 'multicast' : 'unicast';
  const flow = topology.isAnyJoined ? flowOf(stream.id, leg) : 0;
  const directed: number[] = [];
  const towardsQuerier: number[] = [];
  const switches: number[] = [];
  const routers: number[] = [];
  /** The subnets into which a router passed it, and the switch where it comes in. */
  const entries: Entry[] = [];
  taken.begin();
  const take = ({ steps, vlanSteps }: Path, list: number[]) => {
    for (let k = 0; k < steps.length; k += 1) {
      if (taken.take(vlanSteps[k] as number)) list.push(topology.directedOf(steps[k] as number, flow));
    }
  };
  for (const ends of receivers) {
    const to = ends?.[leg] ?? null;
    if (to === null) continue;
    const isOnOneCable = to.enters === from.leaves;
    const path =
      isOnOneCable || from.stand < 0 || to.stand < 0 ? null : topology.pathBetween(from.stand, to.stand, kind);
    if (path === null && !isOnOneCable) continue;
    if (directed.length === 0) directed.push(from.leaves);
    if (path === null) continue;
    take(path, directed);
    for (const at of reportedAt(frame, path, to)) if (!switches.includes(at)) switches.push(at);
    for (let k = 0; k < path.routedAt.length; k += 1) {
      const router = path.switches[path.routedAt[k] as number] as number;
      if (!routers.includes(router)) routers.push(router);
      enter(entries, path.routedInto[k] as string, router);
    }
    directed.push(to.enters);
  }
  let flooded = NONE;
  if (directed.length > 0 && kind === 'multicast' && from.stand >= 0) {
    // In each subnet from where the stream comes into it to the querier, as far as it is not carried there anyway.
    enter(entries, from.subnetId, from.at.switchIndex);
    for (const { subnetId, at } of entries) {
      const stand = subnetId === from.subnetId ? from.stand : topology.standOf(at, subnetId);
      const path = frame.wayToQuerier(stand, subnetId);
      if (path !== null) take(path, towardsQuerier);
    }
    if (frame.floods !== null)
      flooded = floodedBy(frame.floods, from, entries, directed, towardsQuerier, topology, flow);
  }
  const packetBits = wireBytesOf(stream.width, stream.format, settings.vlanTagged) * 8;
  const packetsPerSecond = stream.format.rateHz / samplesPerPacket(stream.format.rateHz, stream.format.packetTimeUs);
  return {
    stream,
    leg,
    bitsPerSecond: packetBits * packetsPerSecond,
    packetBits,
    // Copies are as long as they have to be: lists that grew keep room for more, in every tree.
    directed: kept(directed),
    towardsQuerier: kept(towardsQuerier),
    flooded,
    switches: kept(switches),
    routers: kept(routers),
  };
}

/** Which switches receive a receiver's reports: all on the way to the querier; without one, or where the plan has it elsewhere, all that pass it on. */
function reportedAt(frame: Delivery, path: Path, { stand, subnetId }: End): readonly number[] {
  const reported = frame.wayToQuerier(stand, subnetId);
  if (reported === null) return path.switches;
  // Before the last router it is the router that asks.
  const first = path.routedAt[path.routedAt.length - 1];
  return first === undefined ? reported.switches : [...path.switches.slice(0, first + 1), ...reported.switches];
}

/** The directed links that carry a group because a switch before them does not snoop. */
function floodedBy(
  floods: Floods,
  from: End,
  entries: readonly Entry[],
  directed: readonly number[],
  towardsQuerier: readonly number[],
  topology: Topology,
  flow: number,
): readonly number[] {
  const directedOf = (step: number) => topology.directedOf(step, flow);
  const flooded: number[] = [];
  const already = new Set([...directed, ...towardsQuerier]);
  const comesFrom = from.enters;
  const put = (d: number) => {
    // A cable that the stream has left by, or comes from, is none to flood.
    if (already.has(d) || d === comesFrom) return;
    already.add(d);
    flooded.push(d);
  };
  for (const { subnetId, at } of [{ subnetId: from.subnetId, at: from.at.switchIndex }, ...entries]) {
    flood(floods, at, subnetId, (step) => already.has(directedOf(step)), put, directedOf);
  }
  return flooded;
}

/**
 * Follows a group through the VLAN from where it comes in: snooping switches pass it on where it is carried anyway, the others to all of the VLAN.
 */
function flood(
  floods: Floods,
  entry: number,
  subnetId: string,
  isCarried: (step: number) => boolean,
  put: (directed: number) => void,
  directedOf: (step: number) => number,
): void {
  const seen = new Set([entry]);
  const open = [entry];
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    const isFlooding = floods.isFlooding[at] === true;
    for (const { to, step } of floods.neighboursOf(at, subnetId)) {
      if (seen.has(to) || !(isFlooding || isCarried(step))) continue;
      seen.add(to);
      put(directedOf(step));
      open.push(to);
    }
    if (isFlooding) for (const d of floods.toDevices.get(`${at} ${subnetId}`) ?? []) put(d);
  }
}

/** Which of several joined cables a stream uses follows from its identity, as a switch's hash of addresses would. */
export function flowOf(streamId: string, leg: Leg): number {
  let hash = leg === 'A' ? 17 : 31;
  for (let i = 0; i < streamId.length; i += 1) hash = (Math.imul(hash, 31) + streamId.charCodeAt(i)) >>> 0;
  return hash;
}
