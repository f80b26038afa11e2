import type { PlanOf } from '../plan/plan';
import { isSource } from './plugged-in-table';
import { NOBODY } from './device-part';
import { feedersOf, nodeOf, type SignalGraph } from './graph';
import { isInsideKnown, NETWORK_IN, NETWORK_OUT, SLOTS_IN, SLOTS_OUT } from './terminals';

/** What follows from the graph as a whole, by node. */
export interface SignalFlow {
  /** Whether any source can be heard there. */
  readonly isFed: Uint8Array;
  /** Whether any sink hears it. */
  readonly isHeard: Uint8Array;
  /** Channels that feed each other in a ring, each ring in the order in which sound runs through it. */
  readonly loops: readonly (readonly number[])[];
  /** Where each comes from, back through all that only pass it on: a source, a bus, an effect, or a channel that nothing feeds. */
  readonly roots: Int32Array;
}

/**
 * Sources are what is plugged in, what programs of a computer play, and channels that a device of unknown insides sends. Sinks are likewise.
 * Cost: each channel and each send once (Tarjan's strongly connected components, with a stack of its own).
 */
export function signalFlowOf(graph: SignalGraph, { pluggedIn }: PlanOf<'pluggedIn'>): SignalFlow {
  const ends = endsOf(graph, pluggedIn);
  const { isFed, rings, roots } = walkBack(graph, ends.sources);
  return { isFed, isHeard: heardBy(graph, ends.sinks), loops: rings, roots };
}

function endsOf(graph: SignalGraph, pluggedIn: PlanOf<'pluggedIn'>['pluggedIn']) {
  const sources = new Uint8Array(graph.size);
  const sinks: number[] = [];
  for (const [deviceId, own] of pluggedIn) {
    for (const plugged of own.values()) {
      const node = nodeOf(graph, { ...plugged, deviceId });
      if (node === NOBODY) continue;
      if (isSource(plugged.kind)) sources[node] = 1;
      else sinks.push(node);
    }
  }
  for (const part of graph.parts.values()) {
    const first = graph.firstNode.get(part.deviceId) as number;
    const isKnown = isInsideKnown(part.model);
    for (const [n, t] of part.terminals.entries()) {
      const from = first + (part.firstNode[n] as number);
      const isOpen = !isKnown || t.kind === 'computer';
      const isSourceEnd = t.kind === 'computer' ? t.direction === 'in' : t.id === NETWORK_OUT || t.id === SLOTS_OUT;
      const isSinkEnd = t.kind === 'computer' ? t.direction === 'out' : t.id === NETWORK_IN || t.id === SLOTS_IN;
      if (!isOpen) continue;
      // Of a unit of which nothing is known but that it passes, only what is not passed is a source.
      const own = isSourceEnd && !isKnown ? t.normalledChannels : 0;
      if (isSourceEnd) sources.fill(1, from + own, from + t.channels);
      if (isSinkEnd) for (let c = 0; c < t.channels; c += 1) sinks.push(from + c);
    }
  }
  return { sources, sinks };
}

/** Which channels each sink hears, all together. */
function heardBy(graph: SignalGraph, sinks: readonly number[]): Uint8Array {
  const isHeard = new Uint8Array(graph.size);
  const left = [...sinks];
  for (let node = left.pop(); node !== undefined; node = left.pop()) {
    if (isHeard[node] === 1) continue;
    isHeard[node] = 1;
    const from = graph.feeders[node] as number;
    if (from !== NOBODY) left.push(from);
    else for (const fed of graph.mixes.get(node) ?? []) left.push(fed);
  }
  return isHeard;
}

/** Channels that give another sound than they take. */
function effectsOf({ parts, firstNode, size }: SignalGraph): Uint8Array {
  const effects = new Uint8Array(size);
  for (const part of parts.values()) {
    for (const [n, t] of part.terminals.entries()) {
      const first = (firstNode.get(part.deviceId) as number) + (part.firstNode[n] as number);
      if (t.isEffect) effects.fill(1, first, first + t.channels);
    }
  }
  return effects;
}

/** Depth first from every channel back to what feeds it. A ring is fed when any channel of it is. */
function walkBack(
  graph: SignalGraph,
  sources: Uint8Array,
): { isFed: Uint8Array; rings: number[][]; roots: Int32Array } {
  const { size, feeders, mixes } = graph;
  const isFed = sources.slice();
  const roots = new Int32Array(size);
  const effects = effectsOf(graph);
  const order = new Int32Array(size);
  const low = new Int32Array(size);
  const isOpen = new Uint8Array(size);
  const open: number[] = [];
  const path: number[] = [];
  /** How many feeders of each node on the path were followed. */
  const followed: number[] = [];
  const rings: number[][] = [];
  let next = 1;
  const enter = (node: number) => {
    order[node] = low[node] = next;
    next += 1;
    roots[node] = node;
    isOpen[node] = 1;
    open.push(node);
    path.push(node);
    followed.push(0);
  };
  const leave = (node: number) => {
    if (low[node] !== order[node]) return;
    const ring: number[] = [];
    let one: number;
    do {
      one = open.pop() as number;
      isOpen[one] = 0;
      ring.push(one);
    } while (one !== node);
    if (ring.length > 1 && ring.some((n) => isFed[n] === 1)) for (const n of ring) isFed[n] = 1;
    if (ring.length > 1 || feedersOf(graph, node).includes(node)) rings.push(ring);
  };
  for (let start = 0; start < size; start += 1) {
    if (order[start] !== 0) continue;
    enter(start);
    while (path.length > 0) {
      const node = path[path.length - 1] as number;
      const k = followed[followed.length - 1] as number;
      const single = feeders[node] as number;
      const mixed = single === NOBODY ? mixes.get(node) : undefined;
      const from = mixed === undefined ? (k === 0 ? single : NOBODY) : (mixed[k] ?? NOBODY);
      if (from !== NOBODY) {
        followed[followed.length - 1] = k + 1;
        if (order[from] === 0) enter(from);
        else {
          if (isOpen[from] === 1) low[node] = Math.min(low[node] as number, order[from] as number);
          if (isFed[from] === 1) isFed[node] = 1;
        }
        continue;
      }
      path.pop();
      followed.pop();
      // In a ring of single feeds the channel at which the walk began stands for all.
      if (single !== NOBODY && effects[node] === 0) roots[node] = roots[single] as number;
      leave(node);
      const parent = path[path.length - 1];
      if (parent === undefined) continue;
      low[parent] = Math.min(low[parent] as number, low[node] as number);
      if (isFed[node] === 1) isFed[parent] = 1;
    }
  }
  const loops = rings.map((ring) => inOneRound(graph, ring)).sort((a, b) => (a[0] as number) - (b[0] as number));
  return { isFed, rings: loops, roots };
}

/** A shortest round through channels that all feed each other, from the lowest of them on, as sound runs. */
function inOneRound(graph: SignalGraph, members: readonly number[]): number[] {
  const isMember = new Set(members);
  const start = Math.min(...members);
  const back = new Map<number, number>();
  const left = [start];
  for (let at = 0; at < left.length; at += 1) {
    const node = left[at] as number;
    for (const from of feedersOf(graph, node)) {
      if (!isMember.has(from)) continue;
      if (from === start) {
        // From `start` back to `node`: the way that sound runs is the other way about.
        const round = [node];
        for (let n = node; n !== start;) round.push((n = back.get(n) as number));
        return [start, ...round.filter((n) => n !== start)];
      }
      if (back.has(from)) continue;
      back.set(from, node);
      left.push(from);
    }
  }
  return [...members];
}
