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
  /** Adds what it takes of links and switches. */
  addTo(sums: LoadSums): void;
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

/** A tree whose lists stand in one, one after the other: a plan keeps tens of thousands, and adding them up is all that most are asked for. */
class TreeInOneList implements StreamTree {
  constructor(
    readonly stream: Stream,
    readonly leg: Leg,
    readonly bitsPerSecond: number,
    readonly packetBits: number,
    readonly routers: readonly number[],
    /** Directed links towards receivers, towards the querier, flooded; then switches. */
    private readonly items: readonly number[],
    private readonly towardsQuerierFrom: number,
    private readonly floodedFrom: number,
    private readonly switchesFrom: number,
  ) {}

  get directed(): readonly number[] {
    return this.items.slice(0, this.towardsQuerierFrom);
  }

  get towardsQuerier(): readonly number[] {
    return this.items.slice(this.towardsQuerierFrom, this.floodedFrom);
  }

  get flooded(): readonly number[] {
    return this.items.slice(this.floodedFrom, this.switchesFrom);
  }

  get switches(): readonly number[] {
    return this.items.slice(this.switchesFrom);
  }

  addTo({
    mediaBitsPerSecond,
    querierBitsPerSecond,
    floodedBitsPerSecond,
    packetBits,
    groupsAtSwitch,
  }: LoadSums): void {
    const { items, towardsQuerierFrom, floodedFrom, switchesFrom } = this;
    for (let n = 0; n < switchesFrom; n += 1) {
      const d = items[n] as number;
      const sum =
        n < towardsQuerierFrom ? mediaBitsPerSecond : n < floodedFrom ? querierBitsPerSecond : floodedBitsPerSecond;
      sum[d] = (sum[d] as number) + this.bitsPerSecond;
      packetBits[d] = (packetBits[d] as number) + this.packetBits;
    }
    if (this.stream.unicastTo !== null) return;
    for (let n = switchesFrom; n < items.length; n += 1) {
      const s = items[n] as number;
      groupsAtSwitch[s] = (groupsAtSwitch[s] as number) + 1;
    }
  }
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
    const { receiverDeviceIds } = stream;
    const receivers = receiversOfStream;
    receivers.length = 0;
    for (let n = 0; n < receiverDeviceIds.length; n += 1) receivers.push(endsFor(receiverDeviceIds[n] as string));
    for (const leg of stream.legs) {
      const from = sender[leg];
      if (from !== null) trees.push(treeOf(stream, leg, from, receivers, topology, frame, settings));
    }
  }
  // Just as long as it has to be.
  return trees.slice();
}

/** Used again for each stream. */
const receiversOfStream: (Ends | null)[] = [];

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
const NONE: readonly number[] = [];
const NO_ENTRIES: ReadonlyMap<string, number> = new Map();
const touchedSteps = new Touched();
const touchedSwitches = new Touched();

/** A list while it is made: what it comes to is as long as it has to be, and its place is used again. */
class Gathered {
  private readonly items: number[] = [];
  private count = 0;

  begin(): void {
    this.count = 0;
  }

  add(item: number): void {
    this.items[this.count] = item;
    this.count += 1;
  }

  get length(): number {
    return this.count;
  }

  list(): readonly number[] {
    return this.items.slice(0, this.count);
  }

  /** Writes all of it into a list, from a place on. */
  copyTo(list: number[], from: number): void {
    for (let n = 0; n < this.count; n += 1) list[from + n] = this.items[n] as number;
  }
}
const directedSoFar = new Gathered();
const towardsSoFar = new Gathered();
const switchesSoFar = new Gathered();

function gatherSwitches(switches: readonly number[], count: number): void {
  for (let n = 0; n < count; n += 1) {
    const at = switches[n] as number;
    if (touchedSwitches.isNew(at)) switchesSoFar.add(at);
  }
}

/** Who hears of a receiver's reports: all on the way to the querier; without one, or where the plan has it elsewhere, all that pass it on. */
function gatherReported(frame: Delivery, path: Path, { stand, subnetId }: End): void {
  const reported = frame.wayToQuerier(stand, subnetId);
  // Before the last router it is the router that asks.
  const first = path.routedAt[path.routedAt.length - 1];
  gatherSwitches(path.switches, reported === null ? path.switches.length : first === undefined ? 0 : first + 1);
  if (reported !== null) gatherSwitches(reported.switches, reported.switches.length);
}

/** The way of a group from where it comes into a subnet to that one's querier, as far as it is not carried there anyway. */
function gatherTowards(topology: Topology, frame: Delivery, subnetId: string, stand: number, flow: number): void {
  const path = frame.wayToQuerier(stand, subnetId);
  if (path === null) return;
  for (let n = 0; n < path.steps.length; n += 1) {
    if (touchedSteps.isNew(path.vlanSteps[n] as number))
      towardsSoFar.add(topology.directedOf(path.steps[n] as number, flow));
  }
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
  touchedSteps.begin();
  touchedSwitches.begin();
  directedSoFar.begin();
  towardsSoFar.begin();
  switchesSoFar.begin();
  /** By subnet into which a router passed it: the switch where it comes in. */
  let entries: Map<string, number> | null = null;
  let routers: readonly number[] = NONE;
  let isSent = false;
  const { leaves } = from;
  for (let n = 0; n < receivers.length; n += 1) {
    const to = receivers[n]?.[leg] ?? null;
    if (to === null) continue;
    // Both ends on one cable.
    if (to.enters === leaves) {
      if (!isSent) directedSoFar.add(leaves);
      isSent = true;
      continue;
    }
    if (from.stand < 0 || to.stand < 0) continue;
    const path = topology.pathBetween(from.stand, to.stand, kind);
    if (path === null) continue;
    if (!isSent) directedSoFar.add(leaves);
    isSent = true;
    const { steps, vlanSteps } = path;
    for (let k = 0; k < steps.length; k += 1) {
      if (touchedSteps.isNew(vlanSteps[k] as number)) directedSoFar.add(topology.directedOf(steps[k] as number, flow));
    }
    gatherReported(frame, path, to);
    for (let k = 0; k < path.routedAt.length; k += 1) {
      const into = path.routedInto[k] as string;
      entries ??= new Map();
      const router = path.switches[path.routedAt[k] as number] as number;
      if (!routers.includes(router)) routers = [...routers, router];
      if (!entries.has(into)) entries.set(into, router);
    }
    directedSoFar.add(to.enters);
  }
  const packetBits = wireBytesOf(stream.width, stream.format, settings.vlanTagged) * 8;
  const packetsPerSecond = stream.format.rateHz / samplesPerPacket(stream.format.rateHz, stream.format.packetTimeUs);
  if (isSent && kind === 'multicast' && from.stand >= 0) {
    // Routers first, in the order in which the stream came to them, but for the subnet that it starts in.
    for (const [subnetId, entry] of entries ?? NO_ENTRIES) {
      const stand = subnetId === from.subnetId ? from.stand : topology.standOf(entry, subnetId);
      gatherTowards(topology, frame, subnetId, stand, flow);
    }
    if (entries?.has(from.subnetId) !== true) gatherTowards(topology, frame, from.subnetId, from.stand, flow);
  }
  const flooded =
    frame.floods !== null && isSent && kind === 'multicast' && from.stand >= 0
      ? floodedBy(frame.floods, from, entries, directedSoFar.list(), towardsSoFar.list(), topology, flow)
      : NONE;
  const towardsFrom = directedSoFar.length;
  const floodedFrom = towardsFrom + towardsSoFar.length;
  const switchesFrom = floodedFrom + flooded.length;
  const items = new Array<number>(switchesFrom + switchesSoFar.length);
  directedSoFar.copyTo(items, 0);
  towardsSoFar.copyTo(items, towardsFrom);
  for (let n = 0; n < flooded.length; n += 1) items[floodedFrom + n] = flooded[n] as number;
  switchesSoFar.copyTo(items, switchesFrom);
  const bitsPerSecond = packetBits * packetsPerSecond;
  return new TreeInOneList(
    stream,
    leg,
    bitsPerSecond,
    packetBits,
    routers,
    items,
    towardsFrom,
    floodedFrom,
    switchesFrom,
  );
}

/** The directed links that carry a group because a switch before them does not snoop. */
function floodedBy(
  floods: Floods,
  from: End,
  entries: ReadonlyMap<string, number> | null,
  directed: readonly number[],
  towardsQuerier: readonly number[],
  topology: Topology,
  flow: number,
): readonly number[] {
  const directedOf = (step: number) => topology.directedOf(step, flow);
  const flooded: number[] = [];
  const already = new Set([...directed, ...towardsQuerier]);
  const comesFrom = from.enters;
  const starts: [string, number][] = [[from.subnetId, from.at.switchIndex], ...(entries ?? [])];
  const put = (d: number) => {
    // A cable that the stream has left by, or comes from, is none to flood.
    if (already.has(d) || d === comesFrom) return;
    already.add(d);
    flooded.push(d);
  };
  for (const [subnetId, entry] of starts) {
    flood(floods, entry, subnetId, (step) => already.has(directedOf(step)), put, directedOf);
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
