'use client';

import { Command } from 'cmdk';
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import { FILLS, fillByLabel, fillFrom, type FillPattern, type LeftOut, type ReceiverChannel } from '@/core/edits/fill';
import { leaveOut } from '@/core/edits/leave-out';
import type { Plan } from '@/core/plan/plan';
import { routeThrough } from '@/core/plan/through';
import { CountField } from '@/ui/parts/count-field';
import { Button, Key } from '@/ui/parts/controls';
import { bestFirst, searchFor } from '@/ui/parts/find-text';
import { channelRuns, count } from '@/ui/parts/units';
import { channelName, deviceName } from '@/ui/parts/words';
import { commit } from '@/ui/session/actions';
import { ClashChoice } from '@/ui/frame/clash-choice';
import { endPreview, showPreview, usePlan, type Clash } from '@/ui/session/plan-store';

const SHOWN_MAX = 60;
const FILL_WORDS: Readonly<Record<FillPattern, string>> = {
  'in-step': 'In order',
  'all-the-same': 'All the same',
  'every-nth': 'Every',
  reversed: 'Reversed',
  'by-label': 'Matching labels',
};
const LEFT_WORDS: Readonly<Record<LeftOut['why'], string>> = {
  'no-channel-left': 'no channel left for',
  'no-label': 'no label on',
  'no-like-label': 'no sender is labelled like',
  'several-like-labels': 'several senders are labelled like',
  'no-pass-left': 'the unit on the way has no pass left for',
};
const STEP_MAX = 64;

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
  return [...plan.devices.values()]
    .filter((d) => (plan.models.get(d.modelId)?.channelsSend ?? 0) > 0)
    .sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
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

const NO_CLASHES: readonly Clash[] = [];

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
  const [pattern, setPattern] = useState<FillPattern>('in-step');
  const [step, setStep] = useState(2);
  const [highlighted, setHighlighted] = useState('');
  const [problem, setProblem] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const choice = useRef<HTMLDivElement>(null);
  const clashes = usePlan((s) => s.preview?.clashes) ?? NO_CLASHES;
  const isByLabel = pattern === 'by-label';
  const choosePattern = (next: FillPattern) => {
    // By label a device is looked for, else a channel: what was typed for the one does not find the other.
    if ((next === 'by-label') !== isByLabel) setQuery('');
    setPattern(next);
  };
  const all = useMemo(() => (isByLabel ? senderDevices(plan) : senderChannels(plan)), [plan, isByLabel]);
  const deferred = useDeferredValue(query);
  const found = useMemo(() => {
    const search = searchFor(deferred);
    if (search.isEmpty) return isByLabel ? all : [];
    return bestFirst(all, search, (s) => s.text);
  }, [all, deferred, isByLabel]);
  const shown = found.slice(0, SHOWN_MAX);
  const sender = shown.find((s) => s.key === highlighted) ?? shown[0];

  const wanted = useMemo(() => {
    if (sender === undefined) return null;
    const { deviceId, channel } = sender;
    const result =
      deviceId === null
        ? fillByLabel(plan, receivers, plan.devices.keys())
        : fillFrom(plan, receivers, { deviceId, channel }, { pattern, step });
    const from = isByLabel ? `${sender.device} by label` : `${sender.device} ${sender.label}`;
    const title = `feed ${receiverWords(plan, receivers)} from ${from}`;
    const routed = routeThrough(plan, result.subscriptions);
    const noPass = routed.left.map((l): LeftOut => ({ deviceId: l.deviceId, channel: l.channel, why: 'no-pass-left' }));
    return {
      title,
      subscriptions: routed.subscriptions,
      leftOut: [...result.leftOut, ...noPass],
      passes: routed.subscriptions.length - (result.subscriptions.length - noPass.length),
      commands: [{ kind: 'subscribe' as const, subscriptions: routed.subscriptions }],
    };
  }, [plan, sender, receivers, pattern, step, isByLabel]);

  useEffect(() => {
    let isWanted = true;
    if (wanted === null) {
      endPreview();
      return;
    }
    void showPreview(wanted.title, wanted.commands, 'feed').then((p) => isWanted && setProblem(p));
    return () => {
      isWanted = false;
    };
  }, [wanted]);
  useEffect(() => endPreview, []);

  const apply = async () => {
    if (wanted === null || wanted.subscriptions.length === 0) return;
    if (clashes.length > 0) choice.current?.querySelector('button')?.focus();
    else if (await commit(wanted.title, wanted.commands)) onClose();
  };
  const replace = async () => {
    if (wanted !== null && (await commit(wanted.title, wanted.commands, { replacing: true }))) onClose();
  };
  const rest = wanted === null ? null : leaveOut(wanted.commands, new Set(clashes.map((c) => c.record)));
  const applyRest = async () => {
    if (wanted !== null && rest !== null && (await commit(wanted.title, rest, { replacing: true }))) onClose();
  };
  const cancel = () => {
    endPreview();
    onClose();
  };

  return (
    <section
      aria-label="Feed"
      data-feed
      className="relative z-20 border-b border-violet bg-panel px-3 py-2"
      onKeyDown={(e) => {
        if (e.key === 'Escape') {
          e.stopPropagation();
          cancel();
        } else if (e.altKey && (e.key === 'ArrowRight' || e.key === 'ArrowLeft')) {
          e.preventDefault();
          const by = e.key === 'ArrowRight' ? 1 : FILLS.length - 1;
          choosePattern(FILLS[(FILLS.indexOf(pattern) + by) % FILLS.length] as FillPattern);
        }
      }}
    >
      <Command shouldFilter={false} label="Sender" value={sender?.key ?? ''} onValueChange={setHighlighted} loop>
        <div className="flex items-center gap-3">
          <span className="whitespace-nowrap text-dim">
            Feed <b className="font-medium text-ink">{count(receivers.length, 'channel')}</b> from
          </span>
          <Command.Input
            ref={input}
            autoFocus
            value={query}
            onValueChange={setQuery}
            placeholder={isByLabel ? 'any sender, or part of one’s name' : 'part of a sender’s name'}
            className="h-7 min-w-0 flex-1 rounded border border-edge bg-bg px-2 text-ink outline-none placeholder:text-faint focus-visible:outline-2 focus-visible:outline-jade"
          />
          <Button
            tone="main"
            disabled={wanted === null || wanted.subscriptions.length === 0 || clashes.length > 0}
            onClick={() => void apply()}
          >
            Apply <Key>Enter</Key>
          </Button>
          <Button onClick={cancel}>
            Cancel <Key>Esc</Key>
          </Button>
        </div>
        <fieldset className="mt-1.5 flex flex-wrap items-center gap-x-4 gap-y-1" title="Alt ← → changes it">
          <legend className="sr-only">How to fill</legend>
          {FILLS.map((f) => (
            <span key={f} className="flex items-center gap-1 whitespace-nowrap">
              <label className="flex items-center gap-1">
                <input
                  type="radio"
                  name="fill"
                  checked={pattern === f}
                  onChange={() => {
                    choosePattern(f);
                    input.current?.focus();
                  }}
                  className="accent-jade"
                />
                {FILL_WORDS[f]}
              </label>
              {f === 'every-nth' ? (
                <CountField
                  aria-label="Sender channels from one to the next"
                  max={STEP_MAX}
                  value={step}
                  onFocus={() => choosePattern('every-nth')}
                  onChange={setStep}
                  className="h-6! w-11 text-right font-mono"
                />
              ) : null}
              {f === 'every-nth' ? 'th channel' : null}
            </span>
          ))}
        </fieldset>
        {wanted !== null && wanted.leftOut.length > 0 ? (
          <p role="status" className="mt-1 text-ochre">
            Left as {wanted.leftOut.length === 1 ? 'it is' : 'they are'}: {leftWords(plan, wanted.leftOut)}.
          </p>
        ) : null}
        {wanted !== null && wanted.passes > 0 ? (
          <p role="status" className="mt-1 text-dim">
            {count(wanted.passes, 'channel')} more will pass through the processing unit on the way.
          </p>
        ) : null}
        {clashes.length === 0 ? null : (
          <div ref={choice}>
            <ClashChoice
              plan={plan}
              clashes={clashes}
              onReplace={() => void replace()}
              onRest={rest === null ? undefined : () => void applyRest()}
              onDiscard={cancel}
            />
          </div>
        )}
        {problem !== null ? (
          <p role="alert" className="mt-1 text-madder">
            {problem}
          </p>
        ) : null}
        <Command.List className="mt-1.5 max-h-[100px] overflow-y-auto">
          {deferred.trim() !== '' && shown.length === 0 ? (
            <p className="p-1 text-dim">No sender of that name.</p>
          ) : null}
          {shown.map((s) => (
            <Command.Item
              key={s.key}
              value={s.key}
              onSelect={() => void apply()}
              className="flex h-6 cursor-pointer items-center gap-2 rounded px-2 data-[selected=true]:bg-selected"
            >
              <span className="w-[150px] truncate">{s.device}</span>
              <span className="w-8 text-right font-mono text-[12px] text-dim">
                {s.channel === 0 ? '' : String(s.channel).padStart(2, '0')}
              </span>
              <span className="flex-1 truncate">{s.label}</span>
              <span className="truncate text-dim">{s.place}</span>
            </Command.Item>
          ))}
          {found.length > shown.length ? (
            <p className="px-2 py-1 text-dim">{found.length - shown.length} more: type on.</p>
          ) : null}
        </Command.List>
      </Command>
    </section>
  );
}
