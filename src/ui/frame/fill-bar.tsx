import { Command } from 'cmdk';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { toast } from 'sonner';
import type { Fill, FillPattern } from '@/core/edits/fill';
import { leaveOut } from '@/core/edits/leave-out';
import type { Command as PlanCommand } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { CountField } from '@/ui/parts/count-field';
import { Button, Key } from '@/ui/parts/controls';
import { commit } from '@/ui/session/actions';
import { endPreview, showPreview, usePlan, type Clash } from '@/ui/session/plan-store';
import { ClashChoice } from './clash-choice';

const FILL_WORDS: Readonly<Record<FillPattern, string>> = {
  'in-step': 'In order',
  'all-the-same': 'All the same',
  'every-nth': 'Every',
  reversed: 'Reversed',
  'by-label': 'Matching labels',
};
const STEP_MAX = 64;
const SHOWN_MAX = 60;
const NO_CLASHES: readonly Clash[] = [];

export interface FillEntry {
  readonly key: string;
  /** The line of the list: what is chosen, in columns. */
  readonly line: ReactNode;
}

/** What the highlighted entry would come to. */
interface FillWanted {
  readonly title: string;
  readonly commands: readonly PlanCommand[];
  /** What of it is left as it is, said again once it is applied; missing: nothing. */
  readonly leftWords?: string | null;
}

/**
 * Feeding what is selected: type part of a name; the highlighted entry is previewed in the sheet at once; Enter applies it. Alt with the
 * arrows changes how the run is filled. `plan` is the plan without the preview.
 */
export function FillBar({
  plan,
  label,
  what,
  sourceLabel,
  placeholder,
  query,
  onQuery,
  patterns,
  fill,
  onFill,
  found,
  isAsked,
  noneFound,
  highlightedKey,
  onHighlight,
  wanted,
  beside,
  notes,
  onClose,
}: {
  plan: Plan;
  label: string;
  what: ReactNode;
  sourceLabel: string;
  placeholder: string;
  query: string;
  onQuery: (query: string) => void;
  patterns: readonly FillPattern[];
  fill: Fill;
  onFill: (fill: Fill) => void;
  found: readonly FillEntry[];
  /** Whether anything was looked for. */
  isAsked: boolean;
  noneFound: string;
  highlightedKey: string;
  onHighlight: (key: string) => void;
  /** Null: nothing is chosen yet. */
  wanted: FillWanted | null;
  /** Beside the ways to fill. */
  beside?: ReactNode;
  notes?: ReactNode;
  onClose: () => void;
}) {
  const [problem, setProblem] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const choice = useRef<HTMLDivElement>(null);
  const clashes = usePlan((s) => s.preview?.clashes) ?? NO_CLASHES;
  const isNothing = wanted === null || wanted.commands.length === 0;
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

  const apply = async () => {
    if (isNothing) return;
    if (clashes.length > 0) choice.current?.querySelector('button')?.focus();
    else if (await commit(wanted.title, wanted.commands)) {
      if (wanted.leftWords != null) toast.warning(wanted.leftWords);
      onClose();
    }
  };
  const replace = async (commands: readonly PlanCommand[]) => {
    if (wanted !== null && (await commit(wanted.title, commands, { replacing: true }))) onClose();
  };
  const rest = wanted === null ? null : leaveOut(wanted.commands, new Set(clashes.map((c) => c.record)));
  const cancel = () => {
    endPreview();
    onClose();
  };
  const shown = found.slice(0, SHOWN_MAX);

  return (
    <section
      aria-label={label}
      data-feed
      className="relative z-20 border-b border-violet bg-panel px-3 py-2"
      onKeyDown={(e) => {
        if (e.key === 'Escape') {
          e.stopPropagation();
          cancel();
        } else if (e.altKey && (e.key === 'ArrowRight' || e.key === 'ArrowLeft')) {
          e.preventDefault();
          const by = e.key === 'ArrowRight' ? 1 : patterns.length - 1;
          const next = patterns[(patterns.indexOf(fill.pattern) + by) % patterns.length] as FillPattern;
          onFill({ ...fill, pattern: next });
        }
      }}
    >
      <Command shouldFilter={false} label={sourceLabel} value={highlightedKey} onValueChange={onHighlight} loop>
        <div className="flex items-center gap-3">
          <span className="max-w-[240px] truncate text-dim">{what}</span>
          <Command.Input
            ref={input}
            autoFocus
            value={query}
            onValueChange={onQuery}
            placeholder={placeholder}
            className="h-7 min-w-0 flex-1 rounded border border-edge bg-bg px-2 text-ink outline-none placeholder:text-faint focus-visible:outline-2 focus-visible:outline-jade"
          />
          <Button tone="main" disabled={isNothing || clashes.length > 0} onClick={() => void apply()}>
            Apply <Key>Enter</Key>
          </Button>
          <Button onClick={cancel}>
            Cancel <Key>Esc</Key>
          </Button>
        </div>
        <PatternChoice patterns={patterns} fill={fill} onFill={onFill} onChosen={() => input.current?.focus()}>
          {beside}
        </PatternChoice>
        {notes}
        {clashes.length === 0 ? null : (
          <div ref={choice}>
            <ClashChoice
              plan={plan}
              clashes={clashes}
              onReplace={() => void replace(wanted?.commands ?? [])}
              onRest={rest === null ? undefined : () => void replace(rest)}
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
          {isAsked && shown.length === 0 ? <p className="p-1 text-dim">{noneFound}</p> : null}
          {shown.map((entry) => (
            <Command.Item
              key={entry.key}
              value={entry.key}
              onSelect={() => void apply()}
              className="flex h-6 cursor-pointer items-center gap-2 rounded px-2 data-[selected=true]:bg-selected"
            >
              {entry.line}
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

/** How the run is filled; the one with a step has its number beside it. */
function PatternChoice({
  patterns,
  fill,
  onFill,
  onChosen,
  children,
}: {
  patterns: readonly FillPattern[];
  fill: Fill;
  onFill: (fill: Fill) => void;
  onChosen: () => void;
  children: ReactNode;
}) {
  return (
    <fieldset className="mt-1.5 flex flex-wrap items-center gap-x-4 gap-y-1" title="Alt ← → changes it">
      <legend className="sr-only">How to fill</legend>
      {patterns.map((f) => (
        <span key={f} className="flex items-center gap-1 whitespace-nowrap">
          <label className="flex items-center gap-1">
            <input
              type="radio"
              name="fill"
              checked={fill.pattern === f}
              onChange={() => {
                onFill({ ...fill, pattern: f });
                onChosen();
              }}
              className="accent-jade"
            />
            {FILL_WORDS[f]}
          </label>
          {f === 'every-nth' ? (
            <CountField
              aria-label="Sender channels from one to the next"
              max={STEP_MAX}
              value={fill.step}
              onFocus={() => onFill({ ...fill, pattern: 'every-nth' })}
              onChange={(step) => onFill({ ...fill, step })}
              className="h-6! w-11 text-right font-mono"
            />
          ) : null}
          {f === 'every-nth' ? 'th channel' : null}
        </span>
      ))}
      {children}
    </fieldset>
  );
}
