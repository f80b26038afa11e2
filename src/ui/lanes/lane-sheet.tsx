'use client';

import { useVirtualizer } from '@tanstack/react-virtual';
import { ChevronDown, ChevronRight } from 'lucide-react';
import {
  memo,
  useCallback,
  useEffect,
  useMemo,
  useRef,
  type KeyboardEvent,
  type MouseEvent,
  type PointerEvent,
} from 'react';
import type { Plan } from '@/core/plan/plan';
import { BudgetBar } from '@/ui/parts/signs';
import { Thread } from '@/ui/parts/thread';
import { kHz, ms } from '@/ui/parts/units';
import { channelName, deviceName, shortReason } from '@/ui/parts/words';
import type { FieldView, View } from '@/ui/session/plan-store';
import { evidenceOf, stateOf } from '@/ui/session/shown';
import { ROWS_DRAGGED } from './loom-band';
import { rowKey, type ChannelRow, type LaneRow, type Sort, type SortColumn } from './lane-rows';
import { clearSelection, selectRow, selectRows, useSelection } from './selection';

const COLUMNS = 'grid grid-cols-[34px_minmax(120px,0.8fr)_108px_minmax(180px,1.5fr)_84px_64px_74px]';
const ROW_HEIGHT = 28;
const HEAD_HEIGHT = 32;
/** Rows that scroll out lend their elements to those that scroll in: more than any screen shows at once. */
const ROWS_REUSED = 128;
/** The sticky header stands above the rows within what scrolls. */
const HEADER_HEIGHT = 26;

const HEADERS: readonly { readonly id: SortColumn; readonly title: string; readonly isNumber?: boolean }[] = [
  { id: 'channel', title: 'Ch', isNumber: true },
  { id: 'label', title: 'Arrives at' },
  { id: 'state', title: 'Lane' },
  { id: 'hears', title: 'Hears' },
  { id: 'stream', title: 'Stream' },
  { id: 'rate', title: 'kHz', isNumber: true },
  { id: 'offset', title: 'Offset ms', isNumber: true },
];

export interface LaneSheetProps {
  readonly rows: readonly LaneRow[];
  readonly plan: Plan;
  readonly view: View;
  readonly field: FieldView;
  /** The view without the preview, so that rows which would change can be marked; null when there is no preview. */
  readonly before: View | null;
  readonly sort: Sort;
  readonly onSort: (sort: Sort) => void;
  readonly folded: ReadonlySet<string>;
  readonly onFold: (deviceId: string) => void;
  /** Whether the feed bar takes part of the room: what is fed is brought into what is left. */
  readonly isFeeding: boolean;
  readonly onFeed: () => void;
  readonly onClear: () => void;
  readonly onSend: () => void;
  /** What the clipboard gets; null: nothing is selected. */
  readonly onCopy: () => string | null;
  readonly onPaste: (text: string) => void;
}

/** Receiver channels as rows, grouped by device. One tab stop; arrows, Shift and Ctrl work as everywhere. */
export function LaneSheet(props: LaneSheetProps) {
  const { rows, plan, view, field, before, sort, onSort, folded, onFold } = props;
  const scroller = useRef<HTMLDivElement>(null);
  /** The row of a selected run on which the button went down. */
  const pressed = useRef<string | null>(null);
  const { selected, cursor } = useSelection();
  const channelRows = useMemo(() => rows.filter((r): r is ChannelRow => r.kind === 'channel'), [rows]);
  const indexByKey = useMemo(() => {
    const map = new Map<string, number>();
    rows.forEach((r, i) => r.kind === 'channel' && map.set(rowKey(r.deviceId, r.channel), i));
    return map;
  }, [rows]);
  const virtualizer = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => (rows[index]?.kind === 'head' ? HEAD_HEIGHT : ROW_HEIGHT),
    overscan: 4,
    useFlushSync: false,
    scrollMargin: HEADER_HEIGHT,
    scrollPaddingStart: HEADER_HEIGHT,
  });
  // Folding and filtering move rows of two heights about.
  useEffect(() => virtualizer.measure(), [rows, virtualizer]);
  const cursorIndex = cursor === null ? undefined : indexByKey.get(cursor);
  useEffect(() => {
    if (cursorIndex === undefined) return;
    // A step of the cursor scrolls as little as it must; a jump from a link shows what is around it.
    const isNear = virtualizer.getVirtualItems().some((item) => item.index === cursorIndex);
    virtualizer.scrollToIndex(cursorIndex, { align: isNear ? 'auto' : 'center' });
  }, [cursorIndex, virtualizer]);

  const { isFeeding } = props;
  useEffect(() => {
    if (!isFeeding) return;
    const { selected: run } = useSelection.getState();
    const first = channelRows.find((r) => run.has(rowKey(r.deviceId, r.channel)));
    const index = first && indexByKey.get(rowKey(first.deviceId, first.channel));
    if (index === undefined) return;
    // After the bar has taken its room; the head of the device is shown with its first row.
    const frame = requestAnimationFrame(() => virtualizer.scrollToIndex(Math.max(0, index - 1), { align: 'start' }));
    return () => cancelAnimationFrame(frame);
    // Only when it opens: not with every row that a preview changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [isFeeding]);

  const isCursorDrawn = virtualizer.getVirtualItems().some((item) => item.index === cursorIndex);

  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const here = cursor === null ? -1 : channelRows.findIndex((r) => rowKey(r.deviceId, r.channel) === cursor);
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20, Home: -Infinity, End: Infinity }[e.key];
    if (step !== undefined) {
      e.preventDefault();
      const to = Math.max(0, Math.min(channelRows.length - 1, here === -1 ? 0 : here + step));
      const row = channelRows[to];
      if (row) selectRow(channelRows, row, e.shiftKey ? 'to' : 'only');
    } else if (e.key === ' ') {
      e.preventDefault();
      const row = channelRows[here];
      if (row) selectRow(channelRows, row, 'toggle');
    } else if (e.key.toLowerCase() === 'a' && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      selectRows(channelRows);
    } else if (e.key === 'Enter') {
      e.preventDefault();
      if (e.ctrlKey || e.metaKey) props.onSend();
      else props.onFeed();
    } else if (e.key === 'Delete' || e.key === 'Backspace') {
      e.preventDefault();
      props.onClear();
    } else if (e.key === 'Escape') clearSelection();
  };

  // Rows are redrawn only when something of theirs changes, so what they are given must stay the same from draw to draw.
  const onPointer = useCallback(
    (row: ChannelRow, e: PointerEvent) => {
      // A press selects; dragging on over other rows makes it a run.
      const isPlain = !e.shiftKey && !e.ctrlKey && !e.metaKey;
      const isOneOfMany =
        useSelection.getState().selected.size > 1 &&
        useSelection.getState().selected.has(rowKey(row.deviceId, row.channel));
      if (e.type === 'pointerdown' && e.button === 0) {
        scroller.current?.focus({ preventScroll: true });
        // A run that is pressed again may be about to be dragged: only the release makes one row of it.
        pressed.current = isPlain && isOneOfMany ? rowKey(row.deviceId, row.channel) : null;
        if (pressed.current !== null) return;
        selectRow(channelRows, row, e.shiftKey ? 'to' : e.ctrlKey || e.metaKey ? 'toggle' : 'only');
      } else if (e.type === 'pointerenter' && (e.buttons & 1) === 1 && !e.ctrlKey) selectRow(channelRows, row, 'to');
    },
    [channelRows],
  );
  const onRelease = useCallback(
    (row: ChannelRow, e: MouseEvent) => {
      const isPlain = !e.shiftKey && !e.ctrlKey && !e.metaKey;
      if (isPlain && pressed.current === rowKey(row.deviceId, row.channel)) selectRow(channelRows, row, 'only');
      pressed.current = null;
    },
    [channelRows],
  );
  const onSelectAll = useCallback(
    (deviceId: string) => selectRows(channelRows.filter((r) => r.deviceId === deviceId)),
    [channelRows],
  );

  return (
    <div className="flex min-h-0 flex-1 flex-col" role="presentation">
      <div
        ref={scroller}
        role="grid"
        aria-label="Lanes"
        aria-multiselectable="true"
        aria-rowcount={rows.length + 1}
        aria-activedescendant={isCursorDrawn ? `lane-${cursor}` : undefined}
        tabIndex={0}
        onKeyDown={onKeyDown}
        onCopy={(e) => {
          const text = props.onCopy();
          if (text === null) return;
          e.preventDefault();
          e.clipboardData.setData('text/plain', text);
        }}
        onPaste={(e) => {
          e.preventDefault();
          props.onPaste(e.clipboardData.getData('text/plain'));
        }}
        data-lane-grid
        className="min-h-0 flex-1 overflow-y-auto select-none focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
      >
        <div role="rowgroup" className="sticky top-0 z-10">
          <div
            role="row"
            aria-rowindex={1}
            className={`${COLUMNS} h-[26px] items-center border-b border-line bg-bg text-[12px] text-faint`}
          >
            {HEADERS.map(({ id, title, isNumber }) => {
              const isSorted = sort.column === id;
              return (
                <span
                  key={id}
                  role="columnheader"
                  aria-sort={isSorted ? (sort.isDescending ? 'descending' : 'ascending') : 'none'}
                  className={`px-2 whitespace-nowrap ${isNumber ? 'text-right' : ''}`}
                >
                  <button
                    type="button"
                    tabIndex={-1}
                    className="hover:text-ink"
                    onClick={() => onSort({ column: id, isDescending: isSorted && !sort.isDescending })}
                  >
                    {title}
                    {isSorted ? (sort.isDescending ? ' ↓' : ' ↑') : ''}
                  </button>
                </span>
              );
            })}
          </div>
        </div>
        <div role="rowgroup" style={{ height: virtualizer.getTotalSize() }} className="relative">
          {virtualizer.getVirtualItems().map((item) => {
            const row = rows[item.index];
            if (row === undefined) return null;
            const top = item.start - HEADER_HEIGHT;
            if (row.kind === 'head') {
              return (
                <GroupHead
                  key={`head-${item.index % ROWS_REUSED}`}
                  top={top}
                  rowIndex={item.index + 2}
                  deviceId={row.deviceId}
                  plan={plan}
                  view={view}
                  isFolded={folded.has(row.deviceId)}
                  onFold={onFold}
                  onSelectAll={onSelectAll}
                />
              );
            }
            const key = rowKey(row.deviceId, row.channel);
            const lane = view.lanes.get(row.deviceId)?.get(row.channel);
            const was = before?.lanes.get(row.deviceId)?.get(row.channel);
            const isChanged =
              before !== null &&
              (lane?.senderDeviceId !== was?.senderDeviceId ||
                lane?.senderChannel !== was?.senderChannel ||
                lane?.streamId !== was?.streamId ||
                lane?.position !== was?.position ||
                lane?.verdict !== was?.verdict);
            return (
              <LaneLine
                key={`lane-${item.index % ROWS_REUSED}`}
                top={top}
                rowIndex={item.index + 2}
                row={row}
                plan={plan}
                view={view}
                field={field}
                isChanged={isChanged}
                isSelected={selected.has(key)}
                isDraggable={selected.size > 1 && selected.has(key)}
                isCursor={cursor === key}
                onPointer={onPointer}
                onRelease={onRelease}
              />
            );
          })}
        </div>
      </div>
    </div>
  );
}

interface GroupHeadProps {
  readonly top: number;
  readonly rowIndex: number;
  readonly deviceId: string;
  readonly plan: Plan;
  readonly view: View;
  readonly isFolded: boolean;
  readonly onFold: (deviceId: string) => void;
  readonly onSelectAll: (deviceId: string) => void;
}

const GroupHead = memo(function GroupHead({
  top,
  rowIndex,
  deviceId,
  plan,
  view,
  isFolded,
  onFold,
  onSelectAll,
}: GroupHeadProps) {
  const device = plan.devices.get(deviceId);
  const budget = view.budgets.get(deviceId);
  if (device === undefined) return null;
  const where = plan.places.get(device.placeId ?? '')?.name;
  return (
    <div
      role="row"
      aria-rowindex={rowIndex}
      className="absolute left-0 flex w-full items-center gap-2 border-b border-line bg-panel px-2 text-dim"
      style={{ top, height: HEAD_HEIGHT }}
    >
      <span role="gridcell" className="flex min-w-0 flex-1 items-center gap-2">
        <button
          type="button"
          tabIndex={-1}
          aria-label={`${isFolded ? 'Unfold' : 'Fold'} ${device.name}`}
          aria-expanded={!isFolded}
          onClick={() => onFold(deviceId)}
          className="text-dim hover:text-ink"
        >
          {isFolded ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
        </button>
        <button
          type="button"
          tabIndex={-1}
          onClick={() => onSelectAll(deviceId)}
          title="Select all its channels"
          className="truncate font-semibold text-ink hover:underline"
        >
          {device.name}
        </button>
        {where ? <span className="truncate">{where}</span> : null}
      </span>
      {budget ? (
        <span role="gridcell" className="flex items-center gap-2 whitespace-nowrap">
          <BudgetBar
            used={budget.channelsReceive.used}
            limit={budget.channelsReceive.limit}
            label={`${device.name}: channels used`}
          />
          <span className="font-mono text-[12px]">
            {budget.channelsReceive.used} of {budget.channelsReceive.limit} channels, {budget.streamsReceive.used} of{' '}
            {budget.streamsReceive.limit} streams
          </span>
        </span>
      ) : null}
    </div>
  );
});

interface LaneLineProps {
  readonly top: number;
  readonly rowIndex: number;
  readonly row: ChannelRow;
  readonly plan: Plan;
  readonly view: View;
  readonly field: FieldView;
  readonly isChanged: boolean;
  readonly isSelected: boolean;
  /** Only a run that was selected before the press is dragged: else a drag selects. */
  readonly isDraggable: boolean;
  readonly isCursor: boolean;
  readonly onPointer: (row: ChannelRow, e: PointerEvent) => void;
  readonly onRelease: (row: ChannelRow, e: MouseEvent) => void;
}

const LaneLine = memo(function LaneLine(props: LaneLineProps) {
  const { top, rowIndex, row, plan, view, field, isChanged, isSelected, isDraggable, isCursor, onPointer, onRelease } =
    props;
  const { deviceId, channel } = row;
  const lane = view.lanes.get(deviceId)?.get(channel);
  const state = lane ? stateOf(lane, evidenceOf(field, deviceId, channel)) : null;
  const fieldOnly = lane === undefined ? field.devices.get(deviceId)?.fieldOnly[channel] : undefined;
  const senderRate = lane && plan.devices.get(lane.senderDeviceId)?.rateHz;
  const ownRate = plan.devices.get(deviceId)?.rateHz ?? 0;
  const isWrongRate = lane?.reason?.code === 'rate-differs';
  const label = channelName(plan, deviceId, 'receive', channel);
  const hears = lane
    ? `${deviceName(plan, lane.senderDeviceId)} · ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
    : '';
  const tone = isSelected ? 'bg-selected' : isChanged ? 'bg-raise' : '';
  return (
    <div
      role="row"
      id={`lane-${rowKey(deviceId, channel)}`}
      aria-rowindex={rowIndex}
      aria-selected={isSelected}
      data-lane={rowKey(deviceId, channel)}
      onPointerDown={(e) => onPointer(row, e)}
      onPointerEnter={(e) => onPointer(row, e)}
      onClick={(e) => onRelease(row, e)}
      draggable={isDraggable}
      onDragStart={(e) => {
        e.dataTransfer.setData(ROWS_DRAGGED, 'selected');
        e.dataTransfer.effectAllowed = 'link';
      }}
      style={{ top, height: ROW_HEIGHT }}
      className={`${COLUMNS} absolute left-0 w-full items-center border-b border-line contain-strict ${tone} ${
        isCursor ? 'shadow-[inset_3px_0_var(--jade)]' : isChanged ? 'shadow-[inset_3px_0_var(--violet)]' : ''
      }`}
    >
      <span role="gridcell" className="px-2 text-right font-mono text-[12px] text-dim">
        {String(channel).padStart(2, '0')}
      </span>
      <span role="gridcell" className="truncate px-2" title={label}>
        {label}
      </span>
      <span role="gridcell" className="truncate px-2">
        {state ? <Thread state={state} withWord /> : null}
      </span>
      <span role="gridcell" className="truncate px-2" title={hears}>
        {lane ? (
          <>
            {hears}
            {state === 'refused' && lane.reason ? (
              <span className="text-madder"> · {shortReason(lane.reason)}</span>
            ) : null}
            {lane.caution?.code === 'foreign-patch' ? (
              <span className="text-ochre"> · {lane.caution.end === 'sender' ? 'sender not ours' : 'not ours'}</span>
            ) : null}
            {lane.caution?.code === 'one-leg' ? (
              <span className="text-ochre"> · leg {lane.caution.missing} missing</span>
            ) : null}
          </>
        ) : (
          <span className="text-dim">
            free
            {fieldOnly ? (
              <span className="text-violet"> · the device still hears stream {fieldOnly.receiverSlot}</span>
            ) : null}
          </span>
        )}
      </span>
      <span role="gridcell" className="truncate px-2 font-mono text-[12px]">
        {lane?.streamId && lane.position !== null ? (
          `S${slotOf(lane.streamId)} · ${lane.position}/${lane.width}`
        ) : (
          <span className="text-dim">{lane ? 'none' : ''}</span>
        )}
      </span>
      <span
        role="gridcell"
        className={`truncate px-2 text-right font-mono text-[12px] ${isWrongRate ? 'text-madder' : ''}`}
      >
        {isWrongRate && senderRate ? `${kHz(senderRate)}→${kHz(ownRate)}` : kHz(ownRate)}
      </span>
      <span role="gridcell" className="px-2 text-right font-mono text-[12px]">
        {lane && lane.verdict !== 'refused' && lane.offsetNs !== null ? ms(lane.offsetNs) : lane ? '–' : ''}
      </span>
    </div>
  );
});

export function slotOf(streamId: string): string {
  return streamId.slice(streamId.lastIndexOf('/') + 1);
}
