import { changedKeys } from '../plan/changed-keys';
import { pairOf, type Pair } from './pair';
import type { DeviceProfile } from './profile';
import type { Before } from './step';
import type { Wish, WishedRun, Wishes } from './wishes';

/** By receiver, and by run of what it wishes: how it receives that sender; null where that is no device of a known model. */
export type Pairs = ReadonlyMap<string, readonly (Pair | null)[]>;

interface PairReads {
  readonly profiles: ReadonlyMap<string, DeviceProfile>;
  readonly wishes: Wishes;
}

/** How everyone receives whom it wishes to receive: worked out again for those of whom the wish, or either end, changed. */
export function pairsOf(now: PairReads, before: Before<PairReads, Pairs> | undefined): Pairs {
  const { profiles, wishes } = now;
  const pairs = new Map(before?.made);
  const touched = before === undefined ? wishes.byReceiver.keys() : touchedReceivers(now, before.now);
  for (const id of touched) {
    const receiver = profiles.get(id);
    const wish = wishes.byReceiver.get(id);
    if (receiver === undefined || wish === undefined) pairs.delete(id);
    else pairs.set(id, pairsInto(receiver, wish, profiles));
  }
  return pairs;
}

function pairsInto(receiver: DeviceProfile, { runs }: Wish, profiles: PairReads['profiles']): readonly (Pair | null)[] {
  // Just as long as it has to be: a plan keeps thousands of them.
  const own = new Array<Pair | null>(runs.length);
  for (let n = 0; n < runs.length; n += 1) {
    const sender = profiles.get((runs[n] as WishedRun).senderId);
    own[n] = sender === undefined ? null : pairOf(sender, receiver);
  }
  return own;
}

function touchedReceivers(now: PairReads, was: PairReads): Set<string> {
  const touched = new Set(changedKeys(now.wishes.byReceiver, was.wishes.byReceiver));
  for (const id of changedKeys(now.profiles, was.profiles)) {
    touched.add(id);
    for (const { wish } of now.wishes.receiversBySender.get(id) ?? []) touched.add(wish.receiverId);
  }
  return touched;
}
