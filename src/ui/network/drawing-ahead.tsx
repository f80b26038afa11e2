'use client';

import { useEffect } from 'react';
import { planNow, usePlan } from '@/ui/session/plan-store';

/** How long after a plan is open its drawing is arranged, when the stage itself stands. */
const AHEAD_MS = 1500;

/** Fetches and arranges the drawing of the network before anybody opens it. Shows nothing. */
export function DrawingAhead({ planId }: { planId: string }) {
  const isOpen = usePlan((s) => s.plan !== null && s.view !== null);
  useEffect(() => {
    if (!isOpen) return;
    const begin = () => {
      const { plan, view } = planNow();
      if (plan === null || view === null) return;
      void Promise.all([import('./drawing-layout'), import('./drawing')]).then(
        ([layout]) => layout.arrangeAhead(plan, view),
        () => {},
      );
    };
    const timer = setTimeout(begin, AHEAD_MS);
    return () => clearTimeout(timer);
  }, [isOpen, planId]);
  return null;
}
