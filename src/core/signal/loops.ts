import { listNumberOf, NOBODY } from './device-part';
import { feedersOf, type SignalGraph } from './graph';

interface BackWalk {
  /** Channels that all receive each other, group by group. */
  readonly groups: readonly (readonly number[])[];
  /** The walked channels that anything feeds, each after all that feed it but those of its own group. */
  readonly order: readonly number[];
}

/**
 * Walks back from the given channels, or from all, through all that feeds them: Tarjan's strongly connected components, with stacks of its own, as a
 * chain may be long. Cost: each channel and each feed of it once. Channels that nothing feeds are passed over.
 */
export function walkBack(graph: SignalGraph, starts: Iterable<number> | 'all'): BackWalk {
  const { size, feeders } = graph;
  /** By channel, its turn, from 1. */
  const entered = new Int32Array(size);
  const low = new Int32Array(size);
  /** Whether a channel was entered and its group is not known yet. */
  const isOpen = new Uint8Array(size);
  const open: number[] = [];
  const path: number[] = [];
  /** How many feeders of each channel on the path were followed. */
  const followed: number[] = [];
  const order: number[] = [];
  const groups: number[][] = [];
  let turn = 0;
  const enter = (node: number) => {
    turn += 1;
    entered[node] = turn;
    const from = feeders[node] as number;
    // Most channels are fed by one that is in no open group: they need no stack.
    if (from >= 0 && (feeders[from] === NOBODY || (isOpen[from] === 0 && entered[from] !== 0 && from !== node))) {
      order.push(node);
      return;
    }
    low[node] = turn;
    isOpen[node] = 1;
    open.push(node);
    path.push(node);
    followed.push(0);
  };
  const leave = (node: number) => {
    path.pop();
    followed.pop();
    const parent = path[path.length - 1];
    if (parent !== undefined && (low[node] as number) < (low[parent] as number)) low[parent] = low[node] as number;
    if (low[node] !== entered[node]) return;
    const begin = order.length;
    for (let one = open.pop(); one !== undefined; one = open.pop()) {
      isOpen[one] = 0;
      order.push(one);
      if (one === node) break;
    }
    if (order.length - begin > 1) groups.push(order.slice(begin).sort((a, b) => a - b));
    else if (isFedByItself(graph, node)) groups.push([node]);
  };
  const isLeftToEnter = (node: number) => feeders[node] !== NOBODY && entered[node] === 0;
  const walkFrom = (start: number) => {
    if (!isLeftToEnter(start)) return;
    enter(start);
    while (path.length > 0) {
      const node = path[path.length - 1] as number;
      const k = followed[followed.length - 1] as number;
      const from = feederAt(graph, node, k);
      if (from === NOBODY) {
        leave(node);
        continue;
      }
      followed[followed.length - 1] = k + 1;
      if (isLeftToEnter(from)) enter(from);
      else if (isOpen[from] === 1 && (entered[from] as number) < (low[node] as number))
        low[node] = entered[from] as number;
    }
  };
  if (starts === 'all') for (let node = 0; node < size; node += 1) walkFrom(node);
  else for (const node of starts) walkFrom(node);
  return { groups: groups.sort((a, b) => (a[0] as number) - (b[0] as number)), order };
}

/** The k-th feeder of a node; NOBODY: it has no more. */
function feederAt({ feeders, lists, listBase }: SignalGraph, node: number, k: number): number {
  const from = feeders[node] as number;
  if (from >= NOBODY) return k === 0 ? from : NOBODY;
  const inner = (lists[listNumberOf(from)] as readonly number[])[k];
  return inner === undefined ? NOBODY : (listBase[listNumberOf(from)] as number) + inner;
}

function isFedByItself({ feeders, lists, listBase }: SignalGraph, node: number): boolean {
  const from = feeders[node] as number;
  if (from >= NOBODY) return from === node;
  return (lists[listNumberOf(from)] as readonly number[]).includes(node - (listBase[listNumberOf(from)] as number));
}

/** A shortest round through channels that all receive each other, from the lowest of them on, in the order in which sound runs. */
export function roundOf(graph: SignalGraph, group: readonly number[]): number[] {
  const isMember = new Set(group);
  const start = Math.min(...group);
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
  return [...group];
}
