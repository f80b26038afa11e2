'use client';

import type { Plan } from '@/core/plan/plan';
import type { LaneEvidence, LaneState } from '@/field/lane-state';
import type { LaneView } from '@/workers/reckon-view';
import { usePlan, type FieldView, type View } from './plan-store';

/** The plan and view to show: those of the preview while one is open. */
export function useShown(): { plan: Plan; view: View; isPreview: boolean } | null {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const preview = usePlan((s) => s.preview);
  if (preview !== null) return { plan: preview.plan, view: preview.view, isPreview: true };
  return plan === null || view === null ? null : { plan, view, isPreview: false };
}

export function evidenceOf(field: FieldView, deviceId: string, channel: number): LaneEvidence | null {
  return field.devices.get(deviceId)?.lanes[channel] ?? field.absent.get(deviceId)?.[channel] ?? null;
}

/** The state to draw: a refusal of the plan first, then what the field says, else planned. */
export function stateOf(lane: LaneView, evidence: LaneEvidence | null): LaneState {
  if (lane.verdict === 'refused') return 'refused';
  return evidence === null || evidence.state === 'refused' ? 'planned' : evidence.state;
}
