'use client';

import { useEffect, useRef } from 'react';
import type { Plan } from '@/core/plan/plan';
import { Button, Key } from '@/ui/parts/controls';
import { linkName } from '@/ui/parts/network-words';
import { count, percent } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { endPreview, usePlan } from '@/ui/session/plan-store';

/** While a change is only looked at: what it is, what it would do, and yes or no. */
export function PreviewBar() {
  const preview = usePlan((s) => s.preview);
  const base = usePlan((s) => s.view?.totals);
  const plan = usePlan((s) => s.plan);
  const yes = useRef<HTMLButtonElement>(null);
  const title = preview?.title;
  useEffect(() => {
    // A preview that was opened from a button can be answered from the keyboard at once.
    if (title !== undefined) yes.current?.focus();
  }, [title]);
  if (preview === null || base === undefined) return <div />;
  const { result } = preview;
  const refusals = preview.view.totals.refusals - base.refusals;
  return (
    <section
      aria-label="Preview"
      className="flex items-center gap-3 border-t border-violet bg-raise px-3 py-1.5"
      onKeyDown={(e) => {
        if (e.key === 'Escape') endPreview();
      }}
    >
      <span>
        <b className="font-medium text-violet">Preview</b> {preview.title}
      </span>
      <span className="text-dim">
        {result.refusedChannels > 0 ? `${count(result.refusedChannels, 'channel')} refused. ` : ''}
        {refusals < 0
          ? `${count(-refusals, 'refusal')} fewer. `
          : refusals > 0
            ? `${count(refusals, 'refusal')} more. `
            : ''}
        {result.disturbedStreamIds.length > 0
          ? `${count(result.disturbedStreamIds.length, 'carrying stream')} interrupted, ${count(result.disturbedLanes, 'lane')} on ${result.disturbedStreamIds.length === 1 ? 'it' : 'them'}.`
          : 'No carrying stream is interrupted.'}
        {result.overlap !== null && plan !== null ? (
          <span className="text-ochre">
            {' '}
            While it is made, {linkWords(plan, result.overlap.linkId)} carries old and new streams:{' '}
            {percent(result.overlap.share)}.
          </span>
        ) : null}
      </span>
      {preview.from === 'feed' ? null : (
        <span className="ml-auto flex gap-2">
          <Button onClick={endPreview}>
            Discard <Key>Esc</Key>
          </Button>
          <Button ref={yes} tone="main" onClick={() => void commit(preview.title, preview.commands)}>
            Apply
          </Button>
        </span>
      )}
    </section>
  );
}

function linkWords(plan: Plan, linkId: string): string {
  const link = plan.links.get(linkId);
  return link ? linkName(plan, link) : linkId;
}
