import { EthernetGroups } from '../network/ethernet-groups';
import { ethernetGroupBits, isReservedGroup, parseAddress, parseCidr, type Block } from '../network/address';
import type { Plan } from '../plan/plan';
import type { PlanSettings } from '../plan/settings-table';
import type { Stream } from './pack';

const NO_CHOICES: Plan['groupChoices'] = new Map();

/** Where each leg of a stream is sent: multicast groups (or the receiver's addresses, when it is sent to one) as 32-bit numbers;
 * null where it has no such leg or the pool is used up. */
export interface StreamGroups {
  readonly A: number | null;
  readonly B: number | null;
}

/**
 * Gives every stream its groups from the plan's pools. Groups are unique, and unique after the mapping onto Ethernet
 * addresses, over both legs. A group chosen by hand is taken as it is, even where it collides (a finding says so). What was
 * sent keeps its groups; the others start from a hash of their identity, so that
 * they rarely move when something else is edited. The result depends on the order of `streams`.
 */
export function allocateGroups(
  streams: readonly Stream[],
  settings: PlanSettings,
  choices: Plan['groupChoices'] = NO_CHOICES,
): Map<string, StreamGroups> {
  const used = new EthernetGroups();
  const note = (group: string | null | undefined) => {
    const address = group ? parseAddress(group) : null;
    if (address !== null) used.add(ethernetGroupBits(address));
  };
  for (const stream of streams) {
    const choice = choices.get(stream.senderDeviceId)?.get(stream.slot);
    for (const group of [choice?.groupA, choice?.groupB, stream.sent?.groupA, stream.sent?.groupB]) note(group);
  }
  const poolA = parseCidr(settings.poolA);
  const poolB = parseCidr(settings.poolB);
  const groups = new Map<string, StreamGroups>();
  for (const stream of streams) {
    if (stream.unicastTo !== null) {
      groups.set(stream.id, stream.unicastTo);
      continue;
    }
    const choice = choices.get(stream.senderDeviceId)?.get(stream.slot);
    const seed = fnv1a(stream.id);
    const leg = (which: 'A' | 'B', sent: string | null | undefined, pool: Block | null) => {
      if (!stream.legs.includes(which)) return null;
      return sent ? parseAddress(sent) : take(pool, seed, used);
    };
    groups.set(stream.id, {
      A: leg('A', choice?.groupA ?? stream.sent?.groupA, poolA),
      B: leg('B', choice?.groupB ?? stream.sent?.groupB, poolB),
    });
  }
  return groups;
}

/** The first group of the pool from the seed on that is neither used nor reserved. */
function take(pool: Block | null, seed: number, used: EthernetGroups): number | null {
  if (pool === null) return null;
  const size = 2 ** (32 - pool.prefix);
  for (let step = 0; step < Math.min(size, 65_536); step += 1) {
    const group = pool.base + ((seed + step) % size);
    const bits = ethernetGroupBits(group);
    if (used.has(bits) || isReservedGroup(group)) continue;
    used.add(bits);
    return group;
  }
  return null;
}

/** FNV-1a, 32 bit: a well-spread start within the pool. */
function fnv1a(text: string): number {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i += 1) {
    hash ^= text.charCodeAt(i);
    hash = Math.imul(hash, 0x01000193);
  }
  return hash >>> 0;
}
