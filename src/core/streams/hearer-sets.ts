import type { Want } from './packing';

/**
 * A set of hearers, as a chain from the last want's index to the first. Channels that the same wants name share the very
 * same chain, so that grouping them is a comparison of references.
 */
export interface HearerSet {
  readonly last: number;
  readonly rest: HearerSet | null;
  /** What it becomes with one more: the first that was asked for, and the others by the want's index. */
  newest: HearerSet | null;
  others: Map<number, HearerSet> | null;
}

export function indexesOf(set: HearerSet): number[] {
  const indexes: number[] = [];
  for (let at: HearerSet | null = set; at !== null && at.last >= 0; at = at.rest) indexes.push(at.last);
  return indexes.reverse();
}

/** For each wanted sender channel the wants that name it. */
export function hearersByChannel(wants: readonly Want[], key: string): Map<number, HearerSet> {
  const nobody: HearerSet = { last: -1, rest: null, newest: null, others: null };
  const hearers = new Map<number, HearerSet>();
  for (let index = 0; index < wants.length; index += 1) {
    const want = wants[index] as Want;
    if (want.formatKey !== key || want.runs !== undefined) continue;
    for (const channel of want.senderChannels) extend(hearers, channel, index, nobody);
  }
  return hearers;
}

export function extend(hearers: Map<number, HearerSet>, channel: number, index: number, nobody: HearerSet): void {
  const before = hearers.get(channel) ?? nobody;
  if (before.last !== index) hearers.set(channel, extended(before, index));
}

function extended(before: HearerSet, index: number): HearerSet {
  // Neighbouring channels are mostly heard by the same: the set that was made last is the one wanted again.
  if (before.newest?.last === index) return before.newest;
  let after = before.others?.get(index);
  if (after === undefined) {
    after = { last: index, rest: before, newest: null, others: null };
    if (before.newest === null) before.newest = after;
    else (before.others ??= new Map()).set(index, after);
  }
  return after;
}

export function replaceHearers(hearers: Map<number, HearerSet>, left: ReadonlyMap<number, Iterable<number>>): void {
  const nobody: HearerSet = { last: -1, rest: null, newest: null, others: null };
  hearers.clear();
  for (const [channel, indexes] of left) for (const index of indexes) extend(hearers, channel, index, nobody);
}
