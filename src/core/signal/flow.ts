import { changedKeys } from '../plan/changed-keys';
import type { InSteps } from '../plan/in-steps';
import type { PlanOf } from '../plan/plan';
import { areAlike, type DeviceFlow } from './device-flow';
import { insideOf, markEnds } from './device-inside';
import { listNumberOf, NOBODY } from './device-part';
import { fedBy } from './fed-by';
import { deviceIndexAt, feedersOf, type SignalGraph } from './graph';
import { isSameList, roundOf, walkBack } from './loops';

export interface SignalFlow {
  readonly byDevice: ReadonlyMap<string, DeviceFlow>;
  /** Channels that receive themselves: of each group one round, in the order in which sound runs. */
  readonly loops: readonly (readonly number[])[];
  /** All channels that receive themselves, group by group. */
  readonly groups: readonly (readonly number[])[];
  /** The same by the nodes of the whole plan, for what follows from it after an edit. */
  readonly all: Flow;
}

/** What holds of every node of a plan. */
interface Flow extends DeviceFlow {
  readonly isSource: Uint8Array;
  readonly isSink: Uint8Array;
  /** What comes from there is another sound than what it is fed: an effect, or a loop. */
  readonly isOwnRoot: Uint8Array;
}

type Now = { readonly signal: SignalGraph } & PlanOf<'pluggedIn'>;

/**
 * Sources are what is plugged in, what programs of a computer play, and channels that a device of unknown insides sends. Sinks are
 * likewise. After an edit only the channels that it touched are worked out, and from there on whatever changes; with a loop in the plan, all is.
 */
export function* signalFlowInSteps(
  now: Now,
  before?: { readonly now: Now; readonly made: SignalFlow },
): InSteps<SignalFlow> {
  const { signal: graph } = now;
  const known = before?.made;
  const isSameGround = before?.now.signal.firstNode === graph.firstNode;
  if (before !== undefined && known !== undefined && isSameGround) {
    const touched = touchedNodes(now, before.now);
    if (touched.size === 0) return known;
    // A loop could go on feeding itself when nothing else does any more.
    const isWithoutLoop = known.groups.length === 0 && walkBack(graph, [...touched]).groups.length === 0;
    if (isWithoutLoop) return settled(now, before.now.signal, known, touched);
  }
  const { groups, order } = walkBack(graph, 'all');
  yield;
  const all = unsettled(now);
  for (const group of groups) for (const node of group) all.isOwnRoot[node] = 1;
  runForwards(graph, all, order, groups);
  yield;
  runBackwards(graph, all, order, groups);
  const loops = groups.map((group) => roundOf(graph, group));
  return { byDevice: withinDevices(graph, all, known?.byDevice), loops, groups, all };
}

/** All channels, with nothing but sources fed and nothing but sinks received. */
function unsettled({ signal: graph, pluggedIn }: Now): Flow {
  const { size } = graph;
  const isSource = new Uint8Array(size);
  const isSink = new Uint8Array(size);
  const isOwnRoot = new Uint8Array(size);
  for (const [id, part] of graph.parts) {
    const first = graph.firstNode.get(id) as number;
    markEnds(part, pluggedIn.get(id), first, { sources: isSource, sinks: isSink });
    const { effects, isAnyEffect } = insideOf(part);
    if (isAnyEffect) isOwnRoot.set(effects, first);
  }
  const roots = new Int32Array(size);
  for (let node = 0; node < size; node += 1) roots[node] = node;
  return { isSource, isSink, isOwnRoot, isFed: isSource.slice(), isReceived: isSink.slice(), roots };
}

/** Works out whether nodes are fed and where they come from, one after the other, by what feeds them. @param changed takes those of which anything changed */
function feed(
  { feeders, lists, listBase }: SignalGraph,
  { isSource, isOwnRoot, isFed, roots }: Flow,
  nodes: ArrayLike<number>,
  changed: number[] | null,
): void {
  for (let n = 0; n < nodes.length; n += 1) {
    const node = nodes[n] as number;
    const from = feeders[node] as number;
    let fed = isSource[node] as number;
    let root = node;
    if (from >= 0) {
      fed |= isFed[from] as number;
      if (isOwnRoot[node] === 0) root = roots[from] as number;
    } else if (from !== NOBODY && fed === 0) {
      const list = lists[listNumberOf(from)] as readonly number[];
      const base = listBase[listNumberOf(from)] as number;
      for (let m = 0; m < list.length && fed === 0; m += 1) fed = isFed[base + (list[m] as number)] as number;
    }
    if (fed === isFed[node] && root === roots[node]) continue;
    isFed[node] = fed;
    roots[node] = root;
    changed?.push(node);
  }
}

/** Works out whether any sink receives nodes, one after the other, by what they feed. */
function receive(graph: SignalGraph, { isSink, isReceived }: Flow, nodes: ArrayLike<number>, changed: number[]): void {
  for (let n = 0; n < nodes.length; n += 1) {
    const node = nodes[n] as number;
    const fed = fedBy(graph, node);
    let received = isSink[node] as number;
    for (let k = 0; k < fed.length && received === 0; k += 1) received = isReceived[fed[k] as number] as number;
    if (received === isReceived[node]) continue;
    isReceived[node] = received;
    changed.push(node);
  }
}

type Groups = SignalFlow['groups'];

/** What is in a loop is fed and received as soon as any of its group is: twice round is enough. */
const roundsFor = (groups: Groups): number => (groups.length === 0 ? 1 : 2);

function spreadInGroups(groups: Groups, marks: Uint8Array): void {
  for (const group of groups) if (group.some((node) => marks[node] === 1)) for (const node of group) marks[node] = 1;
}

function runForwards(graph: SignalGraph, flow: Flow, order: Int32Array, groups: Groups): void {
  for (let round = roundsFor(groups); round > 0; round -= 1) {
    feed(graph, flow, order, null);
    spreadInGroups(groups, flow.isFed);
  }
}

function runBackwards(graph: SignalGraph, { isReceived }: Flow, order: Int32Array, groups: Groups): void {
  const { feeders, lists, listBase } = graph;
  for (let round = roundsFor(groups); round > 0; round -= 1) {
    let marked = NOBODY;
    for (let k = order.length - 1; k >= 0; k -= 1) {
      const node = order[k] as number;
      if (isReceived[node] === 0) continue;
      const from = feeders[node] as number;
      if (from >= 0) isReceived[from] = 1;
      // All buses of a matrix share one list, and follow one another.
      else if (marked === NOBODY || !isSameList(graph, from, marked)) {
        marked = from;
        const base = listBase[listNumberOf(from)] as number;
        for (const inner of lists[listNumberOf(from)] as readonly number[]) isReceived[base + inner] = 1;
      }
    }
    spreadInGroups(groups, isReceived);
  }
}

/** Works out the touched channels, and from there on whatever changes. There is no loop. */
function settled(
  { signal: graph, pluggedIn }: Now,
  was: SignalGraph,
  known: SignalFlow,
  touched: Set<number>,
): SignalFlow {
  const { all } = known;
  const flow: Flow = {
    isSource: all.isSource.slice(),
    isSink: all.isSink.slice(),
    isOwnRoot: all.isOwnRoot,
    isFed: all.isFed.slice(),
    isReceived: all.isReceived.slice(),
    roots: all.roots.slice(),
  };
  for (const id of devicesAt(graph, touched)) {
    const part = graph.parts.get(id);
    const first = graph.firstNode.get(id) as number;
    if (part === undefined) continue;
    flow.isSource.fill(0, first, first + part.size);
    flow.isSink.fill(0, first, first + part.size);
    markEnds(part, pluggedIn.get(id), first, { sources: flow.isSource, sinks: flow.isSink });
  }
  const changed = spread(
    [...touched],
    (nodes, moved) => feed(graph, flow, nodes, moved),
    (node) => fedBy(graph, node),
  );
  const before = [...touched].flatMap((node) => [node, ...feedersOf(was, node), ...feedersOf(graph, node)]);
  const alsoChanged = spread(
    before,
    (nodes, moved) => receive(graph, flow, nodes, moved),
    (node) => feedersOf(graph, node),
  );
  const byDevice = new Map(known.byDevice);
  for (const id of devicesAt(graph, [...changed, ...alsoChanged])) {
    const first = graph.firstNode.get(id) as number;
    byDevice.set(id, ownLists(flow, first, first + (graph.parts.get(id)?.size ?? 0)));
  }
  return { ...known, byDevice, all: flow };
}

/** Works out nodes, and then whichever a change of them concerns, until nothing changes. Returns those that changed. */
function spread(
  nodes: readonly number[],
  work: (nodes: readonly number[], changed: number[]) => void,
  next: (node: number) => Iterable<number>,
): readonly number[] {
  const all: number[] = [];
  for (let left = nodes; left.length > 0;) {
    const changed: number[] = [];
    work(left, changed);
    for (const node of changed) all.push(node);
    left = [...new Set(changed.flatMap((node) => [...next(node)]))];
  }
  return all;
}

/** The channels that are fed by another than before, and all of devices of which the inside, or what is plugged in, is another. */
function touchedNodes({ signal: graph, pluggedIn }: Now, was: Now): Set<number> {
  const touched = new Set<number>();
  const now = graph.feeders;
  const before = was.signal.feeders;
  for (let n = 0; now !== before && n < now.length; n += 1) if (now[n] !== before[n]) touched.add(n);
  for (const id of [...changedKeys(graph.parts, was.signal.parts), ...changedKeys(pluggedIn, was.pluggedIn)]) {
    const first = graph.firstNode.get(id) ?? 0;
    for (let n = 0; n < (graph.parts.get(id)?.size ?? 0); n += 1) touched.add(first + n);
  }
  return touched;
}

function devicesAt(graph: SignalGraph, nodes: Iterable<number>): Set<string> {
  const ids = new Set<string>();
  for (const node of nodes) ids.add(graph.deviceIds[deviceIndexAt(graph, node)] as string);
  return ids;
}

/**
 * The flow of each device out of the lists of all. What came out the same as before stays the same object; then the others get lists of their
 * own, as views would hold on to a list for all devices, one for each edit in a plan with a loop.
 */
function withinDevices(
  graph: SignalGraph,
  all: DeviceFlow,
  before: SignalFlow['byDevice'] | undefined,
): SignalFlow['byDevice'] {
  const byDevice = new Map<string, DeviceFlow>();
  for (const [id, part] of graph.parts) {
    const first = graph.firstNode.get(id) as number;
    const within = new FlowWithin(all, first, first + part.size);
    const was = before?.get(id);
    if (before === undefined) byDevice.set(id, within);
    else byDevice.set(id, was !== undefined && isSame(within, was) ? was : ownLists(all, first, first + part.size));
  }
  return byDevice;
}

const isSame = (a: DeviceFlow, b: DeviceFlow) =>
  areAlike(a.isFed, b.isFed) && areAlike(a.isReceived, b.isReceived) && areAlike(a.roots, b.roots);

const ownLists = ({ isFed, isReceived, roots }: DeviceFlow, first: number, end: number): DeviceFlow => ({
  isFed: isFed.slice(first, end),
  isReceived: isReceived.slice(first, end),
  roots: roots.slice(first, end),
});

/**
 * Views of the lists of all. A list of its own for each device costs more than all the rest, and even views are made only when asked for: few
 * rules look at more than a few devices.
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

  get isReceived(): Uint8Array {
    return (this.heard ??= this.all.isReceived.subarray(this.first, this.end));
  }

  get roots(): Int32Array {
    return (this.from ??= this.all.roots.subarray(this.first, this.end));
  }
}
