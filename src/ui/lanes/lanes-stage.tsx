'use client';

import { fillDownLanes } from '@/core/edits/fill-down';
import { parseAsString, parseAsStringLiteral, useQueryState } from 'nuqs';
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import { toast } from 'sonner';
import { readPastedFeeds, writePatchList, writePatchRows } from '@/core/formats/patch-list';
import { commandsOf, layFeeds } from '@/core/edits/move-lanes';
import { routeThrough } from '@/core/signal/through';
import { EmptyStage, FirstDevices } from '@/ui/frame/empty-stage';
import { StageLayout } from '@/ui/frame/stage-layout';
import { Button, Key, SelectField } from '@/ui/parts/controls';
import { ActionMenu } from '@/ui/parts/menu';
import { saveText } from '@/ui/parts/save-text';
import { NothingPasses } from '@/ui/parts/nothing-passes';
import { count } from '@/ui/parts/units';
import { STATE_WORDS } from '@/ui/parts/lane-words';
import { commit, previewBatch } from '@/ui/session/actions';
import type { ChannelRef } from '@/field/send-plan';
import { usePlan } from '@/ui/session/plan-store';
import { saveSdp } from '@/ui/session/save-sdp';
import { useShown } from '@/ui/session/shown';
import { askToImport } from '@/ui/import/asked';
import { FeedBar, receiverWords } from './feed-bar';
import { laneRows, rowKey, type ChannelRow, type Sort, type StateFilter } from './lane-rows';
import { edgeName, hasSeveralPlaces } from './loom';
import { pasteBlock } from '@/ui/parts/paste-block';
import { pasteReceiverLabels } from '@/ui/parts/sheet-pastes';
import { LoomBand } from './loom-band';
import { LanePanel } from './lane-panel';
import { LaneSheet } from './lane-sheet';
import { leftOutOfPaste } from './left-out';
import { clearSelection, parseSelection, selectionText, selectRows, useSelection } from './selection';
import { MoveDialog, SwapDialog } from './move-dialog';
import { RepackDialog } from './repack-dialog';
import { SendDialog } from './send-dialog';
import { FilterField } from '@/ui/parts/filter-field';
import { StageBar } from '@/ui/frame/stage-bar';

const STATES: readonly StateFilter[] = [
  'any',
  'free',
  'fed',
  'planned',
  'staged',
  'carrying',
  'one-legged',
  'waiting',
  'unknown',
  'refused',
];
const NO_FOLDS: ReadonlySet<string> = new Set();

/** The lane sheet: which receiver channel hears what. */
export function LanesStage({ planId }: { planId: string }) {
  const shown = useShown();
  const basePlan = usePlan((s) => s.plan);
  const baseView = usePlan((s) => s.view);
  const field = usePlan((s) => s.field);
  const hasField = usePlan((s) => s.hasField);
  const [place] = useQueryState('place');
  const [text, setText] = useQueryState('find', parseAsString.withDefault(''));
  const [state, setState] = useQueryState('state', parseAsStringLiteral(STATES).withDefault('any'));
  const [linked, setLinked] = useQueryState('sel');
  const [from, setFrom] = useQueryState('from');
  const [to, setTo] = useQueryState('to');
  const [askedFeed, setAskedFeed] = useQueryState('feed');
  const [openPlaces, setOpenPlaces] = useState(NO_FOLDS);
  const [feedQuery, setFeedQuery] = useState('');
  const [sort, setSort] = useState<Sort>({ column: 'channel', isDescending: false });
  const [folded, setFolded] = useState(NO_FOLDS);
  const [isFeedOpen, setFeeding] = useState(false);
  const [dialog, setDialog] = useState<'swap' | 'move' | 'repack' | null>(null);
  const [sending, setSending] = useState<readonly ChannelRef[] | null>(null);
  const { selected } = useSelection();
  // A link can say what the selected channels are to be fed from, too: it is previewed, and applied by hand.
  const isFeeding = isFeedOpen || (askedFeed !== null && selected.size > 0);
  const deferredText = useDeferredValue(text);
  const written = useRef<string | null>(null);

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

  // A link into the sheet selects; what is selected goes into the link.
  useEffect(() => {
    if (linked === null || linked === written.current || !basePlan) return;
    const wanted = parseSelection(linked);
    if (wanted === null || !basePlan.devices.has(wanted.deviceId)) return;
    written.current = linked;
    const run: ChannelRow[] = [];
    for (let channel = wanted.first; channel <= wanted.last; channel += 1)
      run.push({ kind: 'channel', deviceId: wanted.deviceId, channel });
    selectRows(run);
  }, [linked, basePlan]);
  useEffect(() => {
    const timer = setTimeout(() => {
      const now = selectionText(selected);
      if (now === written.current || (now === null && written.current === null)) return;
      written.current = now;
      void setLinked(now);
    }, 400);
    return () => clearTimeout(timer);
  }, [selected, setLinked]);
  useEffect(() => () => clearSelection(), [planId]);

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
  const pick = (nextFrom: string | null, nextTo: string | null) => {
    void setFrom(nextFrom);
    void setTo(nextTo);
  };
  const clear = () => {
    const fed = receivers.filter((r) => baseView.lanes.get(r.deviceId)?.has(r.channel));
    if (fed.length > 0) void commit(`clear ${receiverWords(basePlan, fed)}`, [{ kind: 'unsubscribe', channels: fed }]);
  };
  /** The others of the run hear what comes after what the first one hears. */
  const fillDown = () => {
    if (receivers.length < 2) return;
    const result = fillDownLanes(basePlan, receivers);
    if (result === null) {
      toast('Nothing to fill down', { description: 'The first selected row has no source.' });
      return;
    }
    const { subscriptions } = routeThrough(basePlan, result.subscriptions);
    const left = receivers.length - 1 - subscriptions.length;
    if (subscriptions.length === 0) {
      toast('Nothing to fill down', { description: 'The sender of the first row has no channel after it.' });
      return;
    }
    void previewBatch(
      `fill down ${receiverWords(basePlan, receivers.slice(1))}`,
      [{ kind: 'subscribe', subscriptions }],
      left > 0 ? `${count(left, 'row')} left out: the sender has no channel left` : null,
    );
  };
  const send = () => receivers.length > 0 && hasField && setSending(receivers);
  const copy = () => writePatchRows(basePlan, receivers, '\t');
  /** A block over the selected rows; over a single one, from there on downwards. */
  const paste = (text: string) => {
    const { feeds, problems } = readPastedFeeds(basePlan, text);
    const shownRows = rows.filter((r) => r.kind === 'channel');
    const start = shownRows.findIndex(
      (r) => r.deviceId === receivers[0]?.deviceId && r.channel === receivers[0].channel,
    );
    const onto = receivers.length === 1 ? shownRows.slice(start, start + feeds.length) : receivers;
    const laid = layFeeds(basePlan, onto, feeds);
    const routed = routeThrough(basePlan, laid.subscriptions);
    const change = { ...laid, subscriptions: routed.subscriptions };
    const changed = [
      ...change.cleared,
      ...change.subscriptions.map((s) => ({ deviceId: s.receiverDeviceId, channel: s.receiverChannel })),
    ];
    if (changed.length === 0 && problems.length > 0) {
      const said = problems.slice(0, 4).map((p) => `Line ${p.line}: ${p.problem}.`);
      const more = problems.length > said.length ? ` ${problems.length - said.length} more.` : '';
      toast.error(`${count(problems.length, 'line')} cannot be pasted`, {
        description: said.join(' ') + more,
        duration: 12_000,
        action: {
          label: 'Use as labels',
          onClick: () => {
            const { columns, onPasted } = pasteReceiverLabels(basePlan);
            const labelled = pasteBlock(text, columns, receivers.length === 1 ? onto.slice(0, 1) : onto, shownRows);
            if (labelled !== null) onPasted(labelled);
          },
        },
      });
    }
    if (changed.length === 0) {
      if (problems.length === 0) toast('Nothing in it to paste here');
      return;
    }
    void previewBatch(
      `paste ${count(changed.length, 'feed')} onto ${receiverWords(basePlan, changed)}`,
      commandsOf(change),
      leftOutOfPaste({ feeds: feeds.length, rows: onto.length, problems, noPass: routed.left.length }),
    );
  };
  const copyByMenu = () =>
    void navigator.clipboard.writeText(copy()).then(
      () => toast(`${count(receivers.length, 'row')} copied`),
      () => toast.error('The browser does not allow it from here: press Ctrl C in the sheet'),
    );
  const pasteByMenu = () =>
    void navigator.clipboard
      .readText()
      .then(paste, () => toast.error('The browser does not allow it from here: press Ctrl V in the sheet'));
  const firstHeard = receivers[0] && baseView.lanes.get(receivers[0].deviceId)?.get(receivers[0].channel);
  const hasReceivers = [...basePlan.devices.values()].some(
    (d) => (basePlan.models.get(d.modelId)?.channelsReceive ?? 0) > 0,
  );
  const isFiltered = text !== '' || state !== 'any' || place !== null || from !== null || to !== null;

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
              onPick={pick}
              onDropRows={(key) => feedFrom(edgeName(basePlan, key))}
            />
          ) : null}
          <StageBar>
            <FilterField
              what="lanes"
              value={text}
              onChange={(next) => void setText(next || null)}
              className="w-[150px]"
            />
            <SelectField
              aria-label="State"
              value={state}
              onChange={(e) => void setState(e.target.value as StateFilter)}
            >
              {STATES.map((s) => (
                <option key={s} value={s}>
                  {s === 'any' ? 'any state' : s === 'free' || s === 'fed' ? s : STATE_WORDS[s]}
                </option>
              ))}
            </SelectField>
            {from !== null || to !== null ? (
              <Button
                tone="quiet"
                className="max-w-[170px] min-w-[60px] px-1.5!"
                title="Show all lanes again"
                onClick={() => pick(null, null)}
              >
                <span className="truncate">
                  {from === null ? '' : edgeName(basePlan, from)} → {to === null ? '' : edgeName(basePlan, to)}
                </span>
                ×
              </Button>
            ) : null}
            <span className="ml-auto shrink-0 whitespace-nowrap" aria-live="polite">
              {receivers.length > 0
                ? `${count(receivers.length, 'row')} selected`
                : `${count(rows.filter((r) => r.kind === 'channel').length, 'row')}`}
            </span>
            <ActionMenu
              label="More …"
              lists={[
                [
                  { words: 'Copy rows', keys: 'Ctrl C', isPossible: receivers.length > 0, run: copyByMenu },
                  { words: 'Paste feeds', keys: 'Ctrl V', isPossible: receivers.length > 0, run: pasteByMenu },
                  { words: 'Fill down', keys: 'Ctrl D', isPossible: receivers.length > 1, run: fillDown },
                ],
                [
                  { words: 'Swap two senders …', run: () => setDialog('swap') },
                  { words: 'Move lanes to another device …', run: () => setDialog('move') },
                  { words: 'Repack the streams …', run: () => setDialog('repack') },
                ],
                [
                  { words: 'Import a patch list …', run: () => askToImport('patch-list') },
                  { words: 'Import senders from SDP or announcements …', run: () => askToImport('sdp') },
                  {
                    words: 'Export all as a patch list',
                    run: () => saveText('patch-list.csv', 'text/csv', writePatchList(basePlan)),
                  },
                  { words: 'Export all streams as SDP (zip)', run: () => void saveSdp(null) },
                ],
              ]}
            />
            <Button onClick={clear} disabled={receivers.length === 0}>
              Clear <Key>Del</Key>
            </Button>
            {hasField ? (
              <Button onClick={send} disabled={receivers.length === 0}>
                Send … <Key>Ctrl ⏎</Key>
              </Button>
            ) : null}
            <Button tone="main" onClick={feed} disabled={receivers.length === 0}>
              Feed from <Key>⏎</Key>
            </Button>
          </StageBar>
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
          {rows.length === 0 && isFiltered ? (
            <NothingPasses
              what="lane"
              onShowAll={() => {
                void setText(null);
                void setState(null);
                pick(null, null);
              }}
            />
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
              onFillDown={fillDown}
              onCopy={() => (receivers.length > 0 ? copy() : null)}
              onPaste={(text) => receivers.length > 0 && paste(text)}
            />
          )}
        </>
      )}
      {dialog === 'swap' ? (
        <SwapDialog
          plan={basePlan}
          start={firstHeard ? { deviceId: firstHeard.senderDeviceId, channel: firstHeard.senderChannel } : null}
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
