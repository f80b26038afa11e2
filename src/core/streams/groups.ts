import { EthernetGroups } from '../network/ethernet-groups';
import {
  ethernetGroupBits,
  isInBlock,
  isMulticast,
  isReservedGroup,
  parseAddress,
  parseCidr,
  type Block,
} from '../network/address';
import { changedKeys } from '../plan/changed-keys';
import type { PlanOf } from '../plan/plan';
import type { Stream } from './stream';
import type { StreamGroups } from './stream-groups';

type StreamsBySender = ReadonlyMap<string, readonly Stream[]>;

interface GroupReads extends PlanOf<'settings' | 'groupChoices'> {
  readonly deviceIds: readonly string[];
  readonly streamsBySender: StreamsBySender;
}

/** The groups of all streams, and what is known of them as a whole. */
export interface GroupAllocation {
  readonly byStream: ReadonlyMap<string, StreamGroups>;
  /** Streams that have a leg without a group. */
  readonly without: readonly Stream[];
  /** Some group is reserved, or shares its Ethernet address with another. */
  readonly isAnyOdd: boolean;
  /** Legs that did not get the group that their identity asks for first. */
  readonly displaced: readonly Displaced[];
  readonly used: EthernetGroups;
}

/** A leg that passed over so many groups of its pool, as each was taken or reserved: were one of them free, it would have it. */
interface Displaced {
  readonly streamId: string;
  readonly pool: Block;
  readonly seed: number;
  readonly passedOver: number;
}

/**
 * Gives every stream its groups from the plan's pools. Groups are unique, and unique after the mapping onto Ethernet
 * addresses, over both legs. A group chosen by hand is taken as it is, even where it collides (a finding says so). What was
 * sent keeps its groups; the others start from a hash of their identity, so that they rarely move when something else is
 * edited. Senders come in the order of their ids, streams in that of their numbers: first come, first served.
 */
export function allocateGroups(
  now: GroupReads,
  before?: { readonly now: GroupReads; readonly made: GroupAllocation },
): GroupAllocation {
  return (before && reallocated(now, before.now, before.made)) ?? allocatedInFull(now);
}

/** What is fixed for a leg: chosen by hand, or sent so. */
function fixedGroup(now: GroupReads, stream: Stream, leg: 'groupA' | 'groupB'): number | null {
  const choice = now.groupChoices.get(stream.senderDeviceId)?.get(stream.streamNumber);
  const text = choice?.[leg] ?? stream.sent?.[leg];
  return text ? parseAddress(text) : null;
}

/** What nobody else may be given: a sent group stays taken while another is chosen by hand in its place. */
function* heldGroups(now: GroupReads, stream: Stream): Iterable<number> {
  const choice = now.groupChoices.get(stream.senderDeviceId)?.get(stream.streamNumber);
  if (choice === undefined && stream.sent === null) return;
  for (const text of [choice?.groupA, choice?.groupB, stream.sent?.groupA, stream.sent?.groupB]) {
    const group = text ? parseAddress(text) : null;
    if (group !== null) yield group;
  }
}

function allocatedInFull(now: GroupReads): GroupAllocation {
  const used = EthernetGroups.none();
  const streams = now.deviceIds.flatMap((id) => now.streamsBySender.get(id) ?? []);
  const isAnyChosen = now.groupChoices.size > 0;
  for (const stream of streams) {
    if (!isAnyChosen && stream.sent === null) continue;
    for (const group of heldGroups(now, stream)) used.add(ethernetGroupBits(group));
  }
  const poolA = parseCidr(now.settings.poolA);
  const poolB = parseCidr(now.settings.poolB);
  const byStream = new Map<string, StreamGroups>();
  const without: Stream[] = [];
  const given = EthernetGroups.none();
  let isAnyOdd = false;
  const displaced: Displaced[] = [];
  const leg = (stream: Stream, which: 'A' | 'B', pool: Block | null): number | null => {
    if (!stream.legs.includes(which)) return null;
    const isFixed = isAnyChosen || stream.sent !== null;
    const fixed = isFixed ? fixedGroup(now, stream, which === 'A' ? 'groupA' : 'groupB') : null;
    const group = fixed ?? take(pool, stream, used, displaced);
    if (group === null) return null;
    if (isMulticast(group)) {
      const bits = ethernetGroupBits(group);
      if (given.has(bits) || isReservedGroup(group)) isAnyOdd = true;
      given.add(bits);
    }
    return group;
  };
  for (const stream of streams) {
    const groups = stream.unicastTo ?? { A: leg(stream, 'A', poolA), B: leg(stream, 'B', poolB) };
    byStream.set(stream.id, groups);
    const { legs } = stream;
    for (let n = 0; n < legs.length; n += 1) {
      if (groups[legs[n] as 'A' | 'B'] !== null) continue;
      without.push(stream);
      break;
    }
  }
  return { byStream, without, isAnyOdd, displaced, used };
}

/**
 * The groups after some senders' streams changed; null where all have to be given out again. Those who go must free nothing that
 * a displaced one waits for, and those who come must find free what they ask for first: then nobody else is concerned.
 */
function reallocated(now: GroupReads, was: GroupReads, made: GroupAllocation): GroupAllocation | null {
  const isSame = now.settings === was.settings && now.groupChoices === was.groupChoices;
  if (!isSame || made.isAnyOdd || made.without.length > 0) return null;
  const gone: Stream[] = [];
  const come: Stream[] = [];
  const isPlain = (s: Stream) =>
    s.sent === null && s.unicastTo === null && now.groupChoices.get(s.senderDeviceId)?.has(s.streamNumber) !== true;
  for (const id of changedKeys(now.streamsBySender, was.streamsBySender)) {
    const before = was.streamsBySender.get(id) ?? [];
    const after = now.streamsBySender.get(id) ?? [];
    if (!before.every(isPlain) || !after.every(isPlain)) return null;
    // One that is called the same and has the same legs asks for the same as before.
    const isLike = (x: Stream) => (y: Stream) => x.id === y.id && x.legs.join() === y.legs.join();
    gone.push(...before.filter((s) => !after.some(isLike(s))));
    come.push(...after.filter((s) => !before.some(isLike(s))));
  }
  // Whoever asks for just what it has gets it.
  if (gone.length === 0 && come.length === 0) return made;
  const used = made.used.copy();
  const byStream = new Map(made.byStream);
  const goneIds = new Set(gone.map((s) => s.id));
  const displaced = made.displaced.filter((d) => !goneIds.has(d.streamId));
  for (const id of goneIds) {
    const groups = byStream.get(id);
    for (const group of [groups?.A, groups?.B]) {
      if (group == null) continue;
      const bits = ethernetGroupBits(group);
      if (displaced.some((d) => waitsFor(d, bits))) return null;
      used.remove(bits);
    }
    byStream.delete(id);
  }
  const pools = { A: parseCidr(now.settings.poolA), B: parseCidr(now.settings.poolB) };
  for (const stream of come) {
    const groups: { A: number | null; B: number | null } = { A: null, B: null };
    for (const leg of stream.legs) {
      const group = firstWish(pools[leg], stream.groupSeed);
      if (group === null || isReservedGroup(group) || !isMulticast(group) || used.has(ethernetGroupBits(group)))
        return null;
      used.add(ethernetGroupBits(group));
      groups[leg] = group;
    }
    byStream.set(stream.id, groups);
  }
  return { byStream, without: [], isAnyOdd: false, displaced, used };
}

/** The group of the pool that a seed asks for first. */
function firstWish(pool: Block | null, seed: number): number | null {
  return pool === null ? null : pool.base + (seed % 2 ** (32 - pool.prefix));
}

/** Whether one of the groups that it passed over has these bits on Ethernet. */
function waitsFor({ pool, seed, passedOver }: Displaced, bits: number): boolean {
  // In a pool as large as all that Ethernet tells apart, several groups have the same bits.
  if (pool.prefix < 9) return true;
  const group = ((pool.base & 0xff800000) | bits) >>> 0;
  if (!isInBlock(group, pool)) return false;
  const size = 2 ** (32 - pool.prefix);
  return (group - pool.base - (seed % size) + size) % size < passedOver;
}

/** The first group of the pool from the stream's seed on that is neither used nor reserved. */
function take(
  pool: Block | null,
  { id: streamId, groupSeed: seed }: Stream,
  used: EthernetGroups,
  displaced: Displaced[],
): number | null {
  if (pool === null) return null;
  const size = 2 ** (32 - pool.prefix);
  for (let step = 0; step < Math.min(size, 65_536); step += 1) {
    const group = pool.base + ((seed + step) % size);
    const bits = ethernetGroupBits(group);
    if (used.has(bits) || isReservedGroup(group)) continue;
    used.add(bits);
    if (step > 0) displaced.push({ streamId, pool, seed, passedOver: step });
    return group;
  }
  return null;
}
