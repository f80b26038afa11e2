'use client';

import { useMemo } from 'react';
import type { FoundAt } from '@/core/findings/field-facts';
import { countWrong } from '@/core/findings/finding';
import type { Plan } from '@/core/plan/plan';
import { adaptersBySubnet, askedAtOf, foundInField, type ToldOfField } from '@/field/live/found-in-field';
import type { LaneEvidence, LaneState } from '@/field/lane-state';
import type { LaneView } from '@/workers/reckon-view';
import { useMinute } from './minute';
import { serverNow } from './server-clock';
import { usePlan, type FieldView, type View } from './plan-store';

/** What devices report that findings rest on; the same object until any of it is another. */
function useTold(): ToldOfField {
  const links = usePlan((s) => s.field.links);
  const clocks = usePlan((s) => s.field.clocks);
  const names = usePlan((s) => s.field.names);
  const channelMappings = usePlan((s) => s.field.channelMappings);
  const devicePatches = usePlan((s) => s.field.devicePatches);
  const channelFigures = usePlan((s) => s.field.channelFigures);
  const devices = usePlan((s) => s.field.devices);
  const adapters = usePlan((s) => s.field.adapters.get(''));
  // Devices are told again and again, as what they answered grows old; where they are asked hardly ever changes.
  const at = JSON.stringify(askedAtOf(devices));
  const foundAt = useMemo(() => new Map(JSON.parse(at) as [string, FoundAt][]), [at]);
  const seenBy = useMemo(() => adaptersBySubnet(adapters ?? []), [adapters]);
  const now = useMinute(serverNow);
  return useMemo(
    () => ({ links, clocks, names, channelMappings, devicePatches, channelFigures, foundAt, seenBy, now }),
    [links, clocks, names, channelMappings, devicePatches, channelFigures, foundAt, seenBy, now],
  );
}

/** The plan and view to show: those of the preview while one is open. */
export function useShown(): { plan: Plan; view: View; isPreview: boolean } | null {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const preview = usePlan((s) => s.preview);
  const told = useTold();
  return useMemo(() => {
    const of = preview ?? (plan === null || view === null ? null : { plan, view });
    return of === null ? null : { plan: of.plan, view: withField(of.plan, of.view, told), isPreview: preview !== null };
  }, [plan, view, preview, told]);
}

/** The view as it is, whatever a preview shows: for what a preview is held against. */
export function useBefore(): View | null {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const told = useTold();
  return useMemo(() => (plan === null || view === null ? null : withField(plan, view, told)), [plan, view, told]);
}

/** What switches report of their cables, and devices of themselves, is found wrong beside what the plan alone tells. */
function withField(plan: Plan, view: View, told: ToldOfField): View {
  const found = foundInField(plan, view.clocks.time, told);
  if (found.length === 0) return view;
  const findings = [...found, ...view.findings];
  return { ...view, findings, totals: { ...view.totals, ...countWrong(findings) } };
}

export function evidenceOf(field: FieldView, deviceId: string, channel: number): LaneEvidence | null {
  const lanes = field.lanes.get(deviceId);
  return lanes?.evidence[lanes.evidenceAt[channel] ?? -1] ?? null;
}

/** The state to draw: a refusal of the plan first, then what the field says, else planned. What a preview moves is planned: the field tells of its old way. */
export function stateOf(lane: LaneView, evidence: LaneEvidence | null): LaneState {
  if (lane.verdict === 'refused') return 'refused';
  return evidence === null || lane.isMoved || evidence.state === 'refused' ? 'planned' : evidence.state;
}
