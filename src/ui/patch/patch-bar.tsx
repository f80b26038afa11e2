import { useDeferredValue, useMemo, useState } from 'react';
import { FILLS, type Fill } from '@/core/edits/fill';
import { fillPatch, type PatchFill, type PatchLeftWhy } from '@/core/edits/fill-patch';
import type { Plan } from '@/core/plan/plan';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import { TAPS, type Tap } from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import { FillBar, type FillEntry } from '@/ui/frame/fill-bar';
import { bestFirst, searchFor } from '@/ui/parts/find-text';
import { printedNumber } from '@/ui/parts/signal-words';
import { channelRuns } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import type { PatchChannel } from '@/workers/patch-view';
import { TapSelect } from './tap-select';

const PATTERNS = FILLS.filter((f) => f !== 'by-label');
const LEFT_WORDS: Readonly<Record<PatchLeftWhy, string>> = {
  'no-channel-left': 'no channel left for',
  'not-patched-from-there': 'cannot be patched from there:',
  'no-block-left': 'no whole block left for',
};

interface PatchSource {
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
  const [fill, setFill] = useState<Fill>({ pattern: 'in-step', step: 2 });
  const [tap, setTap] = useState<Tap | null>(null);
  const [highlighted, setHighlighted] = useState('');
  const deviceId = ends[0]?.deviceId ?? '';
  const sources = useMemo(() => {
    const fed = new Set(ends.map((e) => e.terminalId));
    const from = new Set(terminals.filter((t) => fed.has(t.id)).flatMap((t) => [...t.patchFrom, ...t.sendsFrom]));
    const nameAt = new Map(channels.map((c) => [`${c.terminalId}:${c.channel}`, c.ownName ?? c.soundName ?? '']));
    return terminals
      .filter((t) => from.has(t.id))
      .flatMap((terminal) =>
        Array.from({ length: terminal.channels }, (_, n): PatchSource => {
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
  const source = found.find((s) => s.key === highlighted) ?? found[0];
  const taps = TAPS.filter((t) => source?.terminal.taps.includes(t));

  const wanted = useMemo(() => {
    if (source === undefined) return null;
    const from = { terminalId: source.terminal.id, channel: source.channel };
    const what = `${source.terminal.name} ${printedNumber(source.terminal, source.channel)}`;
    const title = `patch ${deviceName(plan, deviceId)}, ${endsWords(plan, ends)} from ${what}`;
    return { ...fillPatch(plan, ends, from, fill, tap), title };
  }, [plan, source, ends, fill, tap, deviceId]);

  return (
    <FillBar
      plan={plan}
      label="Patch"
      what={
        <>
          Patch <b className="font-medium text-ink">{endsWords(plan, ends)}</b> from
        </>
      }
      sourceLabel="Source"
      placeholder="part of a source’s name, or e.g. mic in 3"
      query={query}
      onQuery={setQuery}
      patterns={PATTERNS}
      fill={fill}
      onFill={setFill}
      found={found.map(entryOf)}
      isAsked={deferred.trim() !== ''}
      noneFound="No source matches."
      highlightedKey={source?.key ?? ''}
      onHighlight={setHighlighted}
      wanted={wanted}
      beside={taps.length === 0 ? null : <TapChoice taps={taps} tap={tap} onTap={setTap} />}
      notes={wanted === null ? null : <Consequences plan={plan} wanted={wanted} />}
      onClose={onClose}
    />
  );
}

function entryOf({ key, terminal, channel, name }: PatchSource): FillEntry {
  return {
    key,
    line: (
      <>
        <span className="w-[120px] truncate">{terminal.name}</span>
        <span className="w-8 text-right font-mono text-[12px] text-dim">
          {String(printedNumber(terminal, channel)).padStart(2, '0')}
        </span>
        <span className="flex-1 truncate">{name === '' ? <span className="text-faint">free</span> : name}</span>
      </>
    ),
  };
}

function TapChoice({ taps, tap, onTap }: { taps: readonly Tap[]; tap: Tap | null; onTap: (tap: Tap | null) => void }) {
  return (
    <label className="ml-auto flex items-center gap-2 text-dim">
      Tap
      <TapSelect taps={taps} value={tap} none="default" onSet={onTap} className="h-6!" />
    </label>
  );
}

function Consequences({ plan, wanted }: { plan: Plan; wanted: PatchFill }) {
  return (
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
      {wanted.commands.length === 0 && wanted.leftOut.length === 0 ? (
        <p role="status" className="mt-1 text-dim">
          Patched so already.
        </p>
      ) : null}
    </>
  );
}

function leftWords(plan: Plan, left: readonly { readonly end: SignalEnd; readonly why: PatchLeftWhy }[]): string {
  const byWhy = new Map<PatchLeftWhy, SignalEnd[]>();
  for (const { why, end } of left) byWhy.set(why, [...(byWhy.get(why) ?? []), end]);
  return [...byWhy].map(([why, ends]) => `${LEFT_WORDS[why]} ${endsWords(plan, ends)}`).join('; ');
}
