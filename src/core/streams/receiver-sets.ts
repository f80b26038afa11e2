import type { Demand } from './packing';

/**
 * A set of receivers, as a chain from the last demand's index to the first. Channels that the same demands name share the very
 * same chain, so that grouping them is a comparison of references.
 */
interface ReceiverSet {
  readonly last: number;
  readonly rest: ReceiverSet | null;
  /** What it becomes with one more: the first that was asked for, and the others by the demand's index. */
  newest: ReceiverSet | null;
  others: Map<number, ReceiverSet> | null;
  /** The group that its channels are gathered in, once they are. */
  group: number;
}

const UNGROUPED = -1;
const setOf = (last: number, rest: ReceiverSet | null): ReceiverSet => ({
  last,
  rest,
  newest: null,
  others: null,
  group: UNGROUPED,
});

export function indexesOf(set: ReceiverSet): number[] {
  let count = 0;
  for (let at: ReceiverSet | null = set; at !== null && at.last >= 0; at = at.rest) count += 1;
  const indexes = new Array<number>(count);
  for (let at: ReceiverSet | null = set; at !== null && at.last >= 0; at = at.rest) {
    count -= 1;
    indexes[count] = at.last;
  }
  return indexes;
}

/** For each wanted channel of a sender the demands that name it. */
export class ReceiversByChannel {
  /** By channel. */
  private readonly sets: (ReceiverSet | null)[] = [];
  private nobody = setOf(-1, null);

  /** One more demand that names a channel; demands come in the order of their indexes. */
  add(channel: number, index: number): void {
    while (this.sets.length <= channel) this.sets.push(null);
    const before = this.sets[channel] ?? this.nobody;
    if (before.last !== index) this.sets[channel] = extended(before, index);
  }

  /** Channels with who names them, in rising order. */
  entries(): [number, ReceiverSet][] {
    return this.sets.flatMap((set, channel): [number, ReceiverSet][] => (set === null ? [] : [[channel, set]]));
  }

  replace(left: ReadonlyMap<number, Iterable<number>>): void {
    this.sets.length = 0;
    this.nobody = setOf(-1, null);
    for (const [channel, indexes] of left) for (const index of indexes) this.add(channel, index);
  }

  /** The channels that just the same demands name, together, each group in rising order; groups in the order of their first channels. */
  groups(): { readonly set: ReceiverSet; readonly channels: number[] }[] {
    const { sets } = this;
    const found: ReceiverSet[] = [];
    const counts: number[] = [];
    for (const set of sets) {
      if (set === null) continue;
      if (set.group === UNGROUPED) {
        set.group = found.length;
        found.push(set);
        counts.push(0);
      }
      counts[set.group] = (counts[set.group] as number) + 1;
    }
    const groups = found.map((set, n) => ({ set, channels: new Array<number>(counts[n] as number) }));
    counts.fill(0);
    for (let channel = 0; channel < sets.length; channel += 1) {
      const set = sets[channel];
      if (set == null) continue;
      const at = counts[set.group] as number;
      (groups[set.group] as { channels: number[] }).channels[at] = channel;
      counts[set.group] = at + 1;
    }
    for (const set of found) set.group = UNGROUPED;
    return groups;
  }
}

export function receiversByChannel(demands: readonly Demand[], key: string): ReceiversByChannel {
  const receivers = new ReceiversByChannel();
  for (let index = 0; index < demands.length; index += 1) {
    const { formatKey, runs, senderChannels } = demands[index] as Demand;
    if (formatKey !== key || runs !== undefined) continue;
    for (let k = 0; k < senderChannels.length; k += 1) receivers.add(senderChannels[k] as number, index);
  }
  return receivers;
}

function extended(before: ReceiverSet, index: number): ReceiverSet {
  // Neighbouring channels mostly go to the same: the set that was made last is the one wanted again.
  if (before.newest?.last === index) return before.newest;
  let after = before.others?.get(index);
  if (after === undefined) {
    after = setOf(index, before);
    if (before.newest === null) before.newest = after;
    else (before.others ??= new Map()).set(index, after);
  }
  return after;
}
