'use client';

import { parseAsString, parseAsStringLiteral, useQueryState } from 'nuqs';
import { useEffect, useMemo, useState } from 'react';
import { freeId } from '@/core/plan/propose-devices';
import type { ClockLoss } from '@/core/clocks/take-over';
import type { Plan } from '@/core/plan/plan';
import { FindingList } from '@/ui/frame/finding-list';
import { StageLayout } from '@/ui/frame/stage-layout';
import { clockEventWords, grandmasterName } from '@/ui/parts/clock-words';
import { Button, PanelHeading, TextField } from '@/ui/parts/controls';
import { useMarks } from '@/ui/parts/marks';
import { deviceName } from '@/ui/parts/network-words';
import { reportProblem } from '@/ui/parts/report-problem';
import { count } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { reckonWorker, usePlan, type View } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';
import type { ClockView, LossView } from '@/workers/clock-view';
import { ClockPanel } from './clock-panel';
import { clockRows, groupRows, referenceRows } from './clock-rows';
import { DrillPanel } from './drill-panel';
import { GroupPanel, WhatFollows } from './group-panel';
import { ProposalDialog } from './proposal-dialog';
import { ReferencePanel } from './reference-panel';
import {
  CLOCK_VIEWS,
  clockSelectionText,
  lossText,
  parseClockSelection,
  parseLoss,
  withLost,
  type ClockKind,
  type ClockViewName,
} from './selection';
import { ClockSheet, GroupSheet, ReferenceSheet } from './sheets';
import { TimeTreeDrawing } from './time-tree';

const VIEW_TITLES: Readonly<Record<ClockViewName, string>> = { time: 'Time', rates: 'Rates', references: 'References' };
const KIND_OF_VIEW: Readonly<Record<ClockViewName, ClockKind>> = {
  time: 'device',
  rates: 'group',
  references: 'reference',
};

/** Who keeps time, who decides the rate, and what happens when something fails. */
export function ClocksStage() {
  const shown = useShown();
  const [name, setName] = useQueryState('view', parseAsStringLiteral(CLOCK_VIEWS).withDefault('time'));
  const [selectionText, setSelectionText] = useQueryState('sel');
  const [lostText, setLostText] = useQueryState('lost');
  const [text, setText] = useQueryState('find', parseAsString.withDefault(''));
  const [place] = useQueryState('place');
  const [isProposing, setProposing] = useState(false);
  const selection = useMemo(() => parseClockSelection(selectionText), [selectionText]);
  const loss = useMemo(() => parseLoss(lostText), [lostText]);
  const words = useMemo(() => text.trim().toLowerCase().split(/\s+/).filter(Boolean), [text]);
  const drill = useDrill(shown?.view.clocks ?? null, loss);
  const kind = KIND_OF_VIEW[name];
  const cursor = selection?.kind === kind ? selection.id : null;
  const [order, setOrder] = useState<readonly string[]>([]);
  const { selected, select, mark } = useMarks(
    order,
    cursor,
    (id) => void setSelectionText(clockSelectionText(kind, id)),
  );
  const clocks = loss !== null && drill !== null ? drill.after : (shown?.view.clocks ?? null);
  const rows = useMemo(() => {
    if (shown === null || clocks === null) return null;
    const { plan, view } = shown;
    return {
      time: name === 'time' ? clockRows(plan, clocks, view.findings, words, place) : [],
      rates: name === 'rates' ? groupRows(plan, view, words) : [],
      references: name === 'references' ? referenceRows(plan, view, words) : [],
    };
  }, [shown, clocks, name, words, place]);
  if (shown === null || rows === null || clocks === null) return null;

  const { plan, view } = shown;
  const setLoss = (next: ClockLoss | null) => void setLostText(next === null ? null : lossText(next));
  const onSelect = (key: string, how: 'only' | 'to' | 'toggle', keys: readonly string[]) => {
    setOrder(keys);
    select(key, how);
  };
  const sheet = { selectedKeys: selected, cursorKey: cursor, onSelect };
  const selectDevice = (id: string) => {
    mark([]);
    void setSelectionText(clockSelectionText('device', id));
  };
  const changed = new Set(drill !== null && loss !== null ? drill.steps.map((s) => s.deviceId) : []);
  const addGroup = () => {
    const id = freeId('group', plan.clockGroups);
    const group = { id, name: `Group ${plan.clockGroups.size + 1}`, rateHz: 48_000 as const, authority: null };
    void commit(`add the clock group ${group.name}`, [{ kind: 'put-clock-group', group }]).then(
      (isDone) => isDone && void setSelectionText(clockSelectionText('group', id)),
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
      (isDone) => isDone && void setSelectionText(clockSelectionText('reference', id)),
    );
  };
  const isEmpty = clocks.media.size === 0;
  const shownRows = rows[name].length;

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
            loss={loss}
            onLose={(what, id) => setLoss(withLost(loss, what, id))}
          />
        </>
      }
    >
      <div className="flex h-10 shrink-0 items-center gap-2 border-b border-line px-3 text-dim">
        <div role="tablist" aria-label="Views of the clocks" className="flex h-full items-stretch">
          {CLOCK_VIEWS.map((v) => (
            <button
              key={v}
              type="button"
              role="tab"
              aria-selected={name === v}
              onClick={() => {
                mark([]);
                void setName(v);
                void setSelectionText(null);
              }}
              className={`px-2.5 focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade ${
                name === v ? 'text-ink shadow-[inset_0_-2px_var(--jade)]' : 'hover:text-ink'
              }`}
            >
              {VIEW_TITLES[v]}
            </button>
          ))}
        </div>
        <TextField
          type="search"
          aria-label="Filter rows"
          placeholder="Filter"
          value={text}
          onChange={(e) => void setText(e.target.value || null)}
          className="w-[110px]"
        />
        {loss !== null ? (
          <span className="truncate text-violet" role="status">
            Drill: as it would be
          </span>
        ) : null}
        <span className="ml-auto flex gap-2">
          {name === 'rates' ? <Button onClick={addGroup}>Add a group</Button> : null}
          {name === 'references' ? <Button onClick={addReference}>Add a reference</Button> : null}
          <Button tone="main" disabled={isEmpty} onClick={() => setProposing(true)}>
            Propose a clock plan …
          </Button>
        </span>
      </div>
      {isEmpty ? (
        <div className="max-w-[520px] p-8">
          <h2 className="text-[16px] font-semibold">Clocks: who keeps time, and who decides the rate</h2>
          <p className="mt-2 text-dim">
            Once there are devices with a media network, the tree of time stands here, with what happens when any part
            of it fails. Add devices in Gear first.
          </p>
        </div>
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
            {shownRows > 0 ? <ClockSheet rows={rows.time} {...sheet} /> : <Nothing what="clock" isFiltered />}
          </div>
        </div>
      ) : shownRows === 0 ? (
        <Nothing
          what={name === 'rates' ? 'clock group' : 'reference'}
          isFiltered={(name === 'rates' ? plan.clockGroups : plan.references).size > 0}
        />
      ) : name === 'rates' ? (
        <GroupSheet rows={rows.rates} {...sheet} />
      ) : (
        <ReferenceSheet rows={rows.references} {...sheet} />
      )}
      {isProposing ? <ProposalDialog plan={plan} onClose={() => setProposing(false)} /> : null}
    </StageLayout>
  );
}

function Nothing({ what, isFiltered }: { what: string; isFiltered: boolean }) {
  return (
    <p className="p-6 text-dim">{isFiltered ? `No ${what} passes this filter.` : `No ${what} in this plan yet.`}</p>
  );
}

function Panel({
  plan,
  view,
  clocks,
  selection,
  loss,
  onLose,
}: {
  plan: Plan;
  view: View;
  clocks: ClockView;
  selection: ReturnType<typeof parseClockSelection>;
  loss: ClockLoss | null;
  onLose: (kind: 'device' | 'reference', id: string) => void;
}) {
  if (selection?.kind === 'device') {
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
          onLose={() => onLose('device', device.id)}
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
          onLose={() => onLose('reference', reference.id)}
        />
      );
    }
  }
  return <Whole plan={plan} view={view} clocks={clocks} />;
}

const ORDER = { refusal: 0, caution: 1, note: 2 } as const;

function Whole({ plan, view, clocks }: { plan: Plan; view: View; clocks: ClockView }) {
  const findings = view.findings
    .filter((f) => f.stage === 'clocks')
    .sort((a, b) => ORDER[a.severity] - ORDER[b.severity]);
  const [first] = clocks.time.grandmasterIds;
  const followers = [...clocks.time.byDevice.values()].filter((k) => k.grandmasterId === first).length - 1;
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">Clocks of this plan</h2>
      <p className="text-dim">
        {first === undefined
          ? 'Nobody keeps time.'
          : `${deviceName(plan, first)} keeps time for ${count(followers, 'device')}.`}
      </p>
      <WhatFollows />
      <PanelHeading>What is wrong</PanelHeading>
      {findings.length === 0 ? (
        <p className="text-dim">Nothing: everyone hears one time, relays have spares, and rates meet.</p>
      ) : (
        <FindingList findings={findings} plan={plan} />
      )}
      <FieldClocks plan={plan} />
    </>
  );
}

/** Who keeps time in the field, and what happened to it while somebody looked. */
function FieldClocks({ plan }: { plan: Plan }) {
  const clocks = usePlan((s) => s.field.clocks);
  const events = usePlan((s) => s.field.clockEvents);
  if (clocks.size === 0) return null;
  const masters = new Map<string | null, { devices: number; unlocked: number }>();
  for (const { gmid, locked } of clocks.values()) {
    const known = masters.get(gmid) ?? { devices: 0, unlocked: 0 };
    masters.set(gmid, { devices: known.devices + 1, unlocked: known.unlocked + (locked ? 0 : 1) });
  }
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      <ul>
        {[...masters].map(([gmid, { devices, unlocked }]) => (
          <li key={gmid ?? 'none'}>
            {grandmasterName(plan, gmid)}: <span className="text-dim">{count(devices, 'device')}</span>
            {unlocked > 0 && gmid !== null ? <span className="text-ochre">, {unlocked} not locked</span> : null}
          </li>
        ))}
      </ul>
      <PanelHeading>Events</PanelHeading>
      {events.length === 0 ? (
        <p className="text-dim">None since somebody began to look at this plan.</p>
      ) : (
        <ul aria-label="Clock events" className="text-[12px]">
          {events.map((event) => (
            <li
              key={`${event.at} ${event.what} ${event.deviceIds[0] ?? ''}`}
              className="border-t border-line/60 py-0.5"
            >
              <span className="font-mono text-dim">{new Date(event.at).toLocaleTimeString('en-GB')}</span>{' '}
              {clockEventWords(plan, event)}
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

/** What follows from the losses of a drill in the plan as shown. */
function useDrill(clocks: ClockView | null, loss: ClockLoss | null): LossView | null {
  const [result, setResult] = useState<{ loss: ClockLoss; found: LossView | null } | null>(null);
  useEffect(() => {
    if (clocks === null || loss === null) return;
    let isWanted = true;
    reckonWorker()
      .clockLoss(loss)
      .then((found) => isWanted && setResult({ loss, found }))
      .catch((error: unknown) => isWanted && reportProblem(error, 'The drill could not be worked out'));
    return () => {
      isWanted = false;
    };
  }, [clocks, loss]);
  return result !== null && result.loss === loss ? result.found : null;
}
