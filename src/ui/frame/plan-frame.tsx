'use client';

import { usePathname } from 'next/navigation';
import { useEffect, type ReactNode } from 'react';
import { openAhead, openPlan, usePlan } from '@/ui/session/plan-store';
import { redo, undo } from '@/ui/session/actions';
import { ImportHost } from '@/ui/import/import-host';
import { FieldMessages } from './field-messages';
import { FieldDialog } from './field-dialog';
import { FindAndDo } from './find-and-do';
import { closeDialog, openDialog, useFrameDialog } from './frame-dialog';
import { HistoryDialog } from './history-dialog';
import { OpenPoints } from './open-points';
import { PlacesDialog } from './places-dialog';
import { PreviewBar } from './preview-bar';
import { Rail } from './rail';
import { enterSheet, goToRegion, goToSheet } from './regions';
import { TakeOverDialog } from './take-over-dialog';
import { TopBar } from './top-bar';
import { TotalsStrip } from './totals-strip';
import { Walk } from './walk';

// Whoever comes by an address of a plan need not wait for React before it is read.
const comesTo = typeof window === 'undefined' ? undefined : /^\/plans\/([\w-]+)/.exec(window.location.pathname)?.[1];
if (comesTo !== undefined) openAhead(comesTo);

/** The frame around every stage of a plan: rail, top bar, totals strip, and the keys that work everywhere. */
export function PlanFrame({ planId, children }: { planId: string; children: ReactNode }) {
  const isOpen = usePlan((s) => s.plan !== null && s.view !== null);
  const problem = usePlan((s) => s.problem);
  const dialog = useFrameDialog((s) => s.open);
  useEffect(() => openPlan(planId), [planId]);
  const stage = usePathname();
  useEffect(() => (isOpen ? enterSheet() : undefined), [isOpen, stage]);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key === 'F6') {
        e.preventDefault();
        goToRegion(e.shiftKey ? -1 : 1);
        return;
      }
      if (!(e.ctrlKey || e.metaKey)) return;
      const key = e.key.toLowerCase();
      if (key === 'k') {
        e.preventDefault();
        if (useFrameDialog.getState().open === 'find') closeDialog();
        else openDialog('find');
      }
      const isTyping = e.target instanceof HTMLElement && e.target.closest('input, textarea, select') !== null;
      if (isTyping) return;
      if (key === 'z' && !e.shiftKey) {
        e.preventDefault();
        void undo();
      } else if (key === 'y' || (key === 'z' && e.shiftKey)) {
        e.preventDefault();
        void redo();
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
  return (
    <div className="grid h-dvh grid-cols-[auto_1fr] grid-rows-[44px_1fr_auto_30px] overflow-hidden max-md:grid-cols-1 max-md:grid-rows-[44px_38px_1fr_auto_30px]">
      <button
        type="button"
        onClick={goToSheet}
        className="fixed top-1 left-1 z-50 -translate-y-12 rounded border border-jade bg-panel px-2.5 py-1 focus:translate-y-0 focus-visible:outline-2 focus-visible:outline-jade"
      >
        Skip to the sheet
      </button>
      <TopBar />
      <Rail planId={planId} />
      <div className="min-h-0 min-w-0 overflow-hidden">
        {problem !== null ? (
          <p role="alert" className="p-6 text-madder">
            {problem}
          </p>
        ) : isOpen ? (
          children
        ) : (
          <p className="p-6 text-dim" role="status">
            Reading and calculating the plan …
          </p>
        )}
      </div>
      <PreviewBar />
      <TotalsStrip />
      <FieldMessages />
      {isOpen ? <Walk planId={planId} /> : null}
      <ImportHost />
      {dialog === 'find' ? <FindAndDo planId={planId} onClose={closeDialog} /> : null}
      {dialog === 'history' ? <HistoryDialog onClose={closeDialog} /> : null}
      {dialog === 'findings' ? <OpenPoints onClose={closeDialog} /> : null}
      {dialog === 'places' ? <PlacesDialog onClose={closeDialog} /> : null}
      {dialog === 'take-over' ? <TakeOverDialog onClose={closeDialog} /> : null}
      {dialog === 'field' ? <FieldDialog onClose={closeDialog} /> : null}
    </div>
  );
}
