'use client';

import { useQueryState } from 'nuqs';
import { useDeferredValue, useMemo, useState } from 'react';
import { writePatchRows } from '@/core/formats/patch-list';
import { EmptyStage, FirstDevices } from '@/ui/frame/empty-stage';
import { StageLayout } from '@/ui/frame/stage-layout';
import { NothingPasses } from '@/ui/parts/nothing-passes';
import type { ChannelRef } from '@/field/send-plan';
import { usePlan } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';
import { FeedBar } from './feed-bar';
import { laneRows, rowKey, type Sort } from './lane-rows';
import { edgeName, hasSeveralPlaces } from './loom';
import { LoomBand } from './loom-band';
import { clearLanes, fillDown, pasteFeeds } from './lane-actions';
import { LanePanel } from './lane-panel';
import { LaneSheet } from './lane-sheet';
import { LanesBar, useLaneFilters, type LanesDialog } from './lanes-bar';
import { useLinkedSelection } from './linked-selection';
import { useSelection } from './selection';
import { MoveDialog, SwapDialog } from './move-dialog';
import { RepackDialog } from './repack-dialog';
import { SendDialog } from './send-dialog';

const NO_FOLDS: ReadonlySet<string> = new Set();

/** The lane sheet: which receiver channel receives what. */
export function LanesStage({ planId }: { planId: string }) {
  const shown = useShown();
  const basePlan = usePlan((s) => s.plan);
  const baseView = usePlan((s) => s.view);
  const field = usePlan((s) => s.field);
  const hasField = usePlan((s) => s.hasField);
  const filters = useLaneFilters();
  const { text, state, from, to, place } = filters;
  const [askedFeed, setAskedFeed] = useQueryState('feed');
  const [openPlaces, setOpenPlaces] = useState(NO_FOLDS);
  const [feedQuery, setFeedQuery] = useState('');
  const [sort, setSort] = useState<Sort>({ column: 'channel', isDescending: false });
  const [folded, setFolded] = useState(NO_FOLDS);
  const [isFeedOpen, setFeeding] = useState(false);
  const [dialog, setDialog] = useState<LanesDialog | null>(null);
  const [sending, setSending] = useState<readonly ChannelRef[] | null>(null);
  const { selected } = useSelection();
  // A link can say what the selected channels are to be fed from, too: it is previewed, and applied by hand.
  const isFeeding = isFeedOpen || (askedFeed !== null && selected.size > 0);
  const deferredText = useDeferredValue(text);

  const plan = shown?.plan;
  const view = shown?.view;
  // A filter by state is about what is, not about what a preview would make of it: rows must not jump away while looking.
  const rows = useMemo(
    () =>
      basePlan && baseView
        ? laneRows(basePlan, baseView, field, { text: deferredText, placeId: place, from, to, state, sort, folded })
        : [],
    [basePlan, baseView, field, deferredText, place, from, to, state, sort, folded],
  );

  useLinkedSelection(planId, basePlan);

  /** The selected channels in the order in which they stand in the sheet; hidden ones are not touched. */
  const receivers = useMemo(
    () =>
      rows.flatMap((r) =>
        r.kind === 'channel' && selected.has(rowKey(r.deviceId, r.channel))
          ? [{ deviceId: r.deviceId, channel: r.channel }]
          : [],
      ),
    [rows, selected],
  );

  if (!plan || !view || !basePlan || !baseView) return null;
  const focusSheet = () => document.querySelector<HTMLElement>('[data-lane-grid]')?.focus();
  const feedFrom = (query: string) => {
    if (receivers.length === 0) return;
    setFeedQuery(query);
    setFeeding(true);
  };
  const feed = () => feedFrom('');
  const clear = () => clearLanes(basePlan, baseView, receivers);
  const fill = () => fillDown(basePlan, receivers);
  const channelRows = rows.filter((r) => r.kind === 'channel');
  const send = () => receivers.length > 0 && hasField && setSending(receivers);
  const copy = () => writePatchRows(basePlan, receivers, '\t');
  const paste = (pasted: string) => pasteFeeds(basePlan, channelRows, receivers, pasted);
  const firstReceived = receivers[0] && baseView.lanes.get(receivers[0].deviceId)?.get(receivers[0].channel);
  const hasReceivers = [...basePlan.devices.values()].some(
    (d) => (basePlan.models.get(d.modelId)?.channelsReceive ?? 0) > 0,
  );

  return (
    <StageLayout panel={<LanePanel plan={plan} view={view} isPreview={shown.isPreview} />}>
      {!hasReceivers ? (
        <EmptyLanes planId={planId} />
      ) : (
        <>
          {hasSeveralPlaces(basePlan) || openPlaces.size > 0 ? (
            <LoomBand
              plan={plan}
              view={view}
              field={field}
              placeId={place}
              from={from}
              to={to}
              open={openPlaces}
              onOpen={setOpenPlaces}
              onPick={filters.pick}
              onDropRows={(key) => feedFrom(edgeName(basePlan, key))}
            />
          ) : null}
          <LanesBar
            plan={basePlan}
            receivers={receivers}
            rowCount={channelRows.length}
            filters={filters}
            onPaste={paste}
            onFillDown={fill}
            onClear={clear}
            onSend={hasField ? send : null}
            onFeed={feed}
            onDialog={setDialog}
          />
          {isFeeding ? (
            <FeedBar
              plan={basePlan}
              receivers={receivers}
              startQuery={askedFeed ?? feedQuery}
              onClose={() => {
                setFeeding(false);
                void setAskedFeed(null);
                focusSheet();
              }}
            />
          ) : null}
          {rows.length === 0 && filters.isFiltered ? (
            <NothingPasses what="lane" onShowAll={filters.showAll} />
          ) : (
            <LaneSheet
              rows={rows}
              plan={plan}
              view={view}
              field={field}
              before={shown.isPreview ? baseView : null}
              sort={sort}
              onSort={setSort}
              folded={folded}
              onFold={(id) =>
                setFolded((is) => (is.has(id) ? new Set([...is].filter((x) => x !== id)) : new Set([...is, id])))
              }
              isFeeding={isFeeding}
              onFeed={feed}
              onClear={clear}
              onSend={send}
              onFillDown={fill}
              onCopy={() => (receivers.length > 0 ? copy() : null)}
              onPaste={(text) => receivers.length > 0 && paste(text)}
            />
          )}
        </>
      )}
      {dialog === 'swap' ? (
        <SwapDialog
          plan={basePlan}
          start={
            firstReceived ? { deviceId: firstReceived.senderDeviceId, channel: firstReceived.senderChannel } : null
          }
          onClose={() => setDialog(null)}
        />
      ) : dialog === 'move' ? (
        <MoveDialog plan={basePlan} from={receivers[0]?.deviceId ?? null} onClose={() => setDialog(null)} />
      ) : dialog === 'repack' ? (
        <RepackDialog plan={basePlan} onClose={() => setDialog(null)} />
      ) : null}
      {sending ? (
        <SendDialog
          planId={planId}
          plan={basePlan}
          channels={sending}
          onClose={() => {
            setSending(null);
            focusSheet();
          }}
        />
      ) : null}
    </StageLayout>
  );
}

const EmptyLanes = ({ planId }: { planId: string }) => (
  <EmptyStage begin={<FirstDevices planId={planId} />} title="Lanes: which channel is subscribed to which">
    Each row here will be one receiver channel. You select a run of them and say what feeds it; the streams, addresses
    and loads are worked out. There is no device with receiver channels yet, so start with the gear.
  </EmptyStage>
);
