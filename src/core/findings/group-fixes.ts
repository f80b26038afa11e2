import {
  ethernetGroupBits,
  formatAddress,
  isInBlock,
  isReservedGroup,
  parseAddress,
  parseCidr,
} from '../network/address';
import type { Leg } from '../models/models-table';
import type { Command } from '../plan/commands';
import type { PlanOf } from '../plan/plan';
import type { NetworkFix } from './network-fix';

/** Other multicast groups. */

export const senderOf = (streamId: string) => streamId.slice(0, streamId.lastIndexOf('/'));

export function dropChoice(plan: PlanOf<'sentStreams' | 'groupChoices'>, streamId: string): NetworkFix[] {
  const streamNumber = Number(streamId.slice(streamId.lastIndexOf('/') + 1));
  const senderDeviceId = senderOf(streamId);
  if (
    !plan.groupChoices.get(senderDeviceId)?.has(streamNumber) ||
    plan.sentStreams.get(senderDeviceId)?.has(streamNumber)
  )
    return [];
  return [
    {
      does: 'drop-group-choice',
      streamId,
      commands: [{ kind: 'remove-group-choice', senderDeviceId, streamNumber }],
    },
  ];
}

/** A stream that was sent keeps its groups: it gets the next one that no other stream was given by hand or was sent to. */
export function takeNewGroup(
  plan: PlanOf<'settings' | 'sentStreams' | 'groupChoices'>,
  streamId: string,
  leg: Leg,
  group: string,
): NetworkFix[] {
  const streamNumber = Number(streamId.slice(streamId.lastIndexOf('/') + 1));
  const senderDeviceId = senderOf(streamId);
  const pool = parseCidr(leg === 'A' ? plan.settings.poolA : plan.settings.poolB);
  const now = parseAddress(group);
  if (pool === null || now === null || !plan.sentStreams.get(senderDeviceId)?.has(streamNumber)) return [];
  const choice = plan.groupChoices.get(senderDeviceId)?.get(streamNumber);
  const used = new Set<number>();
  for (const table of [plan.groupChoices, plan.sentStreams]) {
    for (const owned of table.values()) {
      for (const record of owned.values()) {
        for (const text of [record.groupA, record.groupB]) {
          const parsed = text === null ? null : parseAddress(text);
          if (parsed !== null) used.add(ethernetGroupBits(parsed));
        }
      }
    }
  }
  const size = 2 ** (32 - pool.prefix);
  const start = isInBlock(now, pool) ? now - pool.base : 0;
  for (let step = 1; step < Math.min(size, 4096); step += 1) {
    const candidate = pool.base + ((start + step) % size);
    if (used.has(ethernetGroupBits(candidate)) || isReservedGroup(candidate)) continue;
    const text = formatAddress(candidate);
    const kept = { groupA: choice?.groupA ?? null, groupB: choice?.groupB ?? null };
    const groups = leg === 'A' ? { ...kept, groupA: text } : { ...kept, groupB: text };
    const commands: Command[] = [{ kind: 'put-group-choice', choice: { senderDeviceId, streamNumber, ...groups } }];
    return [{ does: 'choose-group', streamId, group: text, commands }];
  }
  return [];
}
