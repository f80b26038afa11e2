'use client';

import { useMemo } from 'react';
import { findInField } from '@/core/findings/find-in-field';
import type { Plan } from '@/core/plan/plan';
import type { LaneEvidence, LaneState } from '@/field/lane-state';
import type { LaneView } from '@/workers/reckon-view';
import { usePlan, type FieldView, type View } from './plan-store';

/** The plan and view to show: those of the preview while one is open. */
export function useShown(): { plan: Plan; view: View; isPreview: boolean } | null {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const preview = usePlan((s) => s.preview);
  const links = usePlan((s) => s.field.links);
  const clocks = usePlan((s) => s.field.clocks);
  const names = usePlan((s) => s.field.names);
  const receiveMaps = usePlan((s) => s.field.receiveMaps);
  return useMemo(() => {
    const told = { links, clocks, names, receiveMaps };
    if (preview !== null) {
      return { plan: preview.plan, view: withField(preview.plan, preview.view, told), isPreview: true };
    }
    if (plan === null || view === null) return null;
    return { plan, view: withField(plan, view, told), isPreview: false };
  }, [plan, view, preview, links, clocks, names, receiveMaps]);
}

/** The plan and view as they are, whatever a preview shows: for what a preview is held against. */
export function useBefore(): View | null {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const links = usePlan((s) => s.field.links);
  const clocks = usePlan((s) => s.field.clocks);
  const names = usePlan((s) => s.field.names);
  const receiveMaps = usePlan((s) => s.field.receiveMaps);
  return useMemo(
    () => (plan === null || view === null ? null : withField(plan, view, { links, clocks, names, receiveMaps })),
    [plan, view, links, clocks, names, receiveMaps],
  );
}

/** What switches report of their cables, and devices of themselves, is found wrong beside what the plan alone tells. */
function withField(plan: Plan, view: View, told: Pick<FieldView, 'links' | 'clocks' | 'names' | 'receiveMaps'>): View {
  const { links, clocks, names, receiveMaps } = told;
  const found = findInField({
    ...plan,
    ...{ foundLinks: links, foundClocks: clocks, foundNames: names, foundMaps: receiveMaps },
    keptTime: view.clocks.time,
  });
  return found.length === 0 ? view : { ...view, findings: [...found, ...view.findings] };
}

export function evidenceOf(field: FieldView, deviceId: string, channel: number): LaneEvidence | null {
  const lanes = field.lanes.get(deviceId);
  return lanes?.evidence[lanes.evidenceAt[channel] ?? -1] ?? null;
}

/** The state to draw: a refusal of the plan first, then what the field says, else planned. */
export function stateOf(lane: LaneView, evidence: LaneEvidence | null): LaneState {
  if (lane.verdict === 'refused') return 'refused';
  return evidence === null || evidence.state === 'refused' ? 'planned' : evidence.state;
}
