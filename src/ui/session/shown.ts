import { useMemo, useState } from 'react';
import type { FoundAt } from '@/core/findings/field-facts';
import { FieldFindings } from '@/core/findings/field-rules';
import { countWrong } from '@/core/findings/finding';
import { adaptersBySubnet, askedAtOf, type ToldOfField } from '@/core/findings/told-of-field';
import type { Plan } from '@/core/plan/plan';
import type { LaneEvidence, LaneState } from '@/field/lane-state';
import type { LaneView } from '@/workers/reckon-view';
import { useMinute } from './minute';
import { serverNow } from './server-clock';
import { usePlan, type FieldView, type View } from './plan-store';

/** What devices report that findings rest on; the same object until any of it is another. */
function useTold(): ToldOfField {
  const foundLinks = usePlan((s) => s.field.links);
  const foundClocks = usePlan((s) => s.field.clocks);
  const foundNames = usePlan((s) => s.field.names);
  const foundMappings = usePlan((s) => s.field.channelMappings);
  const foundPatches = usePlan((s) => s.field.devicePatches);
  const foundFigures = usePlan((s) => s.field.channelFigures);
  const devices = usePlan((s) => s.field.devices);
  const adapters = usePlan((s) => s.field.adapters.get(''));
  // Devices change again and again, as their answers grow old; where they are asked hardly ever changes.
  const at = JSON.stringify(askedAtOf(devices));
  const foundAt = useMemo(() => new Map(JSON.parse(at) as [string, FoundAt][]), [at]);
  const seenBy = useMemo(() => adaptersBySubnet(adapters ?? []), [adapters]);
  const now = useMinute(serverNow);
  return useMemo(
    () => ({
      ...{ foundLinks, foundClocks, foundNames, foundMappings, foundPatches, foundFigures },
      ...{ foundAt, seenBy, now },
    }),
    [foundLinks, foundClocks, foundNames, foundMappings, foundPatches, foundFigures, foundAt, seenBy, now],
  );
}

/** Adds the findings about the field to those about the plan. */
function useWithField(of: { readonly plan: Plan; readonly view: View } | null): { plan: Plan; view: View } | null {
  const told = useTold();
  const [foundInField] = useState(() => new FieldFindings());
  const [plan, view] = [of?.plan ?? null, of?.view ?? null];
  return useMemo(() => {
    if (plan === null || view === null) return null;
    const found = foundInField.of({ ...plan, ...told, keptTime: view.clocks.time });
    if (found.length === 0) return { plan, view };
    const findings = [...found, ...view.findings];
    return { plan, view: { ...view, findings, totals: { ...view.totals, ...countWrong(findings) } } };
  }, [plan, view, told, foundInField]);
}

export interface Shown {
  readonly plan: Plan;
  readonly view: View;
  readonly isPreview: boolean;
}

/** The plan and view to show: those of the preview while one is open. */
export function useShown(): Shown | null {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const preview = usePlan((s) => s.preview);
  const shown = useWithField(preview ?? (plan === null || view === null ? null : { plan, view }));
  return useMemo(() => (shown === null ? null : { ...shown, isPreview: preview !== null }), [shown, preview]);
}

/** The view as it is, whatever a preview shows: for what a preview is held against. */
export function useBefore(): View | null {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  return useWithField(plan === null || view === null ? null : { plan, view })?.view ?? null;
}

export function evidenceOf(field: FieldView, deviceId: string, channel: number): LaneEvidence | null {
  const lanes = field.lanes.get(deviceId);
  return lanes?.evidence[lanes.evidenceAt[channel] ?? -1] ?? null;
}

/** The state to draw: a refusal of the plan first, then what the field says, else planned. What a preview moves is planned: the field reports its old stream. */
export function stateOf(lane: LaneView, evidence: LaneEvidence | null): LaneState {
  if (lane.verdict === 'refused') return 'refused';
  return evidence === null || lane.isMoved || evidence.state === 'refused' ? 'planned' : evidence.state;
}
