'use client';

import { useQueryState } from 'nuqs';
import { useDeferredValue, useMemo, useState, type ReactNode } from 'react';
import { mixerOf } from '@/core/edits/few-places';
import { clearPatch } from '@/core/edits/fill-patch';
import { modelOf } from '@/core/plan/plan';
import type { SignalEnd } from '@/core/signal/signal-end';
import { terminalsOf, type Terminal } from '@/core/signal/terminals';
import { StageLayout } from '@/ui/frame/stage-layout';
import { NothingPasses } from '@/ui/parts/nothing-passes';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { commitWithUndo } from '@/ui/session/actions';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { usePlan, type View } from '@/ui/session/plan-store';
import { useShown, type Shown } from '@/ui/session/shown';
import type { PatchChannel } from '@/workers/patch-view';
import { ChannelPanel } from './channel-panel';
import { changedKeys, devicesInField, devicesToPatch } from './devices-to-patch';
import { EmptyPatch, PatchOverview } from './patch-overview';
import { InFieldSection, usePatchInField } from './in-field';
import { endsWords, PatchBar } from './patch-bar';
import { useLinkedChannel } from './linked-channel';
import { PatchDialogs, type PatchDialog } from './patch-dialogs';
import { PatchColumns } from './patch-columns';
import { PatchStageBar, usePatchFilters } from './patch-stage-bar';
import { COLUMNS, endOfKey, keyOf, rowsOf } from './patch-rows';
import { WorkListView } from './work-list-view';
import { foldTerminal, usePatchSelection } from './selection';

const NO_CHANNELS: readonly PatchChannel[] = [];

/** What is plugged into a device, and how its inputs are led to its outputs. */
export function PatchStage() {
  const shown = useShown();
  const basePlan = usePlan((s) => s.plan);
  const planId = usePlan((s) => s.planId) ?? '';
  const [chosen, setChosen] = useQueryState('device');
  const [, setLinked] = useQueryState('sel');
  const filters = usePatchFilters();
  const { text, viewName, allDevices, openOnly, onlyInUse } = filters;
  const [dialog, setDialog] = useState<PatchDialog | null>(null);
  const [patchingAt, setPatchingAt] = useState<string | null>(null);
  const { keys, folded } = usePatchSelection();
  const filter = useDeferredValue(text);

  const plan = shown?.plan;
  const devices = useMemo(() => (basePlan ? devicesToPatch(basePlan) : []), [basePlan]);
  const deviceId = (devices.find((d) => d.device.id === chosen) ?? devices[0])?.device.id ?? '';
  const allIds = useMemo(() => devices.map((d) => d.device.id), [devices]);
  const model = basePlan ? modelOf(basePlan, deviceId) : undefined;
  const terminals = useMemo(() => (model ? terminalsOf(model) : []), [model]);
  const channels = useChannels(deviceId, shown?.view ?? null);
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
  return (
    <StageLayout
      panel={
        <PatchPanel
          shown={shown}
          deviceId={deviceId}
          terminals={terminals}
          channels={channels}
          onOpen={open}
          inField={
            <InFieldSection
              plan={basePlan}
              deviceId={deviceId}
              inField={inField}
              onOpen={(d) => open({ deviceId, ...d })}
              onSend={() => setDialog({ is: 'send', deviceIds: [deviceId] })}
              onList={filters.showWorkList}
            />
          }
        />
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
            {
              words: 'Send the patch …',
              isPossible: inField.is === 'read',
              run: () => setDialog({ is: 'send', deviceIds: [deviceId] }),
            },
            {
              words: 'Send the patches of all devices …',
              run: () => setDialog({ is: 'send', deviceIds: devicesInField(basePlan) }),
            },
          ],
          [
            {
              words: 'Substitute …',
              isPossible: patchable.length > 0,
              run: () => setDialog({ is: 'substitute', ends: patchable }),
            },
            {
              words: 'Submix …',
              isPossible: mixerOf(basePlan, deviceId) !== null,
              run: () => setDialog({ is: 'submix', ends }),
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
      {dialog === null ? null : (
        <PatchDialogs
          planId={planId}
          plan={basePlan}
          deviceId={deviceId}
          dialog={dialog}
          channels={channels}
          onClose={() => {
            setDialog(null);
            if (dialog.is === 'substitute') focusColumn();
          }}
        />
      )}
    </StageLayout>
  );
}

/** What the channels of a device are fed by and feed. */
function useChannels(deviceId: string, view: View | null): readonly PatchChannel[] {
  const answer = useWorkerAnswer({
    question: 'patch',
    about: [deviceId, view],
    ask: (worker) => worker.patch(deviceId),
    failed: 'The channels could not be listed',
    isWanted: deviceId !== '',
  });
  // Until the answer is there, that of before is: it may be of another device.
  return answer?.deviceId === deviceId ? answer.channels : NO_CHANNELS;
}

/** The channel at the cursor; without one, the device. */
function PatchPanel({
  shown: { plan, view, isPreview },
  deviceId,
  terminals,
  channels,
  inField,
  onOpen,
}: {
  shown: Shown;
  deviceId: string;
  terminals: readonly Terminal[];
  channels: readonly PatchChannel[];
  inField: ReactNode;
  onOpen: (end: SignalEnd) => void;
}) {
  const { cursor } = usePatchSelection();
  const at = cursor === null ? null : endOfKey(cursor);
  const terminal = terminals.find((t) => t.id === at?.terminalId);
  const channel = channels.find((c) => c.terminalId === at?.terminalId && c.channel === at.channel);
  if (at === null || terminal === undefined || channel === undefined) {
    return <PatchOverview plan={plan} view={view} deviceId={deviceId} channels={channels} inField={inField} />;
  }
  return (
    <ChannelPanel
      plan={plan}
      view={view}
      end={{ deviceId, ...at }}
      terminal={terminal}
      channel={channel}
      isPreview={isPreview}
      onOpen={onOpen}
    />
  );
}
