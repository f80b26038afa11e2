import type { DevicePart } from './device-part';
import { listNumberOf, nodeIn, NOBODY, terminalIndexAt } from './device-part';
import type { SignalEnd } from './signal-end';
import type { Terminal } from './terminals';

/**
 * One graph of all channels of a plan: sockets, links, network channels, strips, buses. A channel is a node; what feeds it follows from
 * lanes, device patches, sends, cables, and slot buses. All but buses are fed by at most one, so that most of the graph is one number for
 * each node, and following a sound back is walking along them. A refused lane feeds nothing.
 */
export interface SignalGraph {
  readonly parts: ReadonlyMap<string, DevicePart>;
  /** The devices in the order of their nodes, and the first node and the first list of each. */
  readonly deviceIds: readonly string[];
  readonly firstNode: ReadonlyMap<string, number>;
  /** The first node of each, in the order of devices. */
  readonly firstNodes: Int32Array;
  readonly firstList: ReadonlyMap<string, number>;
  readonly size: number;
  /** By node, what feeds it: a node, NOBODY, or one of the lists (see `device-part.ts`). */
  readonly feeders: Int32Array;
  /** By list: what a bus mixes, as nodes of its device numbered from 0; devices that are alike inside share them. */
  readonly lists: readonly (readonly number[])[];
  /** By list: the first node of its device. */
  readonly listBase: Int32Array;
  /** By network input whose lane is refused: the network output that it would be fed by. */
  readonly refused: ReadonlyMap<number, number>;
  /** By sending device, which devices may be fed from it: by subscriptions, and by cables and slot buses. */
  readonly receiversByLane: ReadonlyMap<string, readonly { readonly wish: { readonly receiverId: string } }[]>;
  readonly receiversByCable: ReadonlyMap<string, ReadonlySet<string>>;
}

/** The node of a channel; NOBODY: the plan has no such channel. */
export function nodeOf(graph: SignalGraph, { deviceId, terminalId, channel }: SignalEnd): number {
  const part = graph.parts.get(deviceId);
  const first = graph.firstNode.get(deviceId);
  if (part === undefined || first === undefined) return NOBODY;
  const node = nodeIn(part, terminalId, channel);
  return node === NOBODY ? NOBODY : first + node;
}

/** The place in the list of devices of the one that a node belongs to. */
export function deviceIndexAt({ firstNodes }: SignalGraph, node: number): number {
  let low = 0;
  let high = firstNodes.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((firstNodes[middle] as number) <= node) low = middle;
    else high = middle - 1;
  }
  // A device without any channel begins where the next one does: of those the last is found.
  return low;
}

/** A channel with its terminal. */
export interface ChannelAt extends SignalEnd {
  readonly terminal: Terminal;
}

/** The channel that a node is. */
export function channelAt(graph: SignalGraph, node: number): ChannelAt {
  const { deviceIds, firstNode } = graph;
  const deviceId = deviceIds[deviceIndexAt(graph, node)] as string;
  const part = graph.parts.get(deviceId) as DevicePart;
  const inner = node - (firstNode.get(deviceId) as number);
  const n = terminalIndexAt(part, inner);
  const terminal = part.terminals[n] as Terminal;
  return { deviceId, terminalId: terminal.id, channel: inner - (part.firstNode[n] as number) + 1, terminal };
}

/** The one node that feeds a node; undefined: nothing does, or several. */
export function onlyFeederOf(graph: SignalGraph, node: number): number | undefined {
  const feeders = feedersOf(graph, node);
  return feeders.length === 1 ? feeders[0] : undefined;
}

const NO_NODES: readonly number[] = [];

/** What feeds a node. */
export function feedersOf({ feeders, lists, listBase }: SignalGraph, node: number): readonly number[] {
  const from = feeders[node] as number;
  if (from >= 0) return [from];
  if (from === NOBODY) return NO_NODES;
  const base = listBase[listNumberOf(from)] as number;
  return (lists[listNumberOf(from)] as readonly number[]).map((inner) => base + inner);
}
