'use client';

import { ManyClocks } from '@/ui/parts/many-devices';
import { SeveralHeading } from '@/ui/parts/several-devices';
import { useQueryState } from 'nuqs';
import { useMemo, useState } from 'react';
import { freeId } from '@/core/edits/propose-devices';
import type { ClockLoss } from '@/core/clocks/take-over';
import type { Plan } from '@/core/plan/plan';
import { StageLayout } from '@/ui/frame/stage-layout';
import { useStageViews } from '@/ui/frame/stage-views';
import type { Selection } from '@/ui/parts/selection';
import { Button } from '@/ui/parts/controls';
import { NoRows, ViewTabs } from '@/ui/parts/view-tabs';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { commit } from '@/ui/session/actions';
import { type View } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';
import type { ClockView, LossView } from '@/workers/clock-view';
import { ClockPanel } from './clock-panel';
import { clockRows, groupRows, referenceRows } from './clock-rows';
import { DrillPanel } from './drill-panel';
import { ClocksOverview } from './clocks-overview';
import { GroupPanel } from './group-panel';
import { ProposalDialog } from './proposal-dialog';
import { ReferencePanel } from './reference-panel';
import { CLOCK_KINDS, lossText, parseLoss, withLost, type ClockKind } from './selection';
import { pastePriorities } from '@/ui/parts/sheet-pastes';
import { CLOCKS, GROUPS, REFERENCES } from './sheets';
import { SortedSheet } from '@/ui/parts/sorted-sheet';
import { TimeTreeDrawing } from './time-tree';
import { FilterField } from '@/ui/parts/filter-field';
import { StageBar } from '@/ui/frame/stage-bar';
import { EmptyStage } from '@/ui/frame/empty-stage';

const KIND_OF_VIEW = { time: 'device', rates: 'group', references: 'reference' } as const;
const VIEW_TITLES: Readonly<Record<keyof typeof KIND_OF_VIEW, string>> = {
  time: 'Time',
  rates: 'Rates',
  references: 'References',
};

/** Who keeps time, who decides the rate, and what happens when something fails. */
export function ClocksStage() {
  const shown = useShown();
  const { name, views, selection, cursor, selected, search, filter, place, sheet, choose, goTo, mark } = useStageViews(
    KIND_OF_VIEW,
    CLOCK_KINDS,
  );
  const [lostText, setLostText] = useQueryState('lost');
  const [isProposing, setProposing] = useState(false);
  const loss = useMemo(() => parseLoss(lostText), [lostText]);
  const drill = useDrill(shown?.view.clocks ?? null, loss);
  const clocks = loss !== null && drill !== null ? drill.after : (shown?.view.clocks ?? null);
  const rows = useMemo(() => {
    if (shown === null || clocks === null) return null;
    const { plan, view } = shown;
    return {
      time: name === 'time' ? clockRows(plan, clocks, view.findings, search, place) : [],
      rates: name === 'rates' ? groupRows(plan, view, search) : [],
      references: name === 'references' ? referenceRows(plan, view, search) : [],
    };
  }, [shown, clocks, name, search, place]);
  if (shown === null || rows === null || clocks === null) return null;

  const { plan, view } = shown;
  const setLoss = (next: ClockLoss | null) => void setLostText(next === null ? null : lossText(next));
  const selectDevice = (id: string) => {
    mark([]);
    goTo('device', id);
  };
  const changed = new Set(drill !== null && loss !== null ? drill.steps.map((s) => s.deviceId) : []);
  const addGroup = () => {
    const id = freeId('group', plan.clockGroups);
    const group = { id, name: `Group ${plan.clockGroups.size + 1}`, rateHz: 48_000 as const, authority: null };
    void commit(`add the clock group ${group.name}`, [{ kind: 'put-clock-group', group }]).then(
      (isDone) => isDone && goTo('group', id),
    );
  };
  const addReference = () => {
    const id = freeId('reference', plan.references);
    const reference = {
      id,
      name: `Word clock ${plan.references.size + 1}`,
      kind: 'word-clock' as const,
      fromDeviceId: null,
      rateHz: 48_000,
      isFed: true,
      offsetNs: 0,
    };
    void commit(`add the reference ${reference.name}`, [{ kind: 'put-reference', reference }]).then(
      (isDone) => isDone && goTo('reference', id),
    );
  };
  const isEmpty = clocks.media.size === 0;

  return (
    <StageLayout
      panel={
        <>
          {loss !== null ? <DrillPanel plan={plan} loss={loss} result={drill} onLoss={setLoss} /> : null}
          <Panel
            plan={plan}
            view={view}
            clocks={clocks}
            selection={selection}
            selectedIds={[...selected]}
            loss={loss}
            onLose={(what, ids) => setLoss(ids.reduce<ClockLoss | null>((lost, id) => withLost(lost, what, id), loss))}
          />
        </>
      }
    >
      <StageBar>
        <ViewTabs label="Views of the clocks" views={views} titles={VIEW_TITLES} value={name} onChoose={choose} />
        <FilterField what="rows" {...filter} />
        {loss !== null ? (
          <span className="truncate text-violet" role="status">
            Drill: simulated
          </span>
        ) : null}
        <span className="ml-auto flex gap-2">
          {name === 'rates' ? <Button onClick={addGroup}>Add a group</Button> : null}
          {name === 'references' ? <Button onClick={addReference}>Add a reference</Button> : null}
          <Button tone="main" disabled={isEmpty} onClick={() => setProposing(true)}>
            Propose a clock plan …
          </Button>
        </span>
      </StageBar>
      {isEmpty ? (
        <EmptyStage title="Clocks: grandmaster, time relays and sample rates">
          The clock tree appears here, with what happens when any part of it fails, once there are devices on a media
          network. Add devices in Gear first.
        </EmptyStage>
      ) : name === 'time' ? (
        <div className="grid min-h-0 flex-1 grid-rows-[minmax(0,1fr)_minmax(0,1fr)]">
          <div className="min-h-0 border-b border-line">
            <TimeTreeDrawing
              plan={plan}
              clocks={clocks}
              selectedId={cursor}
              changed={changed}
              onSelect={selectDevice}
            />
          </div>
          <div className="flex min-h-0 flex-col">
            <SortedSheet
              of={CLOCKS}
              rows={rows.time}
              none={<NoRows what="clock" isFiltered />}
              paste={pastePriorities(plan)}
              {...sheet}
            />
          </div>
        </div>
      ) : name === 'rates' ? (
        <SortedSheet
          of={GROUPS}
          rows={rows.rates}
          none={<NoRows what="clock group" isFiltered={plan.clockGroups.size > 0} />}
          {...sheet}
        />
      ) : (
        <SortedSheet
          of={REFERENCES}
          rows={rows.references}
          none={<NoRows what="reference" isFiltered={plan.references.size > 0} />}
          {...sheet}
        />
      )}
      {isProposing ? <ProposalDialog plan={plan} onClose={() => setProposing(false)} /> : null}
    </StageLayout>
  );
}

function Panel({
  plan,
  view,
  clocks,
  selection,
  selectedIds,
  loss,
  onLose,
}: {
  plan: Plan;
  view: View;
  clocks: ClockView;
  selection: Selection<ClockKind> | null;
  /** All that is selected in the sheet; of several the settings are set together. */
  selectedIds: readonly string[];
  loss: ClockLoss | null;
  onLose: (kind: 'device' | 'reference', ids: readonly string[]) => void;
}) {
  if (selection?.kind === 'device') {
    const several = selectedIds.flatMap((id) => plan.devices.get(id) ?? []);
    if (several.length > 1) {
      return (
        <>
          <SeveralHeading devices={several} what="clock" />
          <ManyClocks plan={plan} devices={several} />
        </>
      );
    }
    const device = plan.devices.get(selection.id);
    if (device) {
      return (
        <ClockPanel
          key={device.id}
          plan={plan}
          view={view}
          clocks={clocks}
          device={device}
          isLost={loss?.deviceIds.includes(device.id) === true}
          onLose={() => onLose('device', [device.id])}
          onLoseReferences={(ids) => onLose('reference', ids)}
        />
      );
    }
  }
  if (selection?.kind === 'group') {
    const group = plan.clockGroups.get(selection.id);
    if (group) return <GroupPanel key={`${group.id} ${group.rateHz}`} plan={plan} view={view} group={group} />;
  }
  if (selection?.kind === 'reference') {
    const reference = plan.references.get(selection.id);
    if (reference) {
      return (
        <ReferencePanel
          key={reference.id}
          plan={plan}
          view={view}
          reference={reference}
          isLost={loss?.referenceIds.includes(reference.id) === true}
          onLose={() => onLose('reference', [reference.id])}
        />
      );
    }
  }
  return <ClocksOverview plan={plan} view={view} clocks={clocks} />;
}

/** What follows from the losses of a drill in the plan as shown. */
function useDrill(clocks: ClockView | null, loss: ClockLoss | null): LossView | null {
  const found = useWorkerAnswer({
    question: 'clockLoss',
    about: [clocks, loss],
    ask: async (worker) => (loss === null ? null : worker.clockLoss(loss)),
    failed: 'The drill could not be worked out',
    isWanted: clocks !== null && loss !== null,
    until: 'nothing',
  });
  return loss === null ? null : found;
}
