import { listNumberOf, NOBODY } from './device-part';
import { feedersOf, type SignalGraph } from './graph';

/** What a walk writes on, by channel or by place on a stack. Kept between walks, as making it again costs more than a short walk. */
interface Boards {
  /** When each was entered, from 1; 0 before and after a walk. */
  readonly entered: Int32Array;
  readonly low: Int32Array;
  readonly isOpen: Uint8Array;
  readonly open: Int32Array;
  readonly path: Int32Array;
  /** How many feeders of each channel on the path were followed. */
  readonly followed: Int32Array;
  readonly order: Int32Array;
}
let kept: Boards | null = null;

function boards(size: number): Boards {
  if (kept === null || kept.entered.length < size) {
    const list = () => new Int32Array(size);
    kept = {
      entered: list(),
      low: list(),
      isOpen: new Uint8Array(size),
      open: list(),
      path: list(),
      followed: list(),
      order: list(),
    };
  }
  return kept;
}

interface BackWalk {
  /** Channels that all hear each other, group by group. */
  readonly groups: readonly (readonly number[])[];
  /** The walked channels that anything feeds, each after all that feed it but those of its own group. The list holds until the next walk. */
  readonly order: Int32Array;
}

/**
 * Walks back from the given channels, or from all, through all that they hear (Tarjan's strongly connected components, with stacks of its own, as a
 * chain may be long). Cost: each channel and each feed of it once. Channels that nothing feeds are passed over; most others hear one of those, or one
 * that was left already: they take no stack.
 */
export function walkBack(graph: SignalGraph, starts: Int32Array | 'all'): BackWalk {
  const { size, feeders, lists, listBase, sameList } = graph;
  const { entered, low, isOpen, open, path, followed, order } = boards(size);
  const groups: number[][] = [];
  /** Lists of which every channel was left: the other buses of a matrix need not look at them again. */
  const walked = new Uint8Array(lists.length);
  let openCount = 0;
  let count = 0;
  let next = 1;
  const startCount = starts === 'all' ? size : starts.length;
  for (let s = 0; s < startCount; s += 1) {
    const start = starts === 'all' ? s : (starts[s] as number);
    if (feeders[start] === NOBODY || entered[start] !== 0) continue;
    let top = -1;
    let entering = start;
    for (;;) {
      if (entering !== NOBODY) {
        entered[entering] = next;
        const heard = feeders[entering] as number;
        const isLeft = heard >= 0 && heard !== entering && entered[heard] !== 0 && isOpen[heard] === 0;
        if (isLeft || (heard >= 0 && feeders[heard] === NOBODY)) {
          next += 1;
          order[count] = entering;
          count += 1;
        } else {
          low[entering] = next;
          next += 1;
          isOpen[entering] = 1;
          open[openCount] = entering;
          openCount += 1;
          top += 1;
          path[top] = entering;
          followed[top] = 0;
        }
        if (top < 0) break;
      }
      const node = path[top] as number;
      const k = followed[top] as number;
      const feeder = feeders[node] as number;
      let from = NOBODY;
      if (feeder >= 0) from = k === 0 ? feeder : NOBODY;
      else if (feeder !== NOBODY) {
        const number = listNumberOf(feeder);
        const list = lists[number] as readonly number[];
        if (k < list.length && !(k === 0 && walked[sameList[number] as number] === 1))
          from = (listBase[number] as number) + (list[k] as number);
      }
      entering = NOBODY;
      if (from !== NOBODY) {
        followed[top] = k + 1;
        if (entered[from] === 0) {
          if (feeders[from] !== NOBODY) entering = from;
        } else if (isOpen[from] === 1 && (entered[from] as number) < (low[node] as number))
          low[node] = entered[from] as number;
        continue;
      }
      top -= 1;
      if (top >= 0) {
        const parent = path[top] as number;
        if ((low[node] as number) < (low[parent] as number)) low[parent] = low[node] as number;
      }
      if (low[node] === entered[node]) {
        const end = openCount;
        do {
          openCount -= 1;
          const one = open[openCount] as number;
          isOpen[one] = 0;
          order[count] = one;
          count += 1;
        } while (open[openCount] !== node);
        if (end - openCount > 1) groups.push([...open.subarray(openCount, end)].sort((a, b) => a - b));
        else if (feeder === node) groups.push([node]);
        else if (feeder < NOBODY) {
          const same = sameList[listNumberOf(feeder)] as number;
          // What was left before this channel was entered is not this channel.
          if (walked[same] === 0 && isInList(graph, listNumberOf(feeder), node)) groups.push([node]);
          walked[same] = 1;
        }
      }
      if (top < 0) break;
    }
  }
  if (starts === 'all') entered.fill(0, 0, size);
  else for (let k = 0; k < count; k += 1) entered[order[k] as number] = 0;
  return { groups: groups.sort((a, b) => (a[0] as number) - (b[0] as number)), order: order.subarray(0, count) };
}

function isInList({ lists, listBase }: SignalGraph, number: number, node: number): boolean {
  return (lists[number] as readonly number[]).includes(node - (listBase[number] as number));
}

/** A shortest round through channels that all hear each other, from the lowest of them on, in the order in which sound runs. */
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
