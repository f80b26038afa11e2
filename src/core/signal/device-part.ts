import type { BusSend } from '../patch/bus-sends-table';
import type { Patch } from '../patch/patches-table';
import { onceFor } from '../plan/once-for';
import type { PlanOf } from '../plan/plan';
import { isInsideKnown, terminalsOf, type Insides, type Terminal } from './terminals';

const NO_NODES: readonly number[] = [];

/** Nothing feeds it. */
export const NOBODY = -1;

/**
 * What feeds a node is one number: from 0 on the one node that feeds it, NOBODY, or which of the lists of mixed nodes holds for it. Every
 * channel of a bus has a list of its own, so that lists keep their numbers whatever is patched.
 */
export const mixOf = (listNumber: number): number => -2 - listNumber;
/** The number of the list; below 0: it is no mix. */
export const listNumberOf = (feeder: number): number => -2 - feeder;

/** The channels of one device as the nodes of a graph, numbered from 0, and what feeds each within the device. */
export interface DevicePart {
  readonly deviceId: string;
  readonly model: Insides;
  readonly terminals: readonly Terminal[];
  /** By terminal, the node of its first channel. */
  readonly firstNode: readonly number[];
  readonly size: number;
  /** By node. */
  readonly feeders: Int32Array;
  /** What each channel of each bus mixes, in the order of nodes; those of a matrix share one list. */
  readonly lists: readonly (readonly number[])[];
  /** Whether anything of its inside was planned. */
  readonly isPlanned: boolean;
  readonly patches: ReadonlyMap<string, Patch> | undefined;
  readonly sends: ReadonlyMap<string, BusSend> | undefined;
}

/** The node of a channel of a terminal; NOBODY: there is no such channel. */
export function nodeIn(part: DevicePart, terminalId: string, channel: number): number {
  const { terminals } = part;
  let n = 0;
  while (n < terminals.length && (terminals[n] as Terminal).id !== terminalId) n += 1;
  const terminal = terminals[n];
  if (terminal === undefined || channel < 1 || channel > terminal.channels) return NOBODY;
  return (part.firstNode[n] as number) + channel - 1;
}

/** The place of a node's terminal in the list of terminals. */
export function terminalIndexAt(part: DevicePart, node: number): number {
  let n = part.firstNode.length - 1;
  while (n > 0 && (part.firstNode[n] as number) > node) n -= 1;
  return n;
}

/** By model: how a device is that nobody has patched. Most devices are, and all of one model share what they are made of. */
const asNormalled = onceFor((model: Insides) => partOf('', model, undefined, undefined));

/** How the inside of a device leads on: by its patch where there is one, else as its model is normalled. */
export function devicePart(
  deviceId: string,
  model: Insides,
  patches: ReadonlyMap<string, Patch> | undefined,
  sends: ReadonlyMap<string, BusSend> | undefined,
): DevicePart {
  if ((patches?.size ?? 0) > 0 || (sends?.size ?? 0) > 0) return partOf(deviceId, model, patches, sends);
  // Written out: there are thousands, and those made by spreading are read far more slowly.
  const { terminals, firstNode, size, feeders, lists, isPlanned } = asNormalled(model);
  return { deviceId, model, terminals, firstNode, size, feeders, lists, isPlanned, patches, sends };
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

function partOf(
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
  const nodeFinder = () => {
    // Records come terminal by terminal: the one that was found last is mostly the one wanted again.
    let lastId = '';
    let found: { readonly first: number; readonly channels: number } | undefined;
    return (terminalId: string, channel: number): number => {
      if (terminalId !== lastId) {
        found = firstById.get(terminalId);
        lastId = terminalId;
      }
      return found === undefined || channel > found.channels ? NOBODY : found.first + channel - 1;
    };
  };
  const lists: (readonly number[])[] = [];
  const listAt = new Int32Array(size).fill(NOBODY);
  for (const [n, t] of terminals.entries()) {
    const first = firstNode[n] as number;
    const from = t.normalledTo === null ? undefined : firstById.get(t.normalledTo);
    if (from !== undefined) for (let c = 0; c < t.normalledChannels; c += 1) feeders[first + c] = from.first + c;
    if (t.kind !== 'bus') continue;
    const mixed = t.mixes === null ? undefined : firstById.get(t.mixes);
    const all = mixed === undefined ? NO_NODES : Array.from({ length: mixed.channels }, (_, c) => mixed.first + c);
    for (let c = 0; c < t.channels; c += 1) {
      listAt[first + c] = lists.length;
      lists.push(all);
    }
  }
  const fedAt = nodeFinder();
  const sourceAt = nodeFinder();
  for (const patch of patches?.values() ?? []) {
    const node = fedAt(patch.terminalId, patch.channel);
    if (node !== NOBODY)
      feeders[node] = patch.from === null ? NOBODY : sourceAt(patch.from.terminalId, patch.from.channel);
  }
  const sentTo = sourcesByList(sends, listAt, lists.length, fedAt, sourceAt);
  for (let node = 0; node < size; node += 1) {
    const list = listAt[node] as number;
    if (list === NOBODY) continue;
    const fixed = lists[list] as readonly number[];
    const sent = sentTo[list] ?? NO_NODES;
    const direct = feeders[node] as number;
    // What a bus is normalled or patched to sounds along with what it mixes.
    if (fixed.length === 0 && direct === NOBODY) lists[list] = sent;
    else if (sent.length > 0 || (direct !== NOBODY && fixed.length > 0)) {
      const all = [...fixed, ...sent, ...(direct === NOBODY ? [] : [direct])];
      lists[list] = [...new Set(all)].sort((a, b) => a - b);
    }
    if ((lists[list] as readonly number[]).length > 0) feeders[node] = mixOf(list);
  }
  const isPlanned = isInsideKnown(model) && (patches?.size ?? 0) + (sends?.size ?? 0) > 0;
  return { deviceId, model, terminals, firstNode, size, feeders, lists, isPlanned, patches, sends };
}

/** By list, the nodes that are sent to its bus, in rising order. A source is sent to a bus once: records are told apart by just these. */
function sourcesByList(
  sends: ReadonlyMap<string, BusSend> | undefined,
  listAt: Int32Array,
  listCount: number,
  fedAt: (terminalId: string, channel: number) => number,
  sourceAt: (terminalId: string, channel: number) => number,
): readonly (readonly number[])[] {
  if (sends === undefined || sends.size === 0) return [];
  const sources = Array.from({ length: listCount }, (): number[] => []);
  for (const { isOn, terminalId, channel, fromTerminalId, fromChannel } of sends.values()) {
    const node = isOn ? fedAt(terminalId, channel) : NOBODY;
    const source = node === NOBODY ? NOBODY : sourceAt(fromTerminalId, fromChannel);
    const list = source === NOBODY ? NOBODY : (listAt[node] as number);
    if (list !== NOBODY) (sources[list] as number[]).push(source);
  }
  return sources.map((own) => (own.length === 0 ? NO_NODES : isRising(own) ? own : own.sort((a, b) => a - b)));
}

function isRising(numbers: readonly number[]): boolean {
  for (let n = 1; n < numbers.length; n += 1) if ((numbers[n - 1] as number) > (numbers[n] as number)) return false;
  return true;
}
