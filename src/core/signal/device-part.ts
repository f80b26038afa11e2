import type { BusSend } from '../patch/bus-sends-table';
import type { Patch } from '../patch/patches-table';
import { isInsideKnown, terminalsOf, type Insides, type Terminal } from './terminals';

/** Nothing feeds it. */
export const NOBODY = -1;

/** A bus and the channels that it mixes. */
export interface Mix {
  readonly node: number;
  readonly feeders: Int32Array;
}

/** The channels of one device as the nodes of a graph, numbered from 0, and what feeds each within the device. */
export interface DevicePart {
  readonly deviceId: string;
  readonly model: Insides;
  readonly terminals: readonly Terminal[];
  /** By terminal, the node of its first channel. */
  readonly firstNode: readonly number[];
  readonly size: number;
  /** By node. Of buses that mix nothing stands here: see `mixes`. */
  readonly feeders: Int32Array;
  readonly mixes: readonly Mix[];
  /** Whether anything of its inside was planned. */
  readonly isPlanned: boolean;
  readonly patches: ReadonlyMap<string, Patch> | undefined;
  readonly sends: ReadonlyMap<string, BusSend> | undefined;
}

/** The node of a channel of a terminal; NOBODY: there is no such channel. */
export function nodeIn(part: DevicePart, terminalId: string, channel: number): number {
  const n = part.terminals.findIndex((t) => t.id === terminalId);
  const terminal = part.terminals[n];
  if (terminal === undefined || channel < 1 || channel > terminal.channels) return NOBODY;
  return (part.firstNode[n] as number) + channel - 1;
}

/** The place of a node's terminal in the list of terminals. */
export function terminalIndexAt(part: DevicePart, node: number): number {
  let n = part.firstNode.length - 1;
  while (n > 0 && (part.firstNode[n] as number) > node) n -= 1;
  return n;
}

/** How the inside of a device leads on: by its patch where there is one, else as its model is normalled. */
export function devicePart(
  deviceId: string,
  model: Insides,
  patches: ReadonlyMap<string, Patch> | undefined,
  sends: ReadonlyMap<string, BusSend> | undefined,
): DevicePart {
  const terminals = terminalsOf(model);
  const firstNode: number[] = [];
  let size = 0;
  for (const t of terminals) {
    firstNode.push(size);
    size += t.channels;
  }
  const feeders = new Int32Array(size).fill(NOBODY);
  const firstById = new Map(terminals.map((t, n) => [t.id, { first: firstNode[n] as number, channels: t.channels }]));
  const at = (terminalId: string, channel: number): number => {
    const found = firstById.get(terminalId);
    return found === undefined || channel > found.channels ? NOBODY : found.first + channel - 1;
  };
  const mixes: Mix[] = [];
  for (const [n, t] of terminals.entries()) {
    const first = firstNode[n] as number;
    const from = t.normalledTo === null ? undefined : firstById.get(t.normalledTo);
    if (from !== undefined) for (let c = 0; c < t.normalledChannels; c += 1) feeders[first + c] = from.first + c;
    const mixed = t.mixes === null ? undefined : firstById.get(t.mixes);
    if (mixed === undefined) continue;
    const all = Int32Array.from({ length: mixed.channels }, (_, c) => mixed.first + c);
    for (let c = 0; c < t.channels; c += 1) mixes.push({ node: first + c, feeders: all });
  }
  for (const patch of patches?.values() ?? []) {
    const node = at(patch.terminalId, patch.channel);
    if (node !== NOBODY) feeders[node] = patch.from === null ? NOBODY : at(patch.from.terminalId, patch.from.channel);
  }
  const sentTo = new Map<number, number[]>();
  for (const send of sends?.values() ?? []) {
    if (!send.isOn) continue;
    const node = at(send.terminalId, send.channel);
    const source = at(send.fromTerminalId, send.fromChannel);
    if (node === NOBODY || source === NOBODY) continue;
    const known = sentTo.get(node);
    if (known === undefined) sentTo.set(node, [source]);
    else known.push(source);
  }
  for (const [node, sources] of sentTo) {
    const fixed = mixes.findIndex((m) => m.node === node);
    if (fixed >= 0) sources.push(...(mixes[fixed] as Mix).feeders);
    const mix = { node, feeders: Int32Array.from(new Set(sources)).sort() };
    if (fixed >= 0) mixes[fixed] = mix;
    else mixes.push(mix);
  }
  // What a bus is normalled or patched to sounds along with what it mixes.
  for (const [n, mix] of mixes.entries()) {
    const direct = feeders[mix.node] as number;
    if (direct === NOBODY) continue;
    mixes[n] = { ...mix, feeders: Int32Array.from(new Set([...mix.feeders, direct])).sort() };
    feeders[mix.node] = NOBODY;
  }
  const isPlanned = isInsideKnown(model) && (patches?.size ?? 0) + (sends?.size ?? 0) > 0;
  return { deviceId, model, terminals, firstNode, size, feeders, mixes, isPlanned, patches, sends };
}
