import type { PlanOf } from '../plan/plan';
import { areAlike, type DeviceFlow } from './device-flow';
import { endsOf, insideOf, insOf } from './device-inside';
import { listNumberOf, NOBODY } from './device-part';
import { deviceIndexAt, type SignalGraph } from './graph';

/** The devices that feed a device from outside. */
export function sendersOf(graph: SignalGraph, id: string): Set<string> {
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

/** Devices worked out one by one, from what is known of the others. There is no loop among them. */
export class Flowing {
  readonly byDevice: Map<string, DeviceFlow>;

  constructor(
    private readonly graph: SignalGraph,
    private readonly pluggedIn: PlanOf<'pluggedIn'>['pluggedIn'],
    known: ReadonlyMap<string, DeviceFlow>,
  ) {
    this.byDevice = new Map(known);
  }

  settle(deviceIds: Iterable<string>): void {
    const ids = [...deviceIds];
    this.run(ids, (id) => (this.feed(id) ? [...this.receiversOf(id)] : []));
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

  private *receiversOf(id: string): Iterable<string> {
    for (const { wish } of this.graph.receiversByLane.get(id) ?? []) yield wish.receiverId;
    yield* this.graph.receiversByCable.get(id) ?? [];
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
          const list = part.lists[listNumberOf(part.feeders[node] as number)] as readonly number[];
          for (let m = 0; m < list.length && fed === 0; m += 1) fed = isFed[list[m] as number] as number;
        }
        if (fed !== isFed[node] || root !== roots[node]) isMoving = true;
        isFed[node] = fed;
        roots[node] = root;
      }
      if (isOnce) break;
    }
    const isSame = was !== undefined && areAlike(was.isFed, isFed) && areAlike(was.roots, roots);
    if (!isSame) byDevice.set(id, { isFed, roots, isHeard: was?.isHeard ?? new Uint8Array(part.size) });
    return !isSame;
  }

  /** Which channels of a device are received, by its receivers of now. Returns whether anything changed. */
  private hear(id: string): boolean {
    const { graph, byDevice } = this;
    const part = graph.parts.get(id);
    if (part === undefined) return false;
    const first = graph.firstNode.get(id) as number;
    const { order, isRing } = insideOf(part);
    const isHeard = endsOf(part, this.pluggedIn.get(id)).sinks.slice();
    for (const receiverId of new Set(this.receiversOf(id))) {
      const receiver = graph.parts.get(receiverId);
      const heard = byDevice.get(receiverId)?.isHeard;
      if (receiver === undefined || heard === undefined) continue;
      const base = graph.firstNode.get(receiverId) as number;
      const ins = insOf(receiver);
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
          const list = part.lists[listNumberOf(from)] as readonly number[];
          for (let m = 0; m < list.length; m += 1) {
            if (isHeard[list[m] as number] === 1) continue;
            isHeard[list[m] as number] = 1;
            isMoving = isRing;
          }
        }
      }
    }
    const was = byDevice.get(id);
    if (was !== undefined && areAlike(was.isHeard, isHeard)) return false;
    byDevice.set(id, {
      isFed: was?.isFed ?? new Uint8Array(part.size),
      roots: was?.roots ?? new Int32Array(part.size),
      isHeard,
    });
    return true;
  }
}
