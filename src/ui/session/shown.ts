'use client';

import { useMemo } from 'react';
import { fieldClockFindings } from '@/core/findings/field-clocks';
import { fieldLinkFindings } from '@/core/findings/field-links';
import { fieldNameFindings } from '@/core/findings/names';
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
  return useMemo(() => {
    if (preview !== null)
      return { plan: preview.plan, view: withField(preview.plan, preview.view, links, clocks, names), isPreview: true };
    if (plan === null || view === null) return null;
    return { plan, view: withField(plan, view, links, clocks, names), isPreview: false };
  }, [plan, view, preview, links, clocks, names]);
}

/** What switches report of their cables, and devices of their clocks, is found wrong beside what the plan alone tells. */
function withField(
  plan: Plan,
  view: View,
  links: FieldView['links'],
  clocks: FieldView['clocks'],
  names: FieldView['names'],
): View {
  const found = [
    ...fieldLinkFindings(plan, links),
    ...fieldClockFindings(plan, view.clocks.time, clocks),
    ...fieldNameFindings(plan, names),
  ];
  return found.length === 0 ? view : { ...view, findings: [...found, ...view.findings] };
}

export function evidenceOf(field: FieldView, deviceId: string, channel: number): LaneEvidence | null {
  return field.devices.get(deviceId)?.lanes[channel] ?? field.absent.get(deviceId)?.[channel] ?? null;
}

/** The state to draw: a refusal of the plan first, then what the field says, else planned. */
export function stateOf(lane: LaneView, evidence: LaneEvidence | null): LaneState {
  if (lane.verdict === 'refused') return 'refused';
  return evidence === null || evidence.state === 'refused' ? 'planned' : evidence.state;
}
