import type { Command, LabelChange } from '../plan/commands';
import { likeLabel } from './fill';
import { channelCount, labelOf, modelOf, subscriptionsOf, type PlanOf } from '../plan/plan';
import type { Side } from '../plan/labels-table';

/** A device, or one of its channels. */
export type Named =
  | { readonly deviceId: string }
  | { readonly deviceId: string; readonly side: Side; readonly channel: number };

/** A label that carries the name of something else. */
interface LabelUse {
  readonly deviceId: string;
  readonly side: Side;
  readonly channel: number;
  /** Which of the two labels. */
  readonly isShort: boolean;
  readonly label: string;
  readonly renamed: string;
}

/** Everything that names a thing: lanes go by its id and follow; labels are text and stay as they are unless carried along. */
export interface NameUses {
  readonly lanes: number;
  /** Devices at the other end of those lanes. */
  readonly deviceIds: readonly string[];
  readonly labels: readonly LabelUse[];
  /** Those of the receivers that keep the name of what they hear: once it is called otherwise they hear nothing. */
  readonly byNameIds: readonly string[];
}

/**
 * What names a device or a channel that is to be called `after`. Of a device: labels anywhere in which its name stands as
 * whole words. Of a sender channel: labels of receiver channels that hear it and are called like it.
 */
export function usesOfName(
  plan: PlanOf<'models' | 'devices' | 'labels' | 'subscriptions'>,
  named: Named,
  after: string,
): NameUses {
  let lanes = 0;
  const others = new Set<string>();
  const labels: LabelUse[] = [];
  const byName = new Set<string>();
  const isChannel = 'channel' in named;
  const before = isChannel
    ? labelOf(plan, named.deviceId, named.side, named.channel)
    : (plan.devices.get(named.deviceId)?.name ?? null);
  for (const feeds of plan.subscriptions.values()) {
    for (const s of feeds.values()) {
      const isSent = s.senderDeviceId === named.deviceId;
      const isReceived = s.receiverDeviceId === named.deviceId;
      const isIt = !isChannel
        ? isSent || isReceived
        : named.side === 'send'
          ? isSent && s.senderChannel === named.channel
          : isReceived && s.receiverChannel === named.channel;
      if (!isIt) continue;
      lanes += 1;
      others.add(isSent ? s.receiverDeviceId : s.senderDeviceId);
      if (isSent && modelOf(plan, s.receiverDeviceId)?.naming?.subscribesByName === true)
        byName.add(s.receiverDeviceId);
      if (!isChannel || named.side !== 'send' || before === null) continue;
      const label = labelOf(plan, s.receiverDeviceId, 'receive', s.receiverChannel);
      if (label === null || likeLabel(label) !== likeLabel(before)) continue;
      const use = { deviceId: s.receiverDeviceId, side: 'receive' as const, channel: s.receiverChannel, label };
      labels.push({ ...use, isShort: false, renamed: after });
    }
  }
  if (!isChannel && before !== null && before.trim() !== '') {
    const words = new RegExp(`(?<![\\p{L}\\p{N}])${escaped(before.trim())}(?![\\p{L}\\p{N}])`, 'giu');
    for (const owned of plan.labels.values()) {
      for (const { deviceId, side, channel, label: long, short } of owned.values()) {
        for (const [isShort, label] of [
          [false, long],
          [true, short ?? ''],
        ] as const) {
          const renamed = label.replace(words, () => after.trim());
          if (renamed !== label) labels.push({ deviceId, side, channel, isShort, label, renamed });
        }
      }
    }
  }
  return { lanes, deviceIds: [...others], labels, byNameIds: [...byName] };
}

const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** The commands that carry the new name into those labels. */
export function carryCommands(plan: PlanOf<'labels'>, labels: readonly LabelUse[]): Command[] {
  const byEnd = new Map<string, { deviceId: string; side: Side; labels: Map<number, LabelChange> }>();
  for (const { deviceId, side, channel, isShort, renamed } of labels) {
    const key = `${deviceId}/${side}`;
    const end = byEnd.get(key) ?? { deviceId, side, labels: new Map<number, LabelChange>() };
    byEnd.set(key, end);
    const now = end.labels.get(channel) ?? { channel, label: labelOf(plan, deviceId, side, channel) };
    end.labels.set(channel, isShort ? { ...now, short: renamed } : { ...now, label: renamed });
  }
  return [...byEnd.values()].map((end) => ({ kind: 'label-channels', ...end, labels: [...end.labels.values()] }));
}

/** Receiver channels called like the sender channels that they hear; what hears nothing, or something without a label, is left. */
export function labelsFromSenders(
  plan: PlanOf<'models' | 'devices' | 'labels' | 'subscriptions'>,
  deviceId: string,
): { channel: number; label: string }[] {
  const count = channelCount(plan, deviceId, 'receive');
  const labels: { channel: number; label: string }[] = [];
  for (const s of subscriptionsOf(plan, deviceId).values()) {
    if (s.receiverChannel > count) continue;
    const label = labelOf(plan, s.senderDeviceId, 'send', s.senderChannel);
    if (label !== null && label !== labelOf(plan, deviceId, 'receive', s.receiverChannel)) {
      labels.push({ channel: s.receiverChannel, label });
    }
  }
  return labels.sort((a, b) => a.channel - b.channel);
}
