import { listNumberOf, NOBODY } from './device-part';
import { feedersOf, type SignalGraph } from './graph';

/**
 * What a walk writes on, by channel or by place on a stack. Kept between walks: five megabytes for each edit of a large plan cost a tenth of its
 * reckoning in collecting them.
 */
class Boards {
  /** By channel, its turn, from 1; 0 before and after a walk. */
  readonly entered: Int32Array;
  readonly low: Int32Array;
  /** Whether a channel was entered and its group is not known yet. */
  readonly isOpen: Uint8Array;
  readonly open: Int32Array;
  readonly path: Int32Array;
  /** How many feeders of each channel on the path were followed. */
  readonly followed: Int32Array;
  readonly order: Int32Array;

  constructor(readonly size: number) {
    [this.entered, this.low, this.open] = [new Int32Array(size), new Int32Array(size), new Int32Array(size)];
    [this.path, this.followed, this.order] = [new Int32Array(size), new Int32Array(size), new Int32Array(size)];
    this.isOpen = new Uint8Array(size);
  }
}
let boards = new Boards(0);

interface BackWalk {
  /** Channels that all receive each other, group by group. */
  readonly groups: readonly (readonly number[])[];
  /** The walked channels that anything feeds, each after all that feed it but those of its own group. The list holds until the next walk. */
  readonly order: Int32Array;
}

/**
 * Walks back from the given channels, or from all, through all that feeds them: Tarjan's strongly connected components, with stacks of its own, as a
 * chain may be long. Cost: each channel and each feed of it once. Channels that nothing feeds are passed over.
 */
export function walkBack(graph: SignalGraph, starts: readonly number[] | 'all'): BackWalk {
  const { size, feeders } = graph;
  if (boards.size < size) boards = new Boards(size);
  const { entered, low, isOpen, open, path, followed, order } = boards;
  let openCount = 0;
  /** The place of the last on the path; -1: there is none. */
  let top = -1;
  const groups: number[][] = [];
  let count = 0;
  let turn = 0;
  /** The list of feeders that was walked last: all buses of a matrix share one, and need not look at it again. */
  let walked = NOBODY;
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
      const feeder = feeders[node] as number;
      const k = followed[top] as number;
      const isMix = feeder < NOBODY;
      const isWalked = isMix && k === 0 && walked !== NOBODY && isSameList(graph, feeder, walked);
      const from = isMix ? (isWalked ? NOBODY : mixedAt(graph, feeder, k)) : k === 0 ? feeder : NOBODY;
      if (from !== NOBODY) {
        followed[top] = k + 1;
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
      else if (!isWalked && isFedByItself(graph, node)) groups.push([node]);
      if (isMix) walked = feeder;
    } while (top >= 0 || entering !== NOBODY);
  }
  for (let k = 0; k < count; k += 1) entered[order[k] as number] = 0;
  return { groups: groups.sort((a, b) => (a[0] as number) - (b[0] as number)), order: order.subarray(0, count) };
}

/** Whether two feeders are one list of one device. */
export function isSameList({ lists, listBase }: SignalGraph, a: number, b: number): boolean {
  const [x, y] = [listNumberOf(a), listNumberOf(b)];
  return lists[x] === lists[y] && listBase[x] === listBase[y];
}

/** The k-th node of a list; NOBODY: it has no more. */
function mixedAt({ lists, listBase }: SignalGraph, feeder: number, k: number): number {
  const inner = (lists[listNumberOf(feeder)] as readonly number[])[k];
  return inner === undefined ? NOBODY : (listBase[listNumberOf(feeder)] as number) + inner;
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
