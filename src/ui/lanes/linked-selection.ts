import { useQueryState } from 'nuqs';
import { useEffect, useRef } from 'react';
import type { Plan } from '@/core/plan/plan';
import type { ChannelRow } from './lane-rows';
import { clearSelection, parseSelection, selectionText, selectRows, useSelection } from './selection';

/** A link into the sheet selects; what is selected goes into the link. */
export function useLinkedSelection(planId: string, plan: Plan | null): void {
  const [linked, setLinked] = useQueryState('sel');
  const { selected } = useSelection();
  const written = useRef<string | null>(null);
  useEffect(() => {
    if (linked === null || linked === written.current || !plan) return;
    const wanted = parseSelection(linked);
    if (wanted === null || !plan.devices.has(wanted.deviceId)) return;
    written.current = linked;
    const run: ChannelRow[] = [];
    for (let channel = wanted.first; channel <= wanted.last; channel += 1)
      run.push({ kind: 'channel', deviceId: wanted.deviceId, channel });
    selectRows(run);
  }, [linked, plan]);
  useEffect(() => {
    const timer = setTimeout(() => {
      const now = selectionText(selected);
      if (now === written.current || (now === null && written.current === null)) return;
      written.current = now;
      void setLinked(now);
    }, 400);
    return () => clearTimeout(timer);
  }, [selected, setLinked]);
  useEffect(() => () => clearSelection(), [planId]);
}
