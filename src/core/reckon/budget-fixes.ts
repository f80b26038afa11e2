import type { Finding } from '../findings/finding';
import type { Fix } from '../findings/fix';
import { planRepack } from './repack-plan';
import type { Reckoning } from './reckoning';
import { budgetOfFinding, spendersOf, type BudgetReason, type Spender } from './spenders';

/** Looks at the clock that a repacking for a fix may take: a finding is answered at once or not at all. */
const LOOKS = 3000;

/**
 * Ways out of a budget that is used up: the streams concerned packed again, undisturbed ones first; the smallest others given up
 * in favour of what is refused. They have to be tried: neither is sure to do.
 */
export function budgetFixes(reckoning: Reckoning, finding: Finding): Fix[] {
  const budget = budgetOfFinding(finding);
  if (budget === null) return [];
  const { deviceId, reason } = budget;
  const fixes: Fix[] = [];
  if (reason.code === 'stream-budget') {
    const heard = new Set<string>();
    for (const { subscription } of reckoning.lanesByReceiver.get(deviceId)?.values() ?? []) {
      heard.add(subscription.senderDeviceId);
    }
    const senderIds = reason.end === 'sender' ? new Set([deviceId]) : heard;
    for (const mayInterrupt of [false, true]) {
      const search = planRepack(reckoning, { mayInterrupt, goal: 'streams', senderIds });
      let looks = 0;
      search.work(() => (looks += 1) > LOOKS);
      const commands = search.commands();
      if (commands.length > 0) fixes.push({ does: 'repack', deviceId, mayInterrupt, commands });
    }
  }
  const channels = othersGivenUp(reckoning, deviceId, budget.reason, finding);
  if (channels.length > 0) {
    fixes.push({
      does: 'give-up',
      deviceId,
      lanes: channels.length,
      commands: [{ kind: 'unsubscribe', channels }],
    });
  }
  return fixes;
}

/** Lanes of the smallest others, as many as make room for everything that is wanted. Empty where others do not suffice. */
function othersGivenUp(
  reckoning: Reckoning,
  deviceId: string,
  reason: BudgetReason,
  finding: Finding,
): { deviceId: string; channel: number }[] {
  const isOwn = (receiverId: string, channel: number) =>
    finding.about === 'lanes-refused' && finding.receiverDeviceId === receiverId && finding.channels.includes(channel);
  let missing = reason.wanted - reason.limit;
  const givenUp: { deviceId: string; channel: number }[] = [];
  for (const spender of spendersOf(reckoning, deviceId, reason).sort((a, b) => a.channels - b.channels)) {
    if (missing <= 0) break;
    const lanes = lanesSpentOn(reckoning, deviceId, spender);
    if (lanes.length === 0 || lanes.some((l) => isOwn(l.deviceId, l.channel))) continue;
    givenUp.push(...lanes);
    missing -= spender.cost;
  }
  return missing > 0 ? [] : givenUp;
}

function lanesSpentOn(reckoning: Reckoning, deviceId: string, { streamId, direction, deviceId: otherId }: Spender) {
  const lanes: { deviceId: string; channel: number }[] = [];
  for (const [receiverId, own] of reckoning.lanesByReceiver) {
    if (direction === 'hears' && receiverId !== deviceId) continue;
    for (const [channel, { subscription, reception }] of own) {
      const { senderDeviceId } = subscription;
      const isOf =
        streamId !== null
          ? reception?.stream.id === streamId
          : direction === 'hears'
            ? senderDeviceId === otherId
            : senderDeviceId === deviceId && receiverId === otherId;
      if (isOf) lanes.push({ deviceId: receiverId, channel });
    }
  }
  return lanes;
}
