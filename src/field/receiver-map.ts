import { mapProblem, type MapEntry } from '../core/streams/map-limits';
import { isAlwaysFed, networkEndsOf, receivedPlace, type ChannelMap } from '../core/formats/is08';
import type { MapAction } from './device-reader';
import type { FieldNode } from './field-resources';

/** What the channel map of a receiving device is to be sent, and whether it can be: its blocks go whole, its order is kept. */

interface ReceiverFeed {
  readonly channel: number;
  /** Which of the device's streams, from 1. */
  readonly streamNumber: number;
  /** Place within the stream, from 1. */
  readonly position: number;
}

/** A channel and what is to feed it; null: nothing. */
export interface WantedEntry {
  readonly channel: number;
  readonly feed: ReceiverFeed | null;
}

export function isFed(map: ChannelMap, node: FieldNode, feed: ReceiverFeed): boolean {
  const own = receivedPlace(map, feed.channel);
  const fed = own && map.active.get(own.id)?.get(own.index);
  const input = map.inputs.find((i) => i.receiverId === node.receivers[feed.streamNumber - 1]?.id);
  return fed != null && fed.input === input?.id && fed.index === feed.position - 1;
}

/** The number of an own channel: the way back from `receivedPlace`. */
function channelOf(map: ChannelMap, outputId: string, index: number): number {
  let before = 0;
  for (const output of networkEndsOf(map).received) {
    if (output.id === outputId) return before + index + 1;
    before += output.channels;
  }
  return 0;
}

/**
 * The entries to send. A block is sent whole: what is in it beside the wanted channels is mapped along where it is fed (those
 * positions are empty) and taken off where it is not. Throws where the device has no such channel, or where its limits forbid it.
 * @param mayGo whether a channel that was not asked for may be taken off with the rest of its block
 */
export function receiverAction(
  map: ChannelMap,
  node: FieldNode,
  wanted: readonly WantedEntry[],
  mayGo: (channel: number) => boolean,
): MapAction {
  const action = new Map<string, Map<number, MapEntry | null>>();
  const set = (outputId: string, index: number, entry: MapEntry | null) => {
    const entries = action.get(outputId) ?? new Map<number, MapEntry | null>();
    action.set(outputId, entries.set(index, entry));
  };
  const inputById = new Map(map.inputs.map((i) => [i.id, i]));
  const blockSizeOf = (inputId: string) => inputById.get(inputId)?.limits?.blockSize ?? 1;
  const told = wanted.map(({ channel, feed }) => {
    const own = receivedPlace(map, channel);
    if (own === null) throw new Error(`the channel map has no output channel ${channel}`);
    if (feed === null) return { own, entry: null };
    const input = map.inputs.find((i) => i.receiverId === node.receivers[feed.streamNumber - 1]?.id);
    if (input === undefined) throw new Error(`the channel map has no input for receiver ${feed.streamNumber}`);
    return { own, entry: { input: input.id, index: feed.position - 1 } };
  });
  const asked = new Set(wanted.map((w) => w.channel));
  // What is taken off takes its block along, before what is fed is put there.
  for (const { own } of told) {
    const now = map.active.get(own.id)?.get(own.index);
    const blockSize = now === undefined ? 1 : blockSizeOf(now.input);
    const start = own.index - ((now?.index ?? 0) % blockSize);
    for (let n = 0; n < blockSize; n += 1) {
      const other = map.active.get(own.id)?.get(start + n);
      if (start + n !== own.index && other?.input !== now?.input) continue;
      const channel = channelOf(map, own.id, start + n);
      if (!asked.has(channel) && !mayGo(channel)) {
        throw new Error(`its channel map takes blocks of ${blockSize} only: channel ${channel} would go silent`);
      }
      set(own.id, start + n, null);
    }
  }
  for (const { own, entry } of told) {
    if (entry === null) continue;
    const blockSize = blockSizeOf(entry.input);
    const inBlock = entry.index % blockSize;
    for (let n = 0; n < blockSize; n += 1) {
      const index = own.index - inBlock + n;
      set(own.id, index, { input: entry.input, index: entry.index - inBlock + n });
    }
  }
  // Explicit wishes have the last word, so that two that exclude each other are found out below.
  for (const { own, entry } of told) if (entry !== null) set(own.id, own.index, entry);
  for (const [outputId, entries] of action) {
    const output = map.outputs.find((o) => o.id === outputId);
    const channels = output?.channels ?? 0;
    const after = new Map(map.active.get(outputId) ?? []);
    for (const [index, entry] of entries) {
      if (index < 0 || index >= channels) throw new Error('a block of its channel map does not fit there');
      if (output?.routable?.has(entry?.input ?? null) === false) {
        throw new Error(
          entry === null
            ? `its channel map does not let channel ${index + 1} be fed by nothing`
            : `its channel map does not let ${entry.input} feed channel ${index + 1}`,
        );
      }
      if (entry === null) after.delete(index);
      else after.set(index, entry);
    }
    const problem = mapProblem(after, (id) => inputById.get(id)?.limits ?? null);
    if (problem === null) continue;
    const limits = inputById.get(problem.input)?.limits;
    throw new Error(
      problem.broken === 'block'
        ? `its channel map takes blocks of ${limits?.blockSize ?? 1} only, which channel ${problem.output + 1} would break`
        : `its channel map keeps the order of a stream, which channel ${problem.output + 1} would break`,
    );
  }
  return Object.fromEntries(
    [...action].map(([outputId, entries]) => [
      outputId,
      Object.fromEntries(
        [...entries].map(([index, entry]) => [
          String(index),
          { input: entry?.input ?? null, channel_index: entry?.index ?? null },
        ]),
      ),
    ]),
  );
}

export type Entry = { readonly input: string; readonly index: number };

/** Channels to be cleared in the map. Where nothing may not feed one, its receiver is switched off instead. */
export const clearedIn = (map: ChannelMap, channels: readonly number[]): WantedEntry[] =>
  channels.filter((channel) => !isAlwaysFed(map, channel)).map((channel) => ({ channel, feed: null }));

/** What the receiver's map has for a channel, and which of its streams that comes from; null: nothing. */
export function nowOf(map: ChannelMap, node: FieldNode, channel: number): (Entry & { streamNumber: number }) | null {
  const own = receivedPlace(map, channel);
  const entry = own && map.active.get(own.id)?.get(own.index);
  if (!entry) return null;
  const receiverId = map.inputs.find((i) => i.id === entry.input)?.receiverId;
  return { ...entry, streamNumber: node.receivers.findIndex((r) => r.id === receiverId) + 1 };
}

/** The entries of a map for all that an action changes, as far as they may come back. */
export function entriesBefore(map: ChannelMap, action: MapAction, mayComeBack: (entry: Entry) => boolean): MapAction {
  const back: MapAction = {};
  for (const [outputId, entries] of Object.entries(action)) {
    for (const index of Object.keys(entries)) {
      const was = map.active.get(outputId)?.get(Number(index));
      if (was === undefined || !mayComeBack(was)) continue;
      (back[outputId] ??= {})[index] = { input: was.input, channel_index: was.index };
    }
  }
  return back;
}

/** An action without the entries of channels that went over. */
export function without(
  action: MapAction,
  map: ChannelMap,
  wentOver: readonly { readonly channel: number }[],
): MapAction {
  const left: MapAction = structuredClone(action);
  for (const { channel } of wentOver) {
    const own = receivedPlace(map, channel);
    if (own === null) continue;
    delete left[own.id]?.[String(own.index)];
    if (Object.keys(left[own.id] ?? {}).length === 0) delete left[own.id];
  }
  return left;
}
