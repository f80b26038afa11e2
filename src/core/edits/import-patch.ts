import { Names } from '../formats/names';
import { SenderFinder, type PatchRow } from '../formats/patch-list';
import type { Command, LabelChange } from '../plan/commands';
import { commandsOf } from './move-lanes';
import { channelCount, labelOf, subscriptionsOf, type Plan, type PlanOf } from '../plan/plan';
import { LABEL_MAX, type Side } from '../plan/labels-table';
import type { Subscription } from '../plan/subscriptions-table';

/** One line of a patch list held against the plan. */
interface PatchItem {
  readonly line: number;
  readonly receiver: string;
  readonly channel: string;
  readonly verdict: 'differs' | 'same' | 'refused';
  readonly changes: readonly PatchChange[];
  readonly problem: string | null;
}
interface PatchChange {
  readonly what: 'hears' | 'label' | 'sender label' | 'short label';
  readonly before: string;
  readonly after: string;
}

interface PatchImport {
  readonly items: readonly PatchItem[];
  readonly commands: readonly Command[];
}

/**
 * Holds a patch list against the plan. Lines that cannot be are named with their reason and change nothing; the commands are
 * those of all the others, in one batch.
 */
export function importPatch(plan: Plan, rows: readonly PatchRow[]): PatchImport {
  const names = new Names(plan.devices.values());
  const senders = new SenderFinder(plan);
  const lineByChannel = new Map<string, number>();
  const labels = new Map<string, { label: string; line: number }>();
  /** By receiver and channel. */
  const shorts = new Map<string, string>();
  const subscriptions: Subscription[] = [];
  const cleared: { deviceId: string; channel: number }[] = [];

  const items = rows.map((row): PatchItem => {
    const base = { line: row.line, receiver: row.receiver, channel: row.channel };
    const refused = (problem: string): PatchItem => ({ ...base, verdict: 'refused', changes: [], problem });
    const deviceId = names.idOf(row.receiver);
    if (row.receiver === '') return refused('no receiver is named');
    if (deviceId === 'none') return refused(`no device is called “${row.receiver}”`);
    if (deviceId === 'several') return refused(`several devices are called “${row.receiver}”: use the id instead`);
    const count = channelCount(plan, deviceId, 'receive');
    const channel = /^\d{1,5}$/.test(row.channel) ? Number(row.channel) : NaN;
    if (!(channel >= 1 && channel <= count)) {
      return refused(count === 0 ? 'it receives nothing' : `channel “${row.channel}” is not one of 1 to ${count}`);
    }
    const key = `${deviceId}/${channel}`;
    const earlier = lineByChannel.get(key);
    if (earlier !== undefined) return refused(`the channel is listed twice, first in line ${earlier}`);
    const heard = row.sender === null ? undefined : senders.find(row.sender, row.senderChannel ?? '');
    if (typeof heard === 'string') return refused(heard);
    for (const label of [row.label, row.senderLabel, row.shortLabel]) {
      if (label !== null && label.length > LABEL_MAX) return refused(`a label is longer than ${LABEL_MAX} characters`);
    }
    if (heard != null && row.senderLabel !== null && row.senderLabel !== '') {
      const other = labels.get(`${heard.deviceId}/send/${heard.channel}`);
      if (other !== undefined && other.label !== row.senderLabel) {
        return refused(`line ${other.line} calls the same sender channel “${other.label}”`);
      }
    }
    const hasLabel = (row.label ?? '') !== '' || labelOf(plan, deviceId, 'receive', channel) !== null;
    if ((row.shortLabel ?? '') !== '' && !hasLabel) return refused('a short label needs a label beside it');
    lineByChannel.set(key, row.line);

    const changes: PatchChange[] = [];
    const now = subscriptionsOf(plan, deviceId).get(channel);
    if (heard !== undefined) {
      if (heard === null) {
        if (now !== undefined) cleared.push({ deviceId, channel });
      } else if (now?.senderDeviceId !== heard.deviceId || now.senderChannel !== heard.channel) {
        subscriptions.push({
          receiverDeviceId: deviceId,
          receiverChannel: channel,
          senderDeviceId: heard.deviceId,
          senderChannel: heard.channel,
        });
      }
      const words = (s: { deviceId: string; channel: number } | null) =>
        s === null ? 'nothing' : `${names.nameOf(s.deviceId)} ${s.channel}`;
      const before = words(now ? { deviceId: now.senderDeviceId, channel: now.senderChannel } : null);
      if (before !== words(heard)) changes.push({ what: 'hears', before, after: words(heard) });
    }
    const relabel = (what: 'label' | 'sender label', id: string, side: Side, n: number, label: string | null) => {
      // An empty label says nothing: lists that others write seldom have them all.
      if (label === null || label === '') return;
      const before = labelOf(plan, id, side, n) ?? '';
      labels.set(`${id}/${side}/${n}`, { label, line: row.line });
      if (before !== label) changes.push({ what, before, after: label });
    };
    relabel('label', deviceId, 'receive', channel, row.label);
    if (heard != null) relabel('sender label', heard.deviceId, 'send', heard.channel, row.senderLabel);
    const shortNow = plan.labels.get(deviceId)?.get(`receive/${channel}`)?.short ?? '';
    if (row.shortLabel !== null && row.shortLabel !== '' && row.shortLabel !== shortNow) {
      shorts.set(key, row.shortLabel);
      changes.push({ what: 'short label', before: shortNow, after: row.shortLabel });
    }
    return { ...base, verdict: changes.length > 0 ? 'differs' : 'same', changes, problem: null };
  });

  return { items, commands: [...commandsOf({ subscriptions, cleared }), ...labelCommands(plan, labels, shorts)] };
}

function labelCommands(
  plan: PlanOf<'labels'>,
  labels: ReadonlyMap<string, { label: string }>,
  shorts: ReadonlyMap<string, string>,
): Command[] {
  const byEnd = new Map<string, { deviceId: string; side: Side; labels: LabelChange[] }>();
  const add = (deviceId: string, side: Side, change: LabelChange) => {
    const end = byEnd.get(`${deviceId}/${side}`) ?? { deviceId, side, labels: [] };
    byEnd.set(`${deviceId}/${side}`, end);
    end.labels.push(change);
  };
  for (const [key, { label }] of labels) {
    const match = /^(.*)\/(receive|send)\/(\d+)$/.exec(key) as RegExpExecArray;
    const [deviceId, side, channel] = [match[1] as string, match[2] as Side, Number(match[3])];
    const short = side === 'receive' ? shorts.get(`${deviceId}/${channel}`) : undefined;
    if ((labelOf(plan, deviceId, side, channel) ?? '') === label && short === undefined) continue;
    add(deviceId, side, { channel, label: label === '' ? null : label, ...(short === undefined ? {} : { short }) });
  }
  for (const [key, short] of shorts) {
    const slash = key.lastIndexOf('/');
    const [deviceId, channel] = [key.slice(0, slash), Number(key.slice(slash + 1))];
    if (labels.has(`${deviceId}/receive/${channel}`)) continue;
    add(deviceId, 'receive', { channel, label: labelOf(plan, deviceId, 'receive', channel), short });
  }
  return [...byEnd.values()].map((end) => ({ kind: 'label-channels', ...end }));
}
