import { toast } from 'sonner';
import { fillDownLanes } from '@/core/edits/fill-down';
import { commandsOf, layFeeds } from '@/core/edits/move-lanes';
import { readPastedFeeds } from '@/core/formats/patch-list';
import type { Plan } from '@/core/plan/plan';
import { routeThrough } from '@/core/signal/through';
import type { ChannelRef } from '@/field/send-plan';
import { pasteBlock } from '@/ui/parts/paste-block';
import { pasteReceiverLabels } from '@/ui/parts/sheet-pastes';
import { count } from '@/ui/parts/units';
import { commit, previewBatch } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { receiverWords } from './feed-bar';
import { leftOutOfPaste } from './left-out';

/** What can be done with selected receiver channels: each asks for a change of the plan, or says why there is none. */

export function clearLanes(plan: Plan, { lanes }: Pick<View, 'lanes'>, receivers: readonly ChannelRef[]): void {
  const fed = receivers.filter((r) => lanes.get(r.deviceId)?.has(r.channel));
  if (fed.length > 0) void commit(`clear ${receiverWords(plan, fed)}`, [{ kind: 'unsubscribe', channels: fed }]);
}

/** The others of the run receive what comes after what the first one receives. */
export function fillDown(plan: Plan, receivers: readonly ChannelRef[]): void {
  if (receivers.length < 2) return;
  const result = fillDownLanes(plan, receivers);
  if (result === null) {
    toast('Nothing to fill down', { description: 'The first selected row has no source.' });
    return;
  }
  const { subscriptions } = routeThrough(plan, result.subscriptions);
  const left = receivers.length - 1 - subscriptions.length;
  if (subscriptions.length === 0) {
    toast('Nothing to fill down', { description: 'The sender of the first row has no channel after it.' });
    return;
  }
  void previewBatch(
    `fill down ${receiverWords(plan, receivers.slice(1))}`,
    [{ kind: 'subscribe', subscriptions }],
    left > 0 ? `${count(left, 'row')} left out: the sender has no channel left` : null,
  );
}

/** A block over the selected rows; over a single one, from there on downwards. */
export function pasteFeeds(
  plan: Plan,
  shownRows: readonly ChannelRef[],
  receivers: readonly ChannelRef[],
  text: string,
): void {
  const { feeds, problems } = readPastedFeeds(plan, text);
  const start = shownRows.findIndex((r) => r.deviceId === receivers[0]?.deviceId && r.channel === receivers[0].channel);
  const onto = receivers.length === 1 ? shownRows.slice(start, start + feeds.length) : receivers;
  const laid = layFeeds(plan, onto, feeds);
  const routed = routeThrough(plan, laid.subscriptions);
  const change = { ...laid, subscriptions: routed.subscriptions };
  const changed = [
    ...change.cleared,
    ...change.subscriptions.map((s) => ({ deviceId: s.receiverDeviceId, channel: s.receiverChannel })),
  ];
  if (changed.length === 0 && problems.length > 0) {
    const said = problems.slice(0, 4).map((p) => `Line ${p.line}: ${p.problem}.`);
    const more = problems.length > said.length ? ` ${problems.length - said.length} more.` : '';
    toast.error(`${count(problems.length, 'line')} cannot be pasted`, {
      description: said.join(' ') + more,
      duration: 12_000,
      action: {
        label: 'Use as labels',
        onClick: () => {
          const { columns, onPasted } = pasteReceiverLabels(plan);
          const labelled = pasteBlock(text, columns, receivers.length === 1 ? onto.slice(0, 1) : onto, shownRows);
          if (labelled !== null) onPasted(labelled);
        },
      },
    });
  }
  if (changed.length === 0) {
    if (problems.length === 0) toast('Nothing in it to paste here');
    return;
  }
  void previewBatch(
    `paste ${count(changed.length, 'feed')} onto ${receiverWords(plan, changed)}`,
    commandsOf(change),
    leftOutOfPaste({ feeds: feeds.length, rows: onto.length, problems, noPass: routed.left.length }),
  );
}
