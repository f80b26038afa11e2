import { changedKeys } from '../plan/changed-keys';
import type { InSteps } from '../plan/in-steps';
import type { PlanOf } from '../plan/plan';
import { areAlike, type DeviceFlow } from './device-flow';
import { insideOf, markEnds } from './device-inside';
import { listNumberOf } from './device-part';
import { deviceIndexAt, type SignalGraph } from './graph';
import { roundOf, walkBack } from './loops';
import { Flowing, sendersOf } from './settle-flow';

export interface SignalFlow {
  readonly byDevice: ReadonlyMap<string, DeviceFlow>;
  /** Channels that receive themselves: of each group one round, in the order in which sound runs. */
  readonly loops: readonly (readonly number[])[];
  /** All channels that receive themselves, group by group. */
  readonly groups: readonly (readonly number[])[];
}

/**
 * Sources are what is plugged in, what programs of a computer play, and channels that a device of unknown insides sends. Sinks are
 * likewise. After an edit only the devices that it touched are worked out, and from there on whatever changes; with a loop in the plan, all is.
 */
export function* signalFlowInSteps(
  now: { readonly signal: SignalGraph } & PlanOf<'pluggedIn'>,
  before?: { readonly now: { readonly signal: SignalGraph } & PlanOf<'pluggedIn'>; readonly made: SignalFlow },
): InSteps<SignalFlow> {
  const { signal: graph, pluggedIn } = now;
  const was = before?.now;
  const isSameGround = was !== undefined && was.signal.firstNode === graph.firstNode;
  const touched = isSameGround ? touchedDevices(graph, was.signal, pluggedIn, was.pluggedIn) : null;
  const known = before?.made;
  if (touched !== null && known !== undefined && touched.size === 0) return known;
  if (touched !== null && known !== undefined && known.groups.length === 0) {
    const { groups } = walkBack(graph, nodesOf(graph, touched));
    // A loop could go on feeding itself when nothing else does any more.
    if (groups.length === 0) {
      const flow = new Flowing(graph, pluggedIn, known.byDevice);
      flow.settle(touched);
      return { byDevice: keepSame(flow.byDevice, known.byDevice), groups, loops: groups };
    }
  }
  const { groups, byDevice } = yield* wholeFlow(graph, pluggedIn);
  return { byDevice: keepSame(byDevice, known?.byDevice), groups, loops: groups.map((group) => roundOf(graph, group)) };
}

function isAnyFed(list: readonly number[], base: number, isFed: Uint8Array): boolean {
  for (let m = 0; m < list.length; m += 1) if (isFed[base + (list[m] as number)] === 1) return true;
  return false;
}

/** All devices at once: forwards in the order of the walk, and backwards against it. */
function* wholeFlow(graph: SignalGraph, pluggedIn: PlanOf<'pluggedIn'>['pluggedIn']) {
  const { size, feeders, lists, listBase, sameList } = graph;
  const { groups, order } = walkBack(graph, 'all');
  yield;
  const isFed = new Uint8Array(size);
  const isHeard = new Uint8Array(size);
  const roots = new Int32Array(size);
  const isOwnRoot = new Uint8Array(size);
  for (const [id, part] of graph.parts) {
    const first = graph.firstNode.get(id) as number;
    markEnds(part, pluggedIn.get(id), first, { sources: isFed, sinks: isHeard });
    const { effects, isAnyEffect } = insideOf(part);
    if (isAnyEffect) isOwnRoot.set(effects, first);
  }
  for (const group of groups) for (const node of group) isOwnRoot[node] = 1;
  // What nothing feeds is its own root.
  for (let node = 0; node < size; node += 1) roots[node] = node;
  /** Lists of which any channel is fed, which stays so: the other buses of a matrix need not look again. */
  const fedLists = new Uint8Array(lists.length);
  // What is in a loop is fed and heard as soon as any of its group is: twice round is enough.
  for (let round = groups.length === 0 ? 1 : 0; round < 2; round += 1) {
    for (let k = 0; k < order.length; k += 1) {
      const node = order[k] as number;
      const feeder = feeders[node] as number;
      roots[node] = node;
      if (feeder >= 0) {
        if (isFed[feeder] === 1) isFed[node] = 1;
        if (isOwnRoot[node] === 0) roots[node] = roots[feeder] as number;
      } else if (isFed[node] === 0) {
        const number = listNumberOf(feeder);
        const same = sameList[number] as number;
        if (fedLists[same] === 0 && isAnyFed(lists[number] as readonly number[], listBase[number] as number, isFed))
          fedLists[same] = 1;
        if (fedLists[same] === 1) isFed[node] = 1;
      }
    }
    for (const group of groups) if (group.some((node) => isFed[node] === 1)) for (const node of group) isFed[node] = 1;
  }
  yield;
  const heard = new Uint8Array(lists.length);
  for (let round = groups.length === 0 ? 1 : 0; round < 2; round += 1) {
    for (let k = order.length - 1; k >= 0; k -= 1) {
      const node = order[k] as number;
      if (isHeard[node] === 0) continue;
      const feeder = feeders[node] as number;
      if (feeder >= 0) isHeard[feeder] = 1;
      else {
        const number = listNumberOf(feeder);
        const same = sameList[number] as number;
        if (heard[same] === 1) continue;
        heard[same] = 1;
        const list = lists[number] as readonly number[];
        const base = listBase[number] as number;
        for (let m = 0; m < list.length; m += 1) isHeard[base + (list[m] as number)] = 1;
      }
    }
    for (const group of groups)
      if (group.some((node) => isHeard[node] === 1)) for (const node of group) isHeard[node] = 1;
  }
  const all: DeviceFlow = { isFed, isHeard, roots };
  const byDevice = new Map<string, DeviceFlow>();
  for (const [id, part] of graph.parts) {
    const first = graph.firstNode.get(id) as number;
    byDevice.set(id, new FlowWithin(all, first, first + part.size));
  }
  return { groups, byDevice };
}

/**
 * The flow of one device out of the lists of all. A list of its own for each device costs more than all the rest, and even views are made only when
 * asked for: few rules look at more than a few devices.
 */
class FlowWithin implements DeviceFlow {
  private fed: Uint8Array | null = null;
  private heard: Uint8Array | null = null;
  private from: Int32Array | null = null;

  constructor(
    private readonly all: DeviceFlow,
    private readonly first: number,
    private readonly end: number,
  ) {}

  get isFed(): Uint8Array {
    return (this.fed ??= this.all.isFed.subarray(this.first, this.end));
  }

  get isHeard(): Uint8Array {
    return (this.heard ??= this.all.isHeard.subarray(this.first, this.end));
  }

  get roots(): Int32Array {
    return (this.from ??= this.all.roots.subarray(this.first, this.end));
  }
}

/** Where a loop can have come: the channels of touched devices. */
function nodesOf(graph: SignalGraph, touched: ReadonlySet<string>): Int32Array {
  const nodes: number[] = [];
  for (const id of touched) {
    const first = graph.firstNode.get(id) ?? 0;
    for (let n = 0; n < (graph.parts.get(id)?.size ?? 0); n += 1) nodes.push(first + n);
  }
  return Int32Array.from(nodes);
}

function touchedDevices(
  graph: SignalGraph,
  was: SignalGraph,
  pluggedIn: PlanOf<'pluggedIn'>['pluggedIn'],
  plugged: PlanOf<'pluggedIn'>['pluggedIn'],
): Set<string> {
  const touched = new Set(fedOtherwise(graph, was));
  for (const id of changedKeys(graph.parts, was.parts)) touched.add(id);
  for (const id of changedKeys(pluggedIn, plugged)) if (graph.parts.has(id)) touched.add(id);
  // Whoever was fed from a device before may be heard no more.
  for (const id of [...touched]) {
    for (const sender of sendersOf(was, id)) touched.add(sender);
    for (const sender of sendersOf(graph, id)) touched.add(sender);
  }
  return touched;
}

/** The devices of which any channel is fed by another than before. */
function fedOtherwise(graph: SignalGraph, was: SignalGraph): ReadonlySet<string> {
  const found = new Set<string>();
  const now = graph.feeders;
  const before = was.feeders;
  const { size, deviceIds, firstNodes } = graph;
  for (let n = 0; now !== before && n < size; n += 1) {
    if (now[n] === before[n]) continue;
    const index = deviceIndexAt(graph, n);
    found.add(deviceIds[index] as string);
    n = (firstNodes[index + 1] ?? size) - 1;
  }
  return found;
}

/**
 * What came out the same stays the same object. Then the others get lists of their own: as views they would hold on to a list for all devices, one for
 * each edit in a plan with a loop.
 */
function keepSame(
  now: ReadonlyMap<string, DeviceFlow>,
  before: SignalFlow['byDevice'] | undefined,
): SignalFlow['byDevice'] {
  if (before === undefined) return now;
  const isSame = (flow: DeviceFlow, was: DeviceFlow | undefined) =>
    was !== undefined &&
    (was === flow ||
      (areAlike(was.isFed, flow.isFed) && areAlike(was.isHeard, flow.isHeard) && areAlike(was.roots, flow.roots)));
  const same = new Set<string>();
  for (const [id, flow] of now) if (isSame(flow, before.get(id))) same.add(id);
  if (same.size === 0) return now;
  const kept = new Map<string, DeviceFlow>();
  for (const [id, flow] of now) kept.set(id, same.has(id) ? (before.get(id) as DeviceFlow) : withOwnLists(flow));
  return kept;
}

function withOwnLists(flow: DeviceFlow): DeviceFlow {
  if (!(flow instanceof FlowWithin)) return flow;
  const { isFed, isHeard, roots } = flow;
  return { isFed: isFed.slice(), isHeard: isHeard.slice(), roots: roots.slice() };
}
