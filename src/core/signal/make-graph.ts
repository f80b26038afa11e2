import { changedKeys } from '../plan/changed-keys';
import type { AudioCable } from './audio-cables-table';
import { areAlike } from './device-flow';
import { NOBODY, type DevicePart } from './device-part';
import { nodeOf, type SignalGraph } from './graph';
import type { SignalEnd } from './signal-end';
import type { SlotEdge } from './slot-edges';
import { NETWORK_IN, NETWORK_OUT, SLOTS_IN, SLOTS_OUT } from './terminals';

/** The lanes of one receiver, as columns by lane. */
export interface ReceivedLanes {
  readonly wish: {
    readonly receiverChannels: readonly number[];
    readonly senderChannels: readonly number[];
    /** By sender, which lanes come from it: so many from the first on, or those at these places. */
    readonly runs: readonly {
      readonly senderId: string;
      readonly count: number;
      readonly first: number;
      readonly places: readonly number[] | null;
    }[];
  };
  /** By lane, why it is refused; null: it is not, or none is. */
  readonly reasons: readonly (object | null)[] | null;
}

interface GraphInputs {
  readonly signalParts: ReadonlyMap<string, DevicePart>;
  readonly wishes: { readonly receiversBySender: SignalGraph['receiversByLane'] };
  readonly lanesByReceiver: ReadonlyMap<string, ReceivedLanes>;
  readonly audioCables: ReadonlyMap<string, AudioCable>;
  readonly slotEdges: readonly SlotEdge[];
}

/** The graph of a plan. After an edit only the devices that it touched are looked at again; what comes out the same is the same object. */
export function signalGraphOf(
  now: GraphInputs,
  before: { readonly now: GraphInputs; readonly made: SignalGraph } | undefined,
): SignalGraph {
  const { signalParts: parts, wishes, lanesByReceiver, audioCables, slotEdges } = now;
  const was = before?.now;
  const known = before?.made;
  const hasSameNodes = was !== undefined && haveSameNodes(was.signalParts, parts);
  const isSameGround = hasSameNodes && was.audioCables === audioCables && was.slotEdges === slotEdges;
  const ground = isSameGround && known !== undefined ? known : groundOf(now);
  const isLike = ground === known && known !== undefined;
  const touched = new Set(isLike ? changedKeys(parts, known.parts) : parts.keys());
  if (isLike && was !== undefined) for (const id of changedKeys(lanesByReceiver, was.lanesByReceiver)) touched.add(id);
  const graph = {
    ...ground,
    parts,
    feeders: isLike ? known.feeders.slice() : new Int32Array(ground.size),
    lists: isLike && parts === known.parts ? known.lists : listsOf(parts, ground.deviceIds),
    refused: new Map(isLike ? known.refused : []),
    receiversByLane: wishes.receiversBySender,
  };
  for (const id of touched) {
    const part = parts.get(id);
    if (part === undefined) continue;
    placeInside(graph, part);
    placeLanes(graph, part, lanesByReceiver.get(id));
  }
  placeCables(graph, audioCables, slotEdges);
  if (!isLike) return graph;
  const feeders = areAlike(graph.feeders, known.feeders) ? known.feeders : graph.feeders;
  const refused = haveSameEntries(graph.refused, known.refused) ? known.refused : graph.refused;
  const isSame =
    feeders === known.feeders &&
    refused === known.refused &&
    parts === known.parts &&
    graph.receiversByLane === known.receiversByLane;
  return isSame ? known : { ...graph, feeders, refused };
}

const haveSameEntries = (a: SignalGraph['refused'], b: SignalGraph['refused']): boolean =>
  a.size === b.size && [...a].every(([fed, source]) => b.get(fed) === source);

function haveSameNodes(a: ReadonlyMap<string, DevicePart>, b: ReadonlyMap<string, DevicePart>): boolean {
  if (a === b) return true;
  if (a.size !== b.size) return false;
  for (const [id, part] of b) {
    const was = a.get(id);
    if (was !== part && was?.terminals !== part.terminals) return false;
  }
  return true;
}

/** What stays while no device, cable or slot comes or goes. */
function groundOf({ signalParts: parts, audioCables, slotEdges }: GraphInputs) {
  const deviceIds = [...parts.keys()].sort();
  const firstNode = new Map<string, number>();
  const firstList = new Map<string, number>();
  let size = 0;
  let listCount = 0;
  for (const id of deviceIds) {
    const part = parts.get(id) as DevicePart;
    firstNode.set(id, size);
    firstList.set(id, listCount);
    size += part.size;
    listCount += part.lists.length;
  }
  const listBase = new Int32Array(listCount);
  for (const [id, list] of firstList)
    listBase.fill(firstNode.get(id) as number, list, list + (parts.get(id) as DevicePart).lists.length);
  const receiversByCable = new Map<string, Set<string>>();
  const join = (from: string, to: string) =>
    receiversByCable.set(from, (receiversByCable.get(from) ?? new Set<string>()).add(to));
  for (const { from, to } of audioCables.values()) join(from.deviceId, to.deviceId);
  for (const { listener, talker } of slotEdges) join(talker.deviceId, listener.deviceId);
  const firstNodes = Int32Array.from(firstNode.values());
  return { deviceIds, firstNode, firstNodes, firstList, size, listBase, receiversByCable };
}

function listsOf(parts: ReadonlyMap<string, DevicePart>, deviceIds: readonly string[]): SignalGraph['lists'] {
  const lists: (readonly number[])[] = [];
  for (const id of deviceIds) for (const list of (parts.get(id) as DevicePart).lists) lists.push(list);
  return lists;
}

interface OpenGraph extends SignalGraph {
  readonly refused: Map<number, number>;
}

function placeInside({ feeders, firstNode, firstList }: SignalGraph, part: DevicePart): void {
  const first = firstNode.get(part.deviceId) as number;
  const list = firstList.get(part.deviceId) as number;
  for (let n = 0; n < part.size; n += 1) {
    const from = part.feeders[n] as number;
    feeders[first + n] = from >= 0 ? first + from : from === NOBODY ? NOBODY : from - list;
  }
}

function placeLanes(
  { feeders, refused, firstNode, parts }: OpenGraph,
  part: DevicePart,
  lanes: ReceivedLanes | undefined,
): void {
  const { begin, count } = channelsOf(part, NETWORK_IN);
  const first = (firstNode.get(part.deviceId) as number) + begin;
  for (let n = 0; n < count && refused.size > 0; n += 1) refused.delete(first + n);
  if (lanes === undefined) return;
  const { wish, reasons } = lanes;
  for (const run of wish.runs) {
    const sender = parts.get(run.senderId);
    if (sender === undefined) continue;
    const out = channelsOf(sender, NETWORK_OUT);
    const base = (firstNode.get(run.senderId) as number) + out.begin - 1;
    for (let k = 0; k < run.count; k += 1) {
      const lane = run.places === null ? run.first + k : (run.places[k] as number);
      const receiverChannel = wish.receiverChannels[lane] as number;
      const senderChannel = wish.senderChannels[lane] as number;
      if (receiverChannel > count || senderChannel > out.count) continue;
      const fed = first + receiverChannel - 1;
      if (reasons !== null && reasons[lane] !== null) refused.set(fed, base + senderChannel);
      else feeders[fed] = base + senderChannel;
    }
  }
}

/** Where the channels of a terminal begin, and how many there are. */
function channelsOf(part: DevicePart, terminalId: string): { readonly begin: number; readonly count: number } {
  const n = part.terminals.findIndex((t) => t.id === terminalId);
  return { begin: part.firstNode[n] ?? 0, count: part.terminals[n]?.channels ?? 0 };
}

/** Of several cables into one socket the first by its id is received. */
function placeCables(
  graph: SignalGraph,
  audioCables: ReadonlyMap<string, AudioCable>,
  slotEdges: readonly SlotEdge[],
): void {
  const place = (from: SignalEnd, to: SignalEnd) => {
    const source = nodeOf(graph, from);
    const fed = nodeOf(graph, to);
    if (source !== NOBODY && fed !== NOBODY) graph.feeders[fed] = source;
  };
  const lastFirst = [...audioCables.values()].sort((a, b) => (a.id < b.id ? 1 : -1));
  for (const { from, to, channels } of lastFirst) {
    for (let n = 0; n < channels; n += 1)
      place({ ...from, channel: from.channel + n }, { ...to, channel: to.channel + n });
  }
  for (const { listener, talker } of slotEdges)
    place({ ...talker, terminalId: SLOTS_OUT }, { ...listener, terminalId: SLOTS_IN });
}
