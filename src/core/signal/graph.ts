import { changedKeys } from '../plan/changed-keys';
import type { PlanOf } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import { busState } from '../slots/slot-bus';
import type { Wish } from '../reckon/wishes';
import type { AudioCable } from './audio-cables-table';
import { devicePart, nodeIn, NOBODY, terminalIndexAt, type DevicePart } from './device-part';
import type { SignalEnd } from './signal-end';
import { NETWORK_IN, NETWORK_OUT, SLOTS_IN, SLOTS_OUT, type Insides, type Terminal } from './terminals';

/**
 * One graph of all channels of a plan: sockets, links, network channels, strips, buses. A channel is a node; what feeds it follows from
 * subscriptions, device patches, sends, cables, and slot buses. All but buses are fed by at most one, so that most of the graph is one number for
 * each node, and following a sound back is walking along them.
 */
export interface SignalGraph {
  readonly parts: ReadonlyMap<string, DevicePart>;
  /** The devices in the order of their nodes, and the first node of each. */
  readonly deviceIds: readonly string[];
  readonly firstNode: ReadonlyMap<string, number>;
  readonly size: number;
  /** By node, the node that feeds it; NOBODY: none, or it is a bus. */
  readonly feeders: Int32Array;
  /** By bus, the nodes that it mixes. */
  readonly mixes: ReadonlyMap<number, Int32Array>;
}

/** Devices of known models with how they lead on inside. What did not change is the same object. */
export function devicePartsOf(
  tables: PlanOf<'patches' | 'busSends'> & {
    readonly devices: ReadonlyMap<string, { readonly id: string; readonly modelId: string }>;
    readonly models: ReadonlyMap<string, Insides>;
  },
  before: ReadonlyMap<string, DevicePart> | undefined,
): ReadonlyMap<string, DevicePart> {
  const parts = new Map<string, DevicePart>();
  let isSame = true;
  for (const { id, modelId } of tables.devices.values()) {
    const model = tables.models.get(modelId);
    if (model === undefined) continue;
    const patches = tables.patches.get(id);
    const sends = tables.busSends.get(id);
    const was = before?.get(id);
    const isKept = was?.model === model && was.patches === patches && was.sends === sends;
    if (!isKept) isSame = false;
    parts.set(id, isKept ? was : devicePart(id, model, patches, sends));
  }
  return before !== undefined && isSame && before.size === parts.size ? before : parts;
}

/** One slot that is heard: by the hearing unit's channel, the one talking unit's. */
export interface SlotEdge {
  readonly hears: { readonly deviceId: string; readonly channel: number };
  readonly talks: { readonly deviceId: string; readonly channel: number };
}

/** Every slot that a unit hears from one talker. The same list as before where nothing of it changed. */
export function slotEdgesOf(
  plan: PlanOf<'devices' | 'models' | 'slotBuses' | 'slotUnits'>,
  before: readonly SlotEdge[] | undefined,
): readonly SlotEdge[] {
  const edges = [...plan.slotBuses.values()].flatMap((bus) =>
    busState(plan, bus).hearings.flatMap(({ deviceId, channel, why, talkers: [talks] }): SlotEdge[] =>
      why !== null || talks === undefined
        ? []
        : [{ hears: { deviceId, channel }, talks: { deviceId: talks.deviceId, channel: talks.channel } }],
    ),
  );
  return before !== undefined && sameValue(before, edges) ? before : edges;
}

export interface GraphInputs {
  readonly signalParts: ReadonlyMap<string, DevicePart>;
  readonly wishes: { readonly byReceiver: ReadonlyMap<string, Wish> };
  readonly audioCables: ReadonlyMap<string, AudioCable>;
  readonly slotEdges: readonly SlotEdge[];
}

export function signalGraphOf(
  now: GraphInputs,
  before: { readonly now: GraphInputs; readonly made: SignalGraph } | undefined,
): SignalGraph {
  const { signalParts: parts, wishes, audioCables, slotEdges } = now;
  const was = before?.now;
  const known = before?.made;
  const isSameGround =
    known !== undefined &&
    was?.audioCables === audioCables &&
    was.slotEdges === slotEdges &&
    haveSameNodes(was.signalParts, parts);
  if (!isSameGround) return wholeGraph(now);
  const touched = new Set(changedKeys(parts, was?.signalParts ?? parts));
  for (const id of changedKeys(wishes.byReceiver, was?.wishes.byReceiver ?? wishes.byReceiver)) touched.add(id);
  if (touched.size === 0 && parts === known.parts) return known;
  const feeders = known.feeders.slice();
  let { mixes } = known;
  for (const id of touched) {
    const part = parts.get(id);
    const first = known.firstNode.get(id);
    if (part === undefined || first === undefined) continue;
    const old = known.parts.get(id);
    if (old !== part) {
      if ((old?.mixes.length ?? 0) + part.mixes.length > 0) {
        const next = new Map(mixes);
        for (const mix of old?.mixes ?? []) next.delete(first + mix.node);
        placeMixes(next, part, first);
        mixes = next;
      }
    }
    placeInside(feeders, part, first);
    placeLanes(feeders, part, first, wishes, parts, known.firstNode);
  }
  const graph = { ...known, parts, feeders, mixes };
  placeCables(graph, audioCables, slotEdges);
  return graph;
}

function haveSameNodes(a: ReadonlyMap<string, DevicePart>, b: ReadonlyMap<string, DevicePart>): boolean {
  if (a === b) return true;
  if (a.size !== b.size) return false;
  for (const [id, part] of b) {
    const was = a.get(id);
    if (was !== part && was?.terminals !== part.terminals) return false;
  }
  return true;
}

function wholeGraph({ signalParts: parts, wishes, audioCables, slotEdges }: GraphInputs): SignalGraph {
  const deviceIds = [...parts.keys()].sort();
  const firstNode = new Map<string, number>();
  let size = 0;
  for (const id of deviceIds) {
    firstNode.set(id, size);
    size += (parts.get(id) as DevicePart).size;
  }
  const feeders = new Int32Array(size);
  const mixes = new Map<number, Int32Array>();
  for (const id of deviceIds) {
    const part = parts.get(id) as DevicePart;
    const first = firstNode.get(id) as number;
    placeInside(feeders, part, first);
    placeMixes(mixes, part, first);
    placeLanes(feeders, part, first, wishes, parts, firstNode);
  }
  const graph = { parts, deviceIds, firstNode, size, feeders, mixes };
  placeCables(graph, audioCables, slotEdges);
  return graph;
}

function placeInside(feeders: Int32Array, part: DevicePart, first: number): void {
  for (let n = 0; n < part.size; n += 1) {
    const from = part.feeders[n] as number;
    feeders[first + n] = from === NOBODY ? NOBODY : first + from;
  }
}

function placeMixes(mixes: Map<number, Int32Array>, part: DevicePart, first: number): void {
  let last: Int32Array | null = null;
  let placed: Int32Array | null = null;
  for (const { node, feeders } of part.mixes) {
    // The buses of a matrix share one list.
    if (feeders !== last || placed === null) placed = feeders.map((n) => first + n);
    last = feeders;
    mixes.set(first + node, placed);
  }
}

/** Where the network channels of a part begin; NOBODY: it has none. */
const networkIn = (part: DevicePart) => nodeIn(part, NETWORK_IN, 1);

function placeLanes(
  feeders: Int32Array,
  part: DevicePart,
  first: number,
  wishes: GraphInputs['wishes'],
  parts: ReadonlyMap<string, DevicePart>,
  firstNode: ReadonlyMap<string, number>,
): void {
  const begin = networkIn(part);
  const wish = wishes.byReceiver.get(part.deviceId);
  if (begin === NOBODY || wish === undefined) return;
  const count = part.terminals[terminalIndexAt(part, begin)]?.channels ?? 0;
  for (const [senderId, lanes] of wish.bySender) {
    const sender = parts.get(senderId);
    if (sender === undefined) continue;
    const out = nodeIn(sender, NETWORK_OUT, 1);
    if (out === NOBODY) continue;
    const most = sender.terminals[terminalIndexAt(sender, out)]?.channels ?? 0;
    const base = (firstNode.get(senderId) as number) + out - 1;
    for (const { receiverChannel, senderChannel } of lanes) {
      if (receiverChannel > count || senderChannel > most) continue;
      feeders[first + begin + receiverChannel - 1] = base + senderChannel;
    }
  }
}

function placeCables(
  graph: SignalGraph,
  audioCables: ReadonlyMap<string, AudioCable>,
  slotEdges: readonly SlotEdge[],
): void {
  const { feeders } = graph;
  const inOrder = [...audioCables.values()].sort((a, b) => (a.id < b.id ? 1 : -1));
  for (const { from, to, channels } of inOrder) {
    for (let n = 0; n < channels; n += 1) {
      const source = nodeOf(graph, { ...from, channel: from.channel + n });
      const fed = nodeOf(graph, { ...to, channel: to.channel + n });
      if (source !== NOBODY && fed !== NOBODY) feeders[fed] = source;
    }
  }
  for (const { hears, talks } of slotEdges) {
    const source = nodeOf(graph, { ...talks, terminalId: SLOTS_OUT });
    const fed = nodeOf(graph, { ...hears, terminalId: SLOTS_IN });
    if (source !== NOBODY && fed !== NOBODY) feeders[fed] = source;
  }
}

/** The node of a channel; NOBODY: the plan has no such channel. */
export function nodeOf(graph: SignalGraph, { deviceId, terminalId, channel }: SignalEnd): number {
  const part = graph.parts.get(deviceId);
  const first = graph.firstNode.get(deviceId);
  if (part === undefined || first === undefined) return NOBODY;
  const node = nodeIn(part, terminalId, channel);
  return node === NOBODY ? NOBODY : first + node;
}

/** The channel that a node is. */
export function channelAt(graph: SignalGraph, node: number): SignalEnd & { readonly terminal: Terminal } {
  const { deviceIds, firstNode } = graph;
  let low = 0;
  let high = deviceIds.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((firstNode.get(deviceIds[middle] as string) as number) <= node) low = middle;
    else high = middle - 1;
  }
  // A device without any channel begins where the next one does.
  const deviceId = deviceIds[low] as string;
  const part = graph.parts.get(deviceId) as DevicePart;
  const inner = node - (firstNode.get(deviceId) as number);
  const n = terminalIndexAt(part, inner);
  const terminal = part.terminals[n] as Terminal;
  return { deviceId, terminalId: terminal.id, channel: inner - (part.firstNode[n] as number) + 1, terminal };
}

const NO_NODES = new Int32Array();

/** What feeds a node. */
export function feedersOf(graph: SignalGraph, node: number): Int32Array {
  const mixed = graph.mixes.get(node);
  if (mixed !== undefined) return mixed;
  const from = graph.feeders[node] as number;
  return from === NOBODY ? NO_NODES : Int32Array.of(from);
}

const onwards = new WeakMap<SignalGraph, { readonly starts: Int32Array; readonly fed: Int32Array }>();

/** What a node feeds, in the order of nodes. The first call for a graph turns it around: a few milliseconds for 100,000 channels. */
export function fedBy(graph: SignalGraph, node: number): Int32Array {
  let turned = onwards.get(graph);
  if (turned === undefined) {
    const { size, feeders, mixes } = graph;
    const starts = new Int32Array(size + 1);
    const count = (from: number) => {
      starts[from + 1] = (starts[from + 1] as number) + 1;
    };
    for (let n = 0; n < size; n += 1) if (feeders[n] !== NOBODY) count(feeders[n] as number);
    for (const mixed of mixes.values()) mixed.forEach(count);
    for (let n = 0; n < size; n += 1) starts[n + 1] = (starts[n + 1] as number) + (starts[n] as number);
    const next = starts.slice();
    const fed = new Int32Array(starts[size] as number);
    const put = (from: number, to: number) => {
      fed[next[from] as number] = to;
      next[from] = (next[from] as number) + 1;
    };
    for (let n = 0; n < size; n += 1) {
      if (feeders[n] !== NOBODY) put(feeders[n] as number, n);
      else for (const from of mixes.get(n) ?? NO_NODES) put(from, n);
    }
    turned = { starts, fed };
    onwards.set(graph, turned);
  }
  return turned.fed.subarray(turned.starts[node], turned.starts[node + 1]);
}
