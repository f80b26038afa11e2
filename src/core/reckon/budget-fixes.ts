import type { Finding } from '../findings/finding';
import type { Fix } from '../findings/fixes';
import { planRepack } from './repack-plan';
import type { Reckoning } from './reckoning';
import { budgetOfFinding, spendersOf } from './spenders';

/** Looks at the clock that a repacking for a fix may take: a finding is answered at once or not at all. */
const LOOKS = 3000;

/**
 * Ways out of a budget that is used up: the streams concerned packed anew, undisturbed ones first; the smallest stream given
 * up in favour of what is refused. They have to be tried: neither is sure to do.
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
  const spenders = spendersOf(reckoning, deviceId, reason);
  const least = [...spenders].sort((a, b) => a.channels - b.channels)[0];
  if (least !== undefined && spenders.length > 1) {
    const channels: { deviceId: string; channel: number }[] = [];
    for (const [receiverId, lanes] of reckoning.lanesByReceiver) {
      if (least.direction === 'hears' && receiverId !== deviceId) continue;
      for (const [channel, { subscription, hearing }] of lanes) {
        const isOf =
          least.streamId === null
            ? least.direction === 'hears'
              ? subscription.senderDeviceId === least.deviceId
              : subscription.senderDeviceId === deviceId && receiverId === least.deviceId
            : hearing?.stream.id === least.streamId;
        if (isOf) channels.push({ deviceId: receiverId, channel });
      }
    }
    if (channels.length > 0) {
      fixes.push({
        does: 'give-up',
        deviceId: least.deviceId,
        direction: least.direction,
        lanes: channels.length,
        commands: [{ kind: 'unsubscribe', channels }],
      });
    }
  }
  return fixes;
}
