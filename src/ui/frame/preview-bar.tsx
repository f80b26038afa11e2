import { useEffect, useRef, useState } from 'react';
import { leaveOut } from '@/core/edits/leave-out';
import type { Plan } from '@/core/plan/plan';
import { Button, Key } from '@/ui/parts/controls';
import { breakWords, mendWords } from '@/ui/parts/effect-words';
import { InterruptsList } from '@/ui/parts/interrupts';
import { linkName } from '@/ui/parts/network-words';
import { count, percent } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { carryingOf, effectsOf, isForTheWorse, lanesIn } from '@/ui/session/effects';
import { useBefore, useShown } from '@/ui/session/shown';
import { endPreview, usePlan } from '@/ui/session/plan-store';
import { ClashChoice } from './clash-choice';
import { goToSheet } from './regions';

/** While a change is only looked at: what it is, what it would do, and yes or no. */
export function PreviewBar() {
  const preview = usePlan((s) => s.preview);
  const base = useBefore();
  const shown = useShown();
  const field = usePlan((s) => s.field);
  const plan = usePlan((s) => s.plan);
  const yes = useRef<HTMLButtonElement>(null);
  const title = preview?.title;
  const [isListed, setListed] = useState(true);
  const from = useRef<Element | null>(null);
  useEffect(() => {
    if (title === undefined) {
      // Whoever looked at a change goes on where they were; where that is gone, at the sheet.
      const back = from.current;
      from.current = null;
      if (back === null || document.activeElement?.closest('[data-feed]') != null) return;
      if (back instanceof HTMLElement && back.isConnected) back.focus();
      if (document.activeElement === null || document.activeElement === document.body) goToSheet();
      return;
    }
    // A preview that was opened from a button can be answered from the keyboard at once.
    if (yes.current === null) return;
    from.current ??= document.activeElement;
    yes.current.focus();
  }, [title]);
  if (preview === null || base === null || shown === null) return <div />;
  const { result } = preview;
  const effects = effectsOf(base, shown.view);
  const interruptions = carryingOf(result.interruptions, field);
  const interrupted = lanesIn(interruptions);
  const rest =
    preview.clashes.length === 0 ? null : leaveOut(preview.commands, new Set(preview.clashes.map((c) => c.record)));
  const mends = mendWords(effects);
  // What carries and ends stands in the list.
  const isEnd = (i: (typeof interruptions)[number]) => i.why.code === 'removed' || i.why.code === 'fed-otherwise';
  const ended = lanesIn(interruptions.filter(isEnd));
  const breaks = breakWords({ ...effects, changedLanes: effects.changedLanes - ended });
  const patched = result.changes.filter((c) => c.table === 'patches').length;
  const isWorse = isForTheWorse(effects, interrupted);
  return (
    <section
      aria-label="Preview"
      className="border-t border-violet bg-raise px-3 py-1.5"
      onKeyDown={(e) => {
        if (e.key === 'Escape') endPreview();
      }}
    >
      {interrupted > 0 && isListed ? <InterruptsList plan={preview.plan} interruptions={interruptions} /> : null}
      <div className="flex items-center gap-3">
        <span>
          <b className="font-medium text-violet">Preview</b> {preview.title}
        </span>
        <span className="text-dim" role="status">
          {result.refusedChannels > 0 ? (
            <span className="text-madder">{count(result.refusedChannels, 'channel')} of it refused. </span>
          ) : null}
          {preview.note === null ? null : <span className="text-ochre">{preview.note} </span>}
          {mends === null ? null : <span className="text-jade">{mends} </span>}
          {patched > 0 ? <span className="text-dim">Changes the patch of {count(patched, 'channel')}. </span> : null}
          {breaks === null ? null : <span className={isWorse ? 'text-madder' : 'text-ochre'}>{breaks} </span>}
          {interrupted > 0 ? (
            <button
              type="button"
              aria-expanded={isListed}
              onClick={() => setListed(!isListed)}
              className="rounded text-madder underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
            >
              Interrupts {count(interrupted, 'lane')} {isListed ? '▾' : '▸'}
            </button>
          ) : (
            <span>
              {breaks === null && mends === null ? 'Nothing is refused; nothing' : 'Nothing'} is interrupted.{' '}
            </span>
          )}
          {result.overlap !== null && plan !== null ? (
            <span className="text-ochre">
              {' '}
              During the change, {linkWords(plan, result.overlap.linkId)} carries old and new streams:{' '}
              {percent(result.overlap.share)}.
            </span>
          ) : null}
        </span>
        {preview.from === 'feed' ? null : preview.clashes.length > 0 ? (
          <ClashChoice
            plan={plan ?? preview.plan}
            clashes={preview.clashes}
            onReplace={() => void commit(preview.title, preview.commands, { replacing: true })}
            onRest={rest === null ? undefined : () => void commit(preview.title, rest, { replacing: true })}
            onDiscard={endPreview}
          />
        ) : (
          <span className="ml-auto flex gap-2">
            <Button onClick={endPreview}>
              Discard <Key>Esc</Key>
            </Button>
            <Button
              ref={yes}
              tone={isWorse ? 'plain' : 'main'}
              onClick={() => void commit(preview.title, preview.commands)}
            >
              {isWorse ? 'Apply anyway' : 'Apply'}
            </Button>
          </span>
        )}
      </div>
    </section>
  );
}

function linkWords(plan: Plan, linkId: string): string {
  const link = plan.links.get(linkId);
  return link ? linkName(plan, link) : linkId;
}
