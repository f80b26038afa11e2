import { listNumberOf, NOBODY } from './device-part';
import { feedersOf, type SignalGraph } from './graph';

interface BackWalk {
  /** Channels that all receive each other, group by group. */
  readonly groups: readonly (readonly number[])[];
  /** The walked channels that anything feeds, each after all that feed it but those of its own group. */
  readonly order: Int32Array;
}

/**
 * Walks back from the given channels, or from all, through all that feeds them: Tarjan's strongly connected components, with stacks of its own, as a
 * chain may be long. Cost: each channel and each feed of it once. Channels that nothing feeds are passed over.
 */
export function walkBack(graph: SignalGraph, starts: readonly number[] | 'all'): BackWalk {
  const { size, feeders } = graph;
  /** By channel, its turn, from 1. */
  const entered = new Int32Array(size);
  const low = new Int32Array(size);
  /** Whether a channel was entered and its group is not known yet. */
  const isOpen = new Uint8Array(size);
  const open = new Int32Array(size);
  const path = new Int32Array(size);
  /** How many feeders of each channel on the path were followed. */
  const followed = new Int32Array(size);
  let openCount = 0;
  /** The place of the last on the path; -1: there is none. */
  let top = -1;
  const order = new Int32Array(size);
  const groups: number[][] = [];
  let count = 0;
  let turn = 0;
  const startCount = starts === 'all' ? size : starts.length;
  for (let s = 0; s < startCount; s += 1) {
    const start = starts === 'all' ? s : (starts[s] as number);
    if (feeders[start] === NOBODY || entered[start] !== 0) continue;
    let entering = start;
    do {
      if (entering !== NOBODY) {
        turn += 1;
        entered[entering] = turn;
        const from = feeders[entering] as number;
        const isLeft = from >= 0 && from !== entering && entered[from] !== 0 && isOpen[from] === 0;
        // Most channels are fed by one that is in no open group: they need no stack.
        if (isLeft || (from >= 0 && feeders[from] === NOBODY)) {
          order[count] = entering;
          count += 1;
        } else {
          low[entering] = turn;
          isOpen[entering] = 1;
          open[openCount] = entering;
          openCount += 1;
          top += 1;
          path[top] = entering;
          followed[top] = 0;
        }
        entering = NOBODY;
        continue;
      }
      const node = path[top] as number;
      const from = feederAt(graph, node, followed[top] as number);
      if (from !== NOBODY) {
        followed[top] = (followed[top] as number) + 1;
        if (entered[from] === 0) entering = feeders[from] === NOBODY ? NOBODY : from;
        else if (isOpen[from] === 1 && (entered[from] as number) < (low[node] as number))
          low[node] = entered[from] as number;
        continue;
      }
      top -= 1;
      const parent = top < 0 ? node : (path[top] as number);
      if ((low[node] as number) < (low[parent] as number)) low[parent] = low[node] as number;
      if (low[node] !== entered[node]) continue;
      const first = count;
      for (let one = NOBODY; one !== node;) {
        openCount -= 1;
        one = open[openCount] as number;
        isOpen[one] = 0;
        order[count] = one;
        count += 1;
      }
      if (count - first > 1) groups.push([...order.subarray(first, count)].sort((a, b) => a - b));
      else if (isFedByItself(graph, node)) groups.push([node]);
    } while (top >= 0 || entering !== NOBODY);
  }
  return { groups: groups.sort((a, b) => (a[0] as number) - (b[0] as number)), order: order.subarray(0, count) };
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
