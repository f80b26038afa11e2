import { byName } from '@/core/plan/name-order';
import { useDeferredValue, useMemo, useState } from 'react';
import { FILLS, fillByLabel, fillFrom, type Fill, type LeftOut, type ReceiverChannel } from '@/core/edits/fill';
import type { Plan } from '@/core/plan/plan';
import { routeThrough } from '@/core/signal/through';
import { FillBar, type FillEntry } from '@/ui/frame/fill-bar';
import { bestFirst, searchFor } from '@/ui/parts/find-text';
import { channelRuns, count } from '@/ui/parts/units';
import { channelName, deviceName } from '@/ui/parts/names';

const LEFT_WORDS: Readonly<Record<LeftOut['why'], string>> = {
  'no-channel-left': 'no channel left for',
  'no-label': 'no label on',
  'no-like-label': 'no sender is labelled like',
  'several-like-labels': 'several senders are labelled like',
  'no-pass-left': 'the unit on the way has no channel left for',
};

interface SenderEntry {
  readonly key: string;
  /** Null: whichever device has the label. */
  readonly deviceId: string | null;
  readonly channel: number;
  readonly device: string;
  readonly label: string;
  readonly place: string;
  readonly text: string;
}

function sendingDevices(plan: Plan) {
  return [...plan.devices.values()].filter((d) => (plan.models.get(d.modelId)?.channelsSend ?? 0) > 0).sort(byName);
}

/** For feeding by label: any device, or one. */
function senderDevices(plan: Plan): SenderEntry[] {
  const any = { key: 'any', deviceId: null, channel: 0, device: 'Any sender', label: 'labelled like the receiver' };
  return [
    { ...any, place: '', text: 'any sender' },
    ...sendingDevices(plan).map((d): SenderEntry => {
      const place = plan.places.get(d.placeId ?? '')?.name ?? '';
      const label = 'channels labelled like the receiver';
      const text = `${d.name} ${place}`.toLowerCase();
      return { key: d.id, deviceId: d.id, channel: 0, device: d.name, label, place, text };
    }),
  ];
}

function senderChannels(plan: Plan): SenderEntry[] {
  return sendingDevices(plan).flatMap((d) => {
    const channels = plan.models.get(d.modelId)?.channelsSend ?? 0;
    const place = plan.places.get(d.placeId ?? '')?.name ?? '';
    return Array.from({ length: channels }, (_, n): SenderEntry => {
      const label = channelName(plan, d.id, 'send', n + 1);
      const text = `${d.name} ${label} ${place}`.toLowerCase();
      return { key: `${d.id}:${n + 1}`, deviceId: d.id, channel: n + 1, device: d.name, label, place, text };
    });
  });
}

/** `Dome amp 5 1–8` for a title. */
export function receiverWords(plan: Plan, receivers: readonly ReceiverChannel[]): string {
  const byDevice = new Map<string, number[]>();
  for (const r of receivers) byDevice.set(r.deviceId, [...(byDevice.get(r.deviceId) ?? []), r.channel]);
  const [first, ...more] = byDevice;
  if (first === undefined) return 'nothing';
  const [id, channels] = first;
  const words = `${deviceName(plan, id)} ${channelRuns(channels.sort((a, b) => a - b))}`;
  return more.length === 0 ? words : `${words} and ${count(more.length, 'more device')}`;
}

/** `no channel left for Dome amp 1 7–8; no label on Dome amp 2 1`. */
function leftWords(plan: Plan, left: readonly LeftOut[]): string {
  const byWhy = new Map<LeftOut['why'], LeftOut[]>();
  for (const l of left) byWhy.set(l.why, [...(byWhy.get(l.why) ?? []), l]);
  return [...byWhy].map(([why, list]) => `${LEFT_WORDS[why]} ${receiverWords(plan, list)}`).join('; ');
}

/**
 * Feeding the selected channels: type part of a sender's name; the highlighted one is previewed in the sheet at once; Enter
 * applies it. `plan` is the plan without the preview.
 */
export function FeedBar({
  plan,
  receivers,
  startQuery = '',
  onClose,
}: {
  plan: Plan;
  receivers: readonly ReceiverChannel[];
  /** What the search begins with. */
  startQuery?: string;
  onClose: () => void;
}) {
  const [query, setQuery] = useState(startQuery);
  const [fill, setFill] = useState<Fill>({ pattern: 'in-step', step: 2 });
  const [highlighted, setHighlighted] = useState('');
  const isByLabel = fill.pattern === 'by-label';
  const chooseFill = (next: Fill) => {
    // By label a device is looked for, else a channel: what was typed for the one does not find the other.
    if ((next.pattern === 'by-label') !== isByLabel) setQuery('');
    setFill(next);
  };
  const all = useMemo(() => (isByLabel ? senderDevices(plan) : senderChannels(plan)), [plan, isByLabel]);
  const deferred = useDeferredValue(query);
  const found = useMemo(() => {
    const search = searchFor(deferred);
    if (search.isEmpty) return isByLabel ? all : [];
    return bestFirst(all, search, (s) => s.text);
  }, [all, deferred, isByLabel]);
  const sender = found.find((s) => s.key === highlighted) ?? found[0];

  const wanted = useMemo(() => {
    if (sender === undefined) return null;
    const { deviceId, channel } = sender;
    const result =
      deviceId === null
        ? fillByLabel(plan, receivers, plan.devices.keys())
        : fillFrom(plan, receivers, { deviceId, channel }, fill);
    const from = isByLabel ? `${sender.device} by label` : `${sender.device} ${sender.label}`;
    const { subscriptions, left } = routeThrough(plan, result.subscriptions);
    const noPass = left.map((l): LeftOut => ({ deviceId: l.deviceId, channel: l.channel, why: 'no-pass-left' }));
    const leftOut = [...result.leftOut, ...noPass];
    const isLeft = new Set(leftOut.map((l) => `${l.deviceId} ${l.channel}`));
    const fed = receivers.filter((r) => !isLeft.has(`${r.deviceId} ${r.channel}`));
    return {
      title: `feed ${receiverWords(plan, fed)} from ${from}`,
      leftWords:
        leftOut.length === 0 ? null : `${fed.length} fed, ${leftOut.length} left: ${leftWords(plan, leftOut)}.`,
      passes: subscriptions.length - (result.subscriptions.length - noPass.length),
      commands: subscriptions.length === 0 ? [] : [{ kind: 'subscribe' as const, subscriptions }],
    };
  }, [plan, sender, receivers, fill, isByLabel]);

  return (
    <FillBar
      plan={plan}
      label="Feed"
      what={
        <>
          Feed <b className="font-medium text-ink">{count(receivers.length, 'channel')}</b> from
        </>
      }
      sourceLabel="Sender"
      placeholder={isByLabel ? 'any sender, or part of one’s name' : 'part of a sender’s name'}
      query={query}
      onQuery={setQuery}
      patterns={FILLS}
      fill={fill}
      onFill={chooseFill}
      found={found.map(entryOf)}
      isAsked={deferred.trim() !== ''}
      noneFound="No sender matches."
      highlightedKey={sender?.key ?? ''}
      onHighlight={setHighlighted}
      wanted={wanted}
      notes={
        <>
          {wanted?.leftWords == null ? null : (
            <p role="status" className="mt-1 text-ochre">
              {wanted.leftWords}
            </p>
          )}
          {wanted !== null && wanted.passes > 0 ? (
            <p role="status" className="mt-1 text-dim">
              {count(wanted.passes, 'channel')} more will pass through the processing unit on the way.
            </p>
          ) : null}
        </>
      }
      onClose={onClose}
    />
  );
}

function entryOf(s: SenderEntry): FillEntry {
  return {
    key: s.key,
    line: (
      <>
        <span className="w-[150px] truncate">{s.device}</span>
        <span className="w-8 text-right font-mono text-[12px] text-dim">
          {s.channel === 0 ? '' : String(s.channel).padStart(2, '0')}
        </span>
        <span className="flex-1 truncate">{s.label}</span>
        <span className="truncate text-dim">{s.place}</span>
      </>
    ),
  };
}
