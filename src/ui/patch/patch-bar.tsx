'use client';

import { Command } from 'cmdk';
import { useDeferredValue, useEffect, useMemo, useState } from 'react';
import { FILLS, type FillPattern } from '@/core/edits/fill';
import { fillPatch, type PatchLeftWhy } from '@/core/edits/fill-patch';
import { leaveOut } from '@/core/edits/leave-out';
import type { Plan } from '@/core/plan/plan';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import { TAPS, type Tap } from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import { ClashChoice } from '@/ui/frame/clash-choice';
import { CountField } from '@/ui/parts/count-field';
import { Button, Key, SelectField } from '@/ui/parts/controls';
import { bestFirst, searchFor } from '@/ui/parts/find-text';
import { printedNumber, TAP_WORDS } from '@/ui/parts/signal-words';
import { channelRuns } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/words';
import { commit } from '@/ui/session/actions';
import { endPreview, showPreview, usePlan, type Clash } from '@/ui/session/plan-store';
import type { PatchChannel } from '@/workers/patch-view';

const SHOWN_MAX = 60;
const PATTERNS = FILLS.filter((f) => f !== 'by-label');
const FILL_WORDS: Readonly<Record<Exclude<FillPattern, 'by-label'>, string>> = {
  'in-step': 'In order',
  'all-the-same': 'All the same',
  'every-nth': 'Every',
  reversed: 'Reversed',
};
const LEFT_WORDS: Readonly<Record<PatchLeftWhy, string>> = {
  'no-channel-left': 'no channel left for',
  'not-patched-from-there': 'cannot be patched from there:',
  'no-block-left': 'no whole block left for',
};
const NO_CLASHES: readonly Clash[] = [];

interface Source {
  readonly key: string;
  readonly terminal: Terminal;
  readonly channel: number;
  readonly name: string;
  readonly text: string;
}

/** `Strip 1–8, Bus 3`, numbered as printed. */
export function endsWords(plan: Plan, ends: readonly SignalEnd[]): string {
  const byTerminal = new Map<string, number[]>();
  for (const e of ends) byTerminal.set(e.terminalId, [...(byTerminal.get(e.terminalId) ?? []), e.channel]);
  return [...byTerminal]
    .map(([terminalId, channels]) => {
      const terminal = terminalAt(plan, { deviceId: ends[0]?.deviceId ?? '', terminalId });
      const printed = channels.sort((a, b) => a - b).map((c) => printedNumber(terminal, c));
      return `${terminal?.name ?? terminalId} ${channelRuns(printed)}`;
    })
    .join(', ');
}

/** Feeding the selected channels of a device: as in the lane sheet, from what the device has. `plan` is the plan without the preview. */
export function PatchBar({
  plan,
  ends,
  terminals,
  channels,
  onClose,
}: {
  plan: Plan;
  ends: readonly SignalEnd[];
  terminals: readonly Terminal[];
  channels: readonly PatchChannel[];
  onClose: () => void;
}) {
  const [query, setQuery] = useState('');
  const [pattern, setPattern] = useState<FillPattern>('in-step');
  const [step, setStep] = useState(2);
  const [tap, setTap] = useState<Tap | null>(null);
  const [highlighted, setHighlighted] = useState('');
  const [problem, setProblem] = useState<string | null>(null);
  const clashes = usePlan((s) => s.preview?.clashes) ?? NO_CLASHES;
  const deviceId = ends[0]?.deviceId ?? '';
  const sources = useMemo(() => {
    const fed = new Set(ends.map((e) => e.terminalId));
    const from = new Set(terminals.filter((t) => fed.has(t.id)).flatMap((t) => [...t.patchFrom, ...t.sendsFrom]));
    const nameAt = new Map(channels.map((c) => [`${c.terminalId}:${c.channel}`, c.ownName ?? c.soundName ?? '']));
    return terminals
      .filter((t) => from.has(t.id))
      .flatMap((terminal) =>
        Array.from({ length: terminal.channels }, (_, n): Source => {
          const key = `${terminal.id}:${n + 1}`;
          const name = nameAt.get(key) ?? '';
          const text = `${terminal.name} ${printedNumber(terminal, n + 1)} ${name}`.toLowerCase();
          return { key, terminal, channel: n + 1, name, text };
        }),
      );
  }, [ends, terminals, channels]);
  const deferred = useDeferredValue(query);
  const found = useMemo(() => {
    const search = searchFor(deferred);
    return search.isEmpty ? [] : bestFirst(sources, search, (s) => s.text);
  }, [sources, deferred]);
  const shown = found.slice(0, SHOWN_MAX);
  const source = shown.find((s) => s.key === highlighted) ?? shown[0];
  const taps = TAPS.filter((t) => source?.terminal.taps.includes(t));

  const wanted = useMemo(() => {
    if (source === undefined) return null;
    const from = { terminalId: source.terminal.id, channel: source.channel };
    const fill = fillPatch(plan, ends, from, { pattern, step }, tap);
    const what = `${source.terminal.name} ${printedNumber(source.terminal, source.channel)}`;
    return { ...fill, title: `patch ${deviceName(plan, deviceId)}, ${endsWords(plan, ends)} from ${what}` };
  }, [plan, source, ends, pattern, step, tap, deviceId]);

  useEffect(() => {
    let isWanted = true;
    if (wanted === null || wanted.commands.length === 0) {
      endPreview();
      return;
    }
    void showPreview(wanted.title, wanted.commands, 'feed').then((p) => isWanted && setProblem(p));
    return () => {
      isWanted = false;
    };
  }, [wanted]);
  useEffect(() => endPreview, []);

  const isNothing = wanted === null || wanted.commands.length === 0;
  const apply = async (replacing = false) => {
    if (wanted === null || isNothing || (clashes.length > 0 && !replacing)) return;
    if (await commit(wanted.title, wanted.commands, { replacing })) onClose();
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
      aria-label="Patch"
      className="relative z-20 border-b border-violet bg-panel px-3 py-2"
      onKeyDown={(e) => {
        if (e.key === 'Escape') {
          e.stopPropagation();
          cancel();
        } else if (e.altKey && (e.key === 'ArrowRight' || e.key === 'ArrowLeft')) {
          e.preventDefault();
          const by = e.key === 'ArrowRight' ? 1 : PATTERNS.length - 1;
          setPattern(
            PATTERNS[(PATTERNS.indexOf(pattern as (typeof PATTERNS)[number]) + by) % PATTERNS.length] as FillPattern,
          );
        }
      }}
    >
      <Command shouldFilter={false} label="Source" value={source?.key ?? ''} onValueChange={setHighlighted} loop>
        <div className="flex items-center gap-3">
          <span className="max-w-[240px] truncate text-dim">
            Patch <b className="font-medium text-ink">{endsWords(plan, ends)}</b> from
          </span>
          <Command.Input
            autoFocus
            value={query}
            onValueChange={setQuery}
            placeholder="part of a source’s name, or e.g. mic in 3"
            className="h-7 min-w-0 flex-1 rounded border border-edge bg-bg px-2 text-ink outline-none placeholder:text-faint focus-visible:outline-2 focus-visible:outline-jade"
          />
          <Button tone="main" disabled={isNothing || clashes.length > 0} onClick={() => void apply()}>
            Apply <Key>Enter</Key>
          </Button>
          <Button onClick={cancel}>
            Cancel <Key>Esc</Key>
          </Button>
        </div>
        <fieldset className="mt-1.5 flex flex-wrap items-center gap-x-4 gap-y-1" title="Alt ← → changes it">
          <legend className="sr-only">How to fill</legend>
          {PATTERNS.map((f) => (
            <span key={f} className="flex items-center gap-1 whitespace-nowrap">
              <label className="flex items-center gap-1">
                <input
                  type="radio"
                  name="patch-fill"
                  checked={pattern === f}
                  onChange={() => setPattern(f)}
                  className="accent-jade"
                />
                {FILL_WORDS[f as keyof typeof FILL_WORDS]}
              </label>
              {f === 'every-nth' ? (
                <>
                  <CountField
                    aria-label="Source channels from one to the next"
                    max={64}
                    value={step}
                    onFocus={() => setPattern('every-nth')}
                    onChange={setStep}
                    className="h-6! w-11 text-right font-mono"
                  />
                  th channel
                </>
              ) : null}
            </span>
          ))}
          {taps.length === 0 ? null : (
            <label className="ml-auto flex items-center gap-2 text-dim">
              Tap
              <SelectField
                aria-label="Tap"
                value={tap ?? ''}
                onChange={(e) => setTap(e.target.value === '' ? null : (e.target.value as Tap))}
                className="h-6!"
              >
                <option value="">as usual</option>
                {taps.map((t) => (
                  <option key={t} value={t}>
                    {TAP_WORDS[t]}
                  </option>
                ))}
              </SelectField>
            </label>
          )}
        </fieldset>
        {wanted === null ? null : (
          <>
            {wanted.along.length === 0 ? null : (
              <p role="status" className="mt-1 text-dim">
                Patched along, as their blocks are patched as one: {endsWords(plan, wanted.along)}.
              </p>
            )}
            {wanted.leftOut.length === 0 ? null : (
              <p role="status" className="mt-1 text-ochre">
                Left as {wanted.leftOut.length === 1 ? 'it is' : 'they are'}: {leftWords(plan, wanted.leftOut)}.
              </p>
            )}
            {isNothing && wanted.leftOut.length === 0 ? (
              <p role="status" className="mt-1 text-dim">
                It is fed so already.
              </p>
            ) : null}
          </>
        )}
        {clashes.length === 0 ? null : (
          <ClashChoice
            plan={plan}
            clashes={clashes}
            onReplace={() => void apply(true)}
            onRest={rest === null ? undefined : () => void applyRest()}
            onDiscard={cancel}
          />
        )}
        {problem === null ? null : (
          <p role="alert" className="mt-1 text-madder">
            {problem}
          </p>
        )}
        <Command.List className="mt-1.5 max-h-[126px] overflow-y-auto">
          {deferred.trim() !== '' && shown.length === 0 ? (
            <p className="p-1 text-dim">No source of that name.</p>
          ) : null}
          {shown.map((s) => (
            <Command.Item
              key={s.key}
              value={s.key}
              onSelect={() => void apply()}
              className="flex h-6 cursor-pointer items-center gap-2 rounded px-2 data-[selected=true]:bg-selected"
            >
              <span className="w-[120px] truncate">{s.terminal.name}</span>
              <span className="w-8 text-right font-mono text-[12px] text-dim">
                {String(printedNumber(s.terminal, s.channel)).padStart(2, '0')}
              </span>
              <span className="flex-1 truncate">
                {s.name === '' ? <span className="text-faint">free</span> : s.name}
              </span>
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

function leftWords(plan: Plan, left: readonly { readonly end: SignalEnd; readonly why: PatchLeftWhy }[]): string {
  const byWhy = new Map<PatchLeftWhy, SignalEnd[]>();
  for (const { why, end } of left) byWhy.set(why, [...(byWhy.get(why) ?? []), end]);
  return [...byWhy].map(([why, ends]) => `${LEFT_WORDS[why]} ${endsWords(plan, ends)}`).join('; ');
}
