'use client';

import { compareNames } from '@/core/plan/name-order';
import { useQueryState } from 'nuqs';
import { useDeferredValue, useMemo, useState } from 'react';
import { mixerOf } from '@/core/edits/few-places';
import { clearPatch } from '@/core/edits/fill-patch';
import { modelOf, type Plan } from '@/core/plan/plan';
import type { SignalEnd } from '@/core/signal/signal-end';
import { terminalsOf } from '@/core/signal/terminals';
import { StageLayout } from '@/ui/frame/stage-layout';
import { NothingPasses } from '@/ui/parts/nothing-passes';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { commitWithUndo } from '@/ui/session/actions';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { usePlan } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';
import type { PatchChannel } from '@/workers/patch-view';
import { ChannelPanel } from './channel-panel';
import { FewPlacesDialog } from './few-places-dialog';
import { EmptyPatch, PatchOverview } from './patch-overview';
import { InFieldSection, usePatchInField } from './in-field';
import { endsWords, PatchBar } from './patch-bar';
import { useLinkedChannel } from './linked-channel';
import { PatchColumns } from './patch-columns';
import { PatchStageBar, usePatchFilters } from './patch-stage-bar';
import { COLUMNS, endOfKey, keyOf, rowsOf } from './patch-rows';
import { SendPatchDialog } from './send-patch-dialog';
import { WorkListView } from './work-list-view';
import { SubstituteDialog } from './substitutions';
import { foldTerminal, usePatchSelection } from './selection';

const NO_CHANNELS: readonly PatchChannel[] = [];

/** Devices with channels, those with a console's inside first. */
function devicesToPatch(plan: Plan) {
  return [...plan.devices.values()]
    .flatMap((d) => {
      const model = modelOf(plan, d.id);
      return model === undefined || terminalsOf(model).length === 0 ? [] : [{ device: d, model }];
    })
    .sort(
      (a, b) =>
        Number(b.model.kind === 'console') - Number(a.model.kind === 'console') ||
        compareNames(a.device.name, b.device.name),
    );
}

/** What is plugged into a device, and how its inputs are led to its outputs. */
export function PatchStage() {
  const shown = useShown();
  const basePlan = usePlan((s) => s.plan);
  const planId = usePlan((s) => s.planId) ?? '';
  const [chosen, setChosen] = useQueryState('device');
  const [, setLinked] = useQueryState('sel');
  const filters = usePatchFilters();
  const { text, viewName, allDevices, openOnly, onlyInUse } = filters;
  const [substituting, setSubstituting] = useState<readonly SignalEnd[] | null>(null);
  const [folding, setFolding] = useState<readonly SignalEnd[] | null>(null);
  const [patchingAt, setPatchingAt] = useState<string | null>(null);
  const [sending, setSending] = useState<readonly string[] | null>(null);
  const { keys, cursor, folded } = usePatchSelection();
  const filter = useDeferredValue(text);

  const plan = shown?.plan;
  const devices = useMemo(() => (basePlan ? devicesToPatch(basePlan) : []), [basePlan]);
  const deviceId = (devices.find((d) => d.device.id === chosen) ?? devices[0])?.device.id ?? '';
  const allIds = useMemo(() => devices.map((d) => d.device.id), [devices]);
  const model = basePlan ? modelOf(basePlan, deviceId) : undefined;
  const terminals = useMemo(() => (model ? terminalsOf(model) : []), [model]);
  const answer = useWorkerAnswer({
    question: 'patch',
    about: [deviceId, shown?.view ?? null],
    ask: (worker) => worker.patch(deviceId),
    failed: 'The channels could not be listed',
    isWanted: deviceId !== '',
  });
  // Until the answer is there, that of before is: it may be of another device.
  const channels = answer?.deviceId === deviceId ? answer.channels : NO_CHANNELS;
  const rows = useMemo(
    () => rowsOf(terminals, channels, { text: filter, onlyInUse, folded }),
    [terminals, channels, filter, onlyInUse, folded],
  );
  const inField = usePatchInField(basePlan ?? null, deviceId);
  const differing = useMemo(
    () => new Set(inField.differences.map((d) => keyOf(d.terminalId, d.channel))),
    [inField.differences],
  );
  const changed = useMemo(() => changedKeys(basePlan ?? null, plan ?? null, deviceId), [basePlan, plan, deviceId]);

  const goTo = useLinkedChannel(deviceId, terminals);

  if (!plan || !basePlan || !shown) return null;
  if (devices.length === 0) return <EmptyPatch planId={planId} />;

  const open = (end: SignalEnd) => {
    void setChosen(end.deviceId);
    void setLinked(keyOf(end.terminalId, end.channel));
    if (end.deviceId === deviceId) goTo(end);
  };
  /** The selected channels in the order in which they stand; those that a filter hides are not touched. */
  const ends = COLUMNS.flatMap((c) => rows[c]).flatMap((r): SignalEnd[] =>
    r.kind === 'channel' && keys.has(r.key)
      ? [{ deviceId, terminalId: r.terminal.id, channel: r.channel.channel }]
      : [],
  );
  const patchable = ends.filter((e) => {
    const t = terminals.find((x) => x.id === e.terminalId);
    return t !== undefined && (t.patchFrom.length > 0 || t.sendsFrom.length > 0);
  });
  const patch = () => patchable.length > 0 && setPatchingAt(deviceId);
  const clear = () => {
    const commands = clearPatch(basePlan, patchable);
    if (commands.length > 0) {
      void commitWithUndo(`clear ${deviceName(basePlan, deviceId)}, ${endsWords(basePlan, patchable)}`, commands);
    }
  };
  const focusColumn = () => {
    const column = terminals.find((t) => t.id === patchable[0]?.terminalId)?.direction ?? 'inside';
    document.querySelector<HTMLElement>(`[data-patch-column="${column}"]`)?.focus();
  };
  const at = cursor === null ? null : endOfKey(cursor);
  const terminal = terminals.find((t) => t.id === at?.terminalId);
  const channel = channels.find((c) => c.terminalId === at?.terminalId && c.channel === at.channel);

  return (
    <StageLayout
      panel={
        at !== null && terminal !== undefined && channel !== undefined ? (
          <ChannelPanel
            plan={plan}
            view={shown.view}
            end={{ deviceId, ...at }}
            terminal={terminal}
            channel={channel}
            isPreview={shown.isPreview}
            onOpen={open}
          />
        ) : (
          <PatchOverview
            plan={plan}
            view={shown.view}
            deviceId={deviceId}
            channels={channels}
            inField={
              <InFieldSection
                plan={basePlan}
                deviceId={deviceId}
                inField={inField}
                onOpen={(d) => open({ deviceId, ...d })}
                onSend={() => setSending([deviceId])}
                onList={filters.showWorkList}
              />
            }
          />
        )
      }
    >
      <PatchStageBar
        plan={plan}
        devices={devices}
        deviceId={deviceId}
        filters={filters}
        said={ends.length > 0 ? `${count(ends.length, 'channel')} selected` : ''}
        isPatchable={patchable.length > 0}
        actions={[
          [
            { words: 'Send the patch …', isPossible: inField.is === 'read', run: () => setSending([deviceId]) },
            { words: 'Send the patches of all devices …', run: () => setSending(devicesInField(basePlan)) },
          ],
          [
            { words: 'Substitute …', isPossible: patchable.length > 0, run: () => setSubstituting(patchable) },
            {
              words: 'Submix …',
              isPossible: mixerOf(basePlan, deviceId) !== null,
              run: () => setFolding(ends),
            },
          ],
        ]}
        onDevice={(id) => {
          void setLinked(null);
          void setChosen(id);
        }}
        onClear={clear}
        onPatch={patch}
      />
      {viewName === 'patch' && patchingAt === deviceId && patchable.length > 0 ? (
        <PatchBar
          plan={basePlan}
          ends={patchable}
          terminals={terminals}
          channels={channels}
          onClose={() => {
            setPatchingAt(null);
            focusColumn();
          }}
        />
      ) : null}
      {viewName === 'work' ? (
        <WorkListView
          plan={plan}
          deviceIds={allDevices ? allIds : [deviceId]}
          openOnly={openOnly}
          isPreview={shown.isPreview}
        />
      ) : channels.length > 0 && COLUMNS.every((c) => rows[c].length === 0) ? (
        <NothingPasses what="channel" onShowAll={filters.showAll} />
      ) : (
        <PatchColumns
          key={deviceId}
          plan={plan}
          deviceId={deviceId}
          rows={rows}
          changed={changed}
          differing={differing}
          isRead={inField.is === 'read'}
          onFold={foldTerminal}
          onPatch={patch}
          onClear={clear}
        />
      )}
      {sending === null ? null : (
        <SendPatchDialog planId={planId} plan={basePlan} deviceIds={sending} onClose={() => setSending(null)} />
      )}
      {folding === null ? null : (
        <FewPlacesDialog
          plan={basePlan}
          mixerId={deviceId}
          chosen={folding}
          channels={channels}
          onClose={() => setFolding(null)}
        />
      )}
      {substituting === null ? null : (
        <SubstituteDialog
          plan={basePlan}
          ends={substituting}
          channels={channels}
          onClose={() => {
            setSubstituting(null);
            focusColumn();
          }}
        />
      )}
    </StageLayout>
  );
}

/** Devices that can be patched, those that are not there among them: sending says why it leaves them. */
const devicesInField = (plan: Plan): string[] =>
  devicesToPatch(plan)
    .filter(({ model }) => terminalsOf(model).some((t) => t.patchFrom.length > 0))
    .map(({ device }) => device.id);

/** The channels of a device that are fed otherwise in one plan than in the other. */
function changedKeys(before: Plan | null, after: Plan | null, deviceId: string): ReadonlySet<string> {
  const changed = new Set<string>();
  if (before === null || after === null || before === after) return changed;
  for (const table of ['patches', 'busSends'] as const) {
    const [was, is] = [before[table].get(deviceId), after[table].get(deviceId)];
    if (was === is) continue;
    for (const key of new Set([...(was?.keys() ?? []), ...(is?.keys() ?? [])])) {
      const record = is?.get(key) ?? was?.get(key);
      if (record !== undefined && was?.get(key) !== is?.get(key)) changed.add(keyOf(record.terminalId, record.channel));
    }
  }
  return changed;
}
