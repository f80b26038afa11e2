import type { Finding } from '../findings/finding';
import type { LaneReason } from './lane';
import type { Reckoning } from './reckoning';

export type BudgetReason = Extract<LaneReason, { code: 'stream-budget' | 'channel-pool' }>;

/** What a finding says of a budget that is used up; null where it is about something else. */
export function budgetOfFinding(finding: Finding): { deviceId: string; reason: BudgetReason } | null {
  if (finding.about !== 'lanes-refused') return null;
  const { reason } = finding;
  if (reason.code !== 'stream-budget' && reason.code !== 'channel-pool') return null;
  return { deviceId: reason.end === 'sender' ? finding.senderDeviceId : finding.receiverDeviceId, reason };
}

/** One of those that a budget is spent on. */
export interface Spender {
  /** The other end: whom it receives, or who receives it most. */
  readonly deviceId: string;
  /** Null where a pool of channels is spent on all that a device sends or receives. */
  readonly streamId: string | null;
  readonly direction: 'hears' | 'sends';
  /** Lanes that it carries here. */
  readonly channels: number;
  /** Streams or channels of the budget that it takes. */
  readonly cost: number;
}

/** What a device's budget is spent on, the dearest first; of equal cost those that carry the least come first. */
export function spendersOf(reckoning: Reckoning, deviceId: string, reason: BudgetReason): Spender[] {
  const found =
    reason.code === 'channel-pool'
      ? [...heardFrom(reckoning, deviceId), ...sentTo(reckoning, deviceId)]
      : reason.end === 'sender'
        ? streamsSent(reckoning, deviceId)
        : streamsHeard(reckoning, deviceId);
  const key = (s: Spender) => s.streamId ?? `${s.direction} ${s.deviceId}`;
  return found.sort((a, b) => b.cost - a.cost || a.channels - b.channels || (key(a) < key(b) ? -1 : 1));
}

function streamsHeard({ lanesByReceiver }: Reckoning, deviceId: string): Spender[] {
  const channels = new Map<string, { senderId: string; count: number }>();
  for (const { reception } of lanesByReceiver.get(deviceId)?.values() ?? []) {
    if (reception === null) continue;
    const { id, senderDeviceId: senderId } = reception.stream;
    channels.set(id, { senderId, count: (channels.get(id)?.count ?? 0) + 1 });
  }
  return [...channels].map(([streamId, { senderId, count }]) => ({
    ...{ deviceId: senderId, streamId, direction: 'hears' as const, channels: count, cost: 1 },
  }));
}

function streamsSent({ streamsBySender }: Reckoning, deviceId: string): Spender[] {
  return (streamsBySender.get(deviceId) ?? []).map((s) => ({
    ...{ deviceId: s.receiverDeviceIds[0] ?? deviceId, streamId: s.id, direction: 'sends' as const },
    channels: s.channels.length,
    cost: 1,
  }));
}

function heardFrom({ lanesByReceiver }: Reckoning, deviceId: string): Spender[] {
  const bySender = new Map<string, number>();
  for (const { subscription } of lanesByReceiver.get(deviceId)?.values() ?? []) {
    bySender.set(subscription.senderDeviceId, (bySender.get(subscription.senderDeviceId) ?? 0) + 1);
  }
  return [...bySender].map(([id, n]) => ({
    ...{ deviceId: id, streamId: null, direction: 'hears' as const, channels: n, cost: n },
  }));
}

/** A channel that several receive is spent once; it is counted for the first who receives it. */
function sentTo({ streamsBySender }: Reckoning, deviceId: string): Spender[] {
  const byReceiver = new Map<string, Set<number>>();
  const counted = new Set<number>();
  for (const { channels, receiverDeviceIds } of streamsBySender.get(deviceId) ?? []) {
    const first = receiverDeviceIds[0] ?? deviceId;
    for (const channel of channels) {
      if (counted.has(channel)) continue;
      counted.add(channel);
      byReceiver.set(first, (byReceiver.get(first) ?? new Set()).add(channel));
    }
  }
  return [...byReceiver].map(([id, set]) => ({
    ...{ deviceId: id, streamId: null, direction: 'sends' as const, channels: set.size, cost: set.size },
  }));
}
