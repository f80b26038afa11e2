'use client';

import { Command } from 'cmdk';
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import { FILLS, fillFrom, type Fill, type ReceiverChannel } from '@/core/plan/fill';
import { modelOf, type Plan } from '@/core/plan/plan';
import { Button, Key } from '@/ui/parts/controls';
import { channelRuns, count } from '@/ui/parts/units';
import { channelName, deviceName } from '@/ui/parts/words';
import { commit } from '@/ui/session/actions';
import { endPreview, showPreview } from '@/ui/session/plan-store';

const SHOWN_MAX = 60;
const FILL_WORDS: Readonly<Record<Fill, string>> = { 'in-step': 'In step', 'all-the-same': 'All the same' };

interface SenderChannel {
  readonly key: string;
  readonly deviceId: string;
  readonly channel: number;
  readonly device: string;
  readonly label: string;
  readonly place: string;
  readonly text: string;
}

function senderChannels(plan: Plan): SenderChannel[] {
  const devices = [...plan.devices.values()].sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
  return devices.flatMap((d) => {
    const channels = plan.models.get(d.modelId)?.channelsSend ?? 0;
    const place = plan.places.get(d.placeId ?? '')?.name ?? '';
    return Array.from({ length: channels }, (_, n): SenderChannel => {
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

/**
 * Feeding the selected channels: type part of a sender's name; the highlighted one is previewed in the sheet at once; Enter
 * applies it. `plan` is the plan without the preview.
 */
export function FeedBar({
  plan,
  receivers,
  onClose,
}: {
  plan: Plan;
  receivers: readonly ReceiverChannel[];
  onClose: () => void;
}) {
  const [query, setQuery] = useState('');
  const [fill, setFill] = useState<Fill>('in-step');
  const [highlighted, setHighlighted] = useState('');
  const [problem, setProblem] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const all = useMemo(() => senderChannels(plan), [plan]);
  const deferred = useDeferredValue(query);
  const found = useMemo(() => {
    const words = deferred.trim().toLowerCase().split(/\s+/).filter(Boolean);
    return words.length === 0 ? [] : all.filter((s) => words.every((w) => s.text.includes(w)));
  }, [all, deferred]);
  const shown = found.slice(0, SHOWN_MAX);
  const sender = shown.find((s) => s.key === highlighted) ?? shown[0];

  const wanted = useMemo(() => {
    if (sender === undefined) return null;
    const channels = modelOf(plan, sender.deviceId)?.channelsSend ?? 0;
    const result = fillFrom(receivers, sender.deviceId, sender.channel, channels, fill);
    const title = `feed ${receiverWords(plan, receivers)} from ${sender.device} ${sender.label}`;
    return { ...result, title, commands: [{ kind: 'subscribe' as const, subscriptions: result.subscriptions }] };
  }, [plan, sender, receivers, fill]);

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
    if (await commit(wanted.title, wanted.commands)) onClose();
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
          setFill(fill === 'in-step' ? 'all-the-same' : 'in-step');
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
            placeholder="part of a sender’s name"
            className="h-7 min-w-0 flex-1 rounded border border-edge bg-bg px-2 text-ink outline-none placeholder:text-faint focus-visible:outline-2 focus-visible:outline-jade"
          />
          <fieldset className="flex items-center gap-2.5" title="Alt ← → changes it">
            <legend className="sr-only">How to fill</legend>
            {FILLS.map((f) => (
              <label key={f} className="flex items-center gap-1 whitespace-nowrap">
                <input
                  type="radio"
                  name="fill"
                  checked={fill === f}
                  onChange={() => {
                    setFill(f);
                    input.current?.focus();
                  }}
                  className="accent-jade"
                />
                {FILL_WORDS[f]}
              </label>
            ))}
          </fieldset>
          <Button
            tone="main"
            disabled={wanted === null || wanted.subscriptions.length === 0}
            onClick={() => void apply()}
          >
            Apply <Key>Enter</Key>
          </Button>
          <Button onClick={cancel}>
            Leave <Key>Esc</Key>
          </Button>
        </div>
        {wanted !== null && wanted.leftOut.length > 0 ? (
          <p role="status" className="mt-1 text-ochre">
            {sender?.device} has no channels left for {receiverWords(plan, wanted.leftOut)}: left as they are.
          </p>
        ) : null}
        {problem !== null ? (
          <p role="alert" className="mt-1 text-madder">
            {problem}
          </p>
        ) : null}
        <Command.List className="mt-1.5 max-h-[148px] overflow-y-auto">
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
                {String(s.channel).padStart(2, '0')}
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
