import type { PlanOf } from '../plan/plan';
import { isSource, type PluggedIn } from './plugged-in-table';
import { listNumberOf, NOBODY, nodeIn, type DevicePart } from './device-part';
import { deviceIndexAt, type SignalGraph } from './graph';
import { roundOf, walkBack } from './loops';
import { isInsideKnown } from './terminals';

/** What follows from the graph as a whole for the channels of one device, by its nodes. The same object while nothing of it changes. */
export interface DeviceFlow {
  /** Whether any source can be heard there. */
  readonly isFed: Uint8Array;
  /** Whether any sink hears it. */
  readonly isHeard: Uint8Array;
  /** The node of the plan that it comes from, back through all that only pass it on: a source, a bus, an effect, or what nothing feeds. */
  readonly roots: Int32Array;
}

export interface SignalFlow {
  readonly byDevice: ReadonlyMap<string, DeviceFlow>;
  /** Channels that hear themselves: of each group one round, in the order in which sound runs. */
  readonly loops: readonly (readonly number[])[];
  /** All channels that hear themselves, group by group. */
  readonly groups: readonly (readonly number[])[];
}

/** What of a device's channels never changes while its part and what is plugged in stay. */
interface Ends {
  readonly sources: Uint8Array;
  readonly sinks: Uint8Array;
}

type Plugged = ReadonlyMap<string, PluggedIn> | undefined;

/**
 * Sources are what is plugged in, what programs of a computer play, and channels that a device of unknown insides sends. Sinks are
 * likewise. After an edit only the devices that it touched are worked out, and from there on whatever changes; with a loop in the plan, all is.
 */
export function signalFlowOf(
  now: { readonly signal: SignalGraph } & PlanOf<'pluggedIn'>,
  before?: { readonly now: { readonly signal: SignalGraph } & PlanOf<'pluggedIn'>; readonly made: SignalFlow },
): SignalFlow {
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
  const { groups, byDevice } = wholeFlow(graph, pluggedIn);
  return { byDevice: keepSame(byDevice, known?.byDevice), groups, loops: groups.map((group) => roundOf(graph, group)) };
}

/** All devices at once: forwards in the order of the walk, and backwards against it. */
function wholeFlow(graph: SignalGraph, pluggedIn: PlanOf<'pluggedIn'>['pluggedIn']) {
  const { size, feeders, lists } = graph;
  const { groups, order } = walkBack(graph, allNodes(size));
  const isFed = new Uint8Array(size);
  const isHeard = new Uint8Array(size);
  const roots = new Int32Array(size);
  const isOwnRoot = new Uint8Array(size);
  for (const [id, part] of graph.parts) {
    const first = graph.firstNode.get(id) as number;
    const { sources, sinks } = endsOf(part, pluggedIn.get(id));
    isFed.set(sources, first);
    isHeard.set(sinks, first);
    isOwnRoot.set(insideOf(part).effects, first);
  }
  for (const group of groups) for (const node of group) isOwnRoot[node] = 1;
  // What is in a loop is fed and heard as soon as any of its group is: twice round is enough.
  for (let round = groups.length === 0 ? 1 : 0; round < 2; round += 1) {
    for (let k = 0; k < size; k += 1) {
      const node = order[k] as number;
      const feeder = feeders[node] as number;
      roots[node] = node;
      if (feeder >= 0) {
        if (isFed[feeder] === 1) isFed[node] = 1;
        if (isOwnRoot[node] === 0) roots[node] = roots[feeder] as number;
      } else if (feeder !== NOBODY && isFed[node] === 0) {
        const list = lists[listNumberOf(feeder)] as Int32Array;
        for (let m = 0; m < list.length && isFed[node] === 0; m += 1) isFed[node] = isFed[list[m] as number] as number;
      }
    }
    for (const group of groups) if (group.some((node) => isFed[node] === 1)) for (const node of group) isFed[node] = 1;
  }
  const heard = new Set<Int32Array>();
  for (let round = groups.length === 0 ? 1 : 0; round < 2; round += 1) {
    for (let k = size - 1; k >= 0; k -= 1) {
      const node = order[k] as number;
      if (isHeard[node] === 0) continue;
      const feeder = feeders[node] as number;
      if (feeder >= 0) isHeard[feeder] = 1;
      else if (feeder !== NOBODY) {
        const list = lists[listNumberOf(feeder)] as Int32Array;
        if (heard.has(list)) continue;
        heard.add(list);
        for (let m = 0; m < list.length; m += 1) isHeard[list[m] as number] = 1;
      }
    }
    for (const group of groups)
      if (group.some((node) => isHeard[node] === 1)) for (const node of group) isHeard[node] = 1;
  }
  const byDevice = new Map<string, DeviceFlow>();
  for (const [id, part] of graph.parts) {
    const first = graph.firstNode.get(id) as number;
    const own = <T extends Uint8Array | Int32Array>(all: T) => all.slice(first, first + part.size) as T;
    byDevice.set(id, { isFed: own(isFed), isHeard: own(isHeard), roots: own(roots) });
  }
  return { groups, byDevice };
}

function allNodes(size: number): Int32Array {
  const nodes = new Int32Array(size);
  for (let n = 0; n < size; n += 1) nodes[n] = n;
  return nodes;
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
  const touched = new Set<string>();
  for (const [id, part] of graph.parts) {
    if (was.parts.get(id) !== part || pluggedIn.get(id) !== plugged.get(id)) touched.add(id);
    else if (graph.feeders !== was.feeders && !areFedAlike(graph, was, id, part.size)) touched.add(id);
  }
  // Whoever was fed from a device before may be heard no more.
  for (const id of [...touched]) {
    for (const sender of sendersOf(was, id)) touched.add(sender);
    for (const sender of sendersOf(graph, id)) touched.add(sender);
  }
  return touched;
}

function areFedAlike(graph: SignalGraph, was: SignalGraph, id: string, size: number): boolean {
  const first = graph.firstNode.get(id) as number;
  for (let n = first; n < first + size; n += 1) if (graph.feeders[n] !== was.feeders[n]) return false;
  return true;
}

/** The devices that feed a device from outside. */
function sendersOf(graph: SignalGraph, id: string): Set<string> {
  const part = graph.parts.get(id);
  const first = graph.firstNode.get(id);
  const senders = new Set<string>();
  if (part === undefined || first === undefined) return senders;
  let last = NOBODY;
  for (const node of insOf(part)) {
    const from = graph.feeders[first + node] as number;
    if (from < 0) continue;
    if (
      last !== NOBODY &&
      from >= (graph.firstNodes[last] as number) &&
      from < (graph.firstNodes[last + 1] ?? graph.size)
    )
      continue;
    const index = deviceIndexAt(graph, from);
    if (index !== last) senders.add(graph.deviceIds[index] as string);
    last = index;
  }
  return senders;
}

const insByPart = new WeakMap<DevicePart, Int32Array>();

/** The nodes at which sound comes into a device. */
function insOf(part: DevicePart): Int32Array {
  let ins = insByPart.get(part);
  if (ins === undefined) {
    const nodes: number[] = [];
    for (const [n, t] of part.terminals.entries()) {
      const first = part.firstNode[n] as number;
      if (t.direction === 'in') for (let c = 0; c < t.channels; c += 1) nodes.push(first + c);
    }
    insByPart.set(part, (ins = Int32Array.from(nodes)));
  }
  return ins;
}

interface Inside {
  /** Nodes in an order in which each comes after those that feed it, as far as there is one. */
  readonly order: Int32Array;
  readonly isRing: boolean;
  readonly effects: Uint8Array;
  /** What is a source or a sink whatever is plugged in. */
  readonly ends: Ends;
}

const insideByPart = new WeakMap<DevicePart, Inside>();

function insideOf(part: DevicePart): Inside {
  const known = insideByPart.get(part);
  if (known !== undefined) return known;
  const { size, terminals, firstNode } = part;
  const order = new Int32Array(size);
  const state = new Uint8Array(size);
  let count = 0;
  let isRing = false;
  const path: number[] = [];
  const followed: number[] = [];
  for (let start = 0; start < size; start += 1) {
    if (state[start] !== 0) continue;
    path.push(start);
    followed.push(0);
    state[start] = 1;
    while (path.length > 0) {
      const node = path[path.length - 1] as number;
      const k = followed[followed.length - 1] as number;
      const from = feederIn(part, node, k);
      if (from === NOBODY) {
        order[count] = node;
        count += 1;
        state[node] = 2;
        path.pop();
        followed.pop();
        continue;
      }
      followed[followed.length - 1] = k + 1;
      if (state[from] === 1) isRing = true;
      if (state[from] !== 0) continue;
      state[from] = 1;
      path.push(from);
      followed.push(0);
    }
  }
  const effects = new Uint8Array(size);
  const sources = new Uint8Array(size);
  const sinks = new Uint8Array(size);
  const isKnown = isInsideKnown(part.model);
  for (const [n, t] of terminals.entries()) {
    const first = firstNode[n] as number;
    const end = first + t.channels;
    if (t.isEffect) effects.fill(1, first, end);
    if (t.kind === 'computer') {
      if (t.direction === 'in') sources.fill(1, first, end);
      if (t.direction === 'out') sinks.fill(1, first, end);
    }
    // Of a unit of which nothing is known but that it passes, only what is not passed is a source.
    else if (!isKnown && t.direction === 'out') sources.fill(1, first + t.normalledChannels, end);
    else if (!isKnown && t.direction === 'in') sinks.fill(1, first, end);
  }
  const inside = { order, isRing, effects, ends: { sources, sinks } };
  insideByPart.set(part, inside);
  return inside;
}

/** The k-th feeder of a node within its device; NOBODY: it has no more. */
function feederIn({ feeders, lists }: DevicePart, node: number, k: number): number {
  const from = feeders[node] as number;
  if (from >= 0) return k === 0 ? from : NOBODY;
  return from === NOBODY ? NOBODY : (lists[listNumberOf(from)]?.[k] ?? NOBODY);
}

function endsOf(part: DevicePart, plugged: Plugged): Ends {
  const fixed = insideOf(part).ends;
  if (plugged === undefined || plugged.size === 0) return fixed;
  const ends = { sources: fixed.sources.slice(), sinks: fixed.sinks.slice() };
  for (const { kind, terminalId, channel } of plugged.values()) {
    const node = nodeIn(part, terminalId, channel);
    if (node !== NOBODY) (isSource(kind) ? ends.sources : ends.sinks)[node] = 1;
  }
  return ends;
}

/** Devices worked out one by one, from what is known of the others. There is no loop among them. */
class Flowing {
  readonly byDevice: Map<string, DeviceFlow>;

  constructor(
    private readonly graph: SignalGraph,
    private readonly pluggedIn: PlanOf<'pluggedIn'>['pluggedIn'],
    known: SignalFlow['byDevice'],
  ) {
    this.byDevice = new Map(known);
  }

  settle(deviceIds: Iterable<string>): void {
    const ids = [...deviceIds];
    this.run(ids, (id) => (this.feed(id) ? [...this.hearersOf(id)] : []));
    this.run(ids, (id) => (this.hear(id) ? [...sendersOf(this.graph, id)] : []));
  }

  /** Each device, and again whoever a change of it concerns. */
  private run(ids: readonly string[], work: (id: string) => readonly string[]): void {
    const left = [...ids];
    const isWaiting = new Set(left);
    for (let at = 0; at < left.length; at += 1) {
      const id = left[at] as string;
      isWaiting.delete(id);
      for (const next of work(id)) {
        if (isWaiting.has(next)) continue;
        isWaiting.add(next);
        left.push(next);
      }
    }
  }

  private *hearersOf(id: string): Iterable<string> {
    yield* this.graph.hearersByLane.get(id) ?? [];
    yield* this.graph.hearersByCable.get(id) ?? [];
  }

  /** What is fed in a device, and from where, by what feeds it now. Returns whether anything changed. */
  private feed(id: string): boolean {
    const { graph, byDevice } = this;
    const part = graph.parts.get(id);
    if (part === undefined) return false;
    const first = graph.firstNode.get(id) as number;
    const { order, isRing, effects } = insideOf(part);
    const { sources } = endsOf(part, this.pluggedIn.get(id));
    const was = byDevice.get(id);
    const isFed = sources.slice();
    const roots = new Int32Array(part.size);
    let lastIndex = NOBODY;
    let from: DeviceFlow | undefined;
    let fromFirst = 0;
    // With a ring inside, or a lane to itself, once is not enough.
    let isOnce = !isRing;
    for (let isMoving = true; isMoving;) {
      isMoving = false;
      for (let k = 0; k < order.length; k += 1) {
        const node = order[k] as number;
        const feeder = graph.feeders[first + node] as number;
        let root = first + node;
        let fed = isFed[node] as number;
        if (feeder >= 0) {
          const inner = feeder - first;
          if (inner >= 0 && inner < part.size) {
            fed |= isFed[inner] as number;
            root = roots[inner] as number;
            if (part.feeders[node] !== inner) isOnce = false;
          } else {
            const isLast =
              lastIndex !== NOBODY && feeder >= fromFirst && feeder < fromFirst + (from?.roots.length ?? 0);
            const index = isLast ? lastIndex : deviceIndexAt(graph, feeder);
            if (index !== lastIndex) {
              const senderId = graph.deviceIds[index] as string;
              from = byDevice.get(senderId);
              fromFirst = graph.firstNode.get(senderId) as number;
              lastIndex = index;
            }
            fed |= from?.isFed[feeder - fromFirst] ?? 0;
            root = from?.roots[feeder - fromFirst] ?? feeder;
          }
          if (effects[node] === 1) root = first + node;
        } else if (feeder !== NOBODY) {
          const list = part.lists[listNumberOf(part.feeders[node] as number)] as Int32Array;
          for (let m = 0; m < list.length && fed === 0; m += 1) fed = isFed[list[m] as number] as number;
        }
        if (fed !== isFed[node] || root !== roots[node]) isMoving = true;
        isFed[node] = fed;
        roots[node] = root;
      }
      if (isOnce) break;
    }
    const isSame = was !== undefined && areSame(was.isFed, isFed) && areSame(was.roots, roots);
    if (!isSame) byDevice.set(id, { isFed, roots, isHeard: was?.isHeard ?? new Uint8Array(part.size) });
    return !isSame;
  }

  /** What is heard of a device, by who hears it now. Returns whether anything changed. */
  private hear(id: string): boolean {
    const { graph, byDevice } = this;
    const part = graph.parts.get(id);
    if (part === undefined) return false;
    const first = graph.firstNode.get(id) as number;
    const { order, isRing } = insideOf(part);
    const isHeard = endsOf(part, this.pluggedIn.get(id)).sinks.slice();
    for (const hearerId of new Set(this.hearersOf(id))) {
      const hearer = graph.parts.get(hearerId);
      const heard = byDevice.get(hearerId)?.isHeard;
      if (hearer === undefined || heard === undefined) continue;
      const base = graph.firstNode.get(hearerId) as number;
      const ins = insOf(hearer);
      for (let k = 0; k < ins.length; k += 1) {
        const node = ins[k] as number;
        const from = (graph.feeders[base + node] as number) - first;
        if (heard[node] === 1 && from >= 0 && from < part.size) isHeard[from] = 1;
      }
    }
    for (let isMoving = true; isMoving;) {
      isMoving = false;
      for (let k = order.length - 1; k >= 0; k -= 1) {
        const node = order[k] as number;
        if (isHeard[node] === 0) continue;
        const from = part.feeders[node] as number;
        if (from >= 0) {
          if (isHeard[from] === 0) {
            isHeard[from] = 1;
            isMoving = isRing;
          }
        } else if (from !== NOBODY) {
          const list = part.lists[listNumberOf(from)] as Int32Array;
          for (let m = 0; m < list.length; m += 1) {
            if (isHeard[list[m] as number] === 1) continue;
            isHeard[list[m] as number] = 1;
            isMoving = isRing;
          }
        }
      }
    }
    const was = byDevice.get(id);
    if (was !== undefined && areSame(was.isHeard, isHeard)) return false;
    byDevice.set(id, {
      isFed: was?.isFed ?? new Uint8Array(part.size),
      roots: was?.roots ?? new Int32Array(part.size),
      isHeard,
    });
    return true;
  }
}

function areSame(a: Uint8Array | Int32Array, b: Uint8Array | Int32Array): boolean {
  if (a.length !== b.length) return false;
  for (let n = 0; n < a.length; n += 1) if (a[n] !== b[n]) return false;
  return true;
}

/** What came out the same stays the same object. */
function keepSame(
  now: ReadonlyMap<string, DeviceFlow>,
  before: SignalFlow['byDevice'] | undefined,
): SignalFlow['byDevice'] {
  if (before === undefined) return now;
  const kept = new Map<string, DeviceFlow>();
  for (const [id, flow] of now) {
    const was = before.get(id);
    const isSame =
      was !== undefined &&
      (was === flow ||
        (areSame(was.isFed, flow.isFed) && areSame(was.isHeard, flow.isHeard) && areSame(was.roots, flow.roots)));
    kept.set(id, isSame ? was : flow);
  }
  return kept;
}
