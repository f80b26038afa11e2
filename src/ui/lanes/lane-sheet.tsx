import { useEffect, useMemo, useRef, type KeyboardEvent } from 'react';
import type { Plan } from '@/core/plan/plan';
import { cursorStep, SHEET_HEADER_HEIGHT, SHEET_ROW_HEIGHT, SheetHeader, useRowsInView } from '@/ui/parts/sheet-parts';
import type { FieldView, View } from '@/ui/session/plan-store';
import { GroupHead, HEAD_HEIGHT, LaneLine } from './lane-line';
import { CARD_HEIGHT, useIsNarrow } from '@/ui/parts/narrow';
import { useColumnWidths } from '@/ui/parts/column-widths';
import { rowKey, type ChannelRow, type LaneRow, type Sort, type SortColumn } from './lane-rows';
import { useRowPresses } from './row-presses';
import { clearSelection, selectRow, selectRows, useSelection } from './selection';

/** Rows that scroll out lend their elements to those that scroll in: more than any screen shows at once. */
const ROWS_REUSED = 128;

const COLUMNS: readonly {
  readonly id: SortColumn;
  readonly title: string;
  readonly width: string;
  readonly isNumber?: boolean;
}[] = [
  { id: 'channel', title: 'Ch', width: '34px', isNumber: true },
  { id: 'label', title: 'Receiver', width: 'minmax(120px,0.8fr)' },
  { id: 'state', title: 'Lane', width: '116px' },
  { id: 'hears', title: 'Source', width: 'minmax(180px,1.5fr)' },
  { id: 'stream', title: 'Stream', width: '84px' },
  { id: 'rate', title: 'kHz', width: '64px', isNumber: true },
  { id: 'offset', title: 'Offset ms', width: '74px', isNumber: true },
];

interface LaneSheetProps {
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
  readonly onFillDown: () => void;
  /** What the clipboard gets; null: nothing is selected. */
  readonly onCopy: () => string | null;
  readonly onPaste: (text: string) => void;
}

/** Receiver channels as rows, grouped by device. One tab stop; arrows, Shift and Ctrl work as everywhere. */
export function LaneSheet(props: LaneSheetProps) {
  const { rows, plan, view, field, before, sort, onSort, folded, onFold } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const { selected, cursor } = useSelection();
  const channelRows = useMemo(() => rows.filter((r): r is ChannelRow => r.kind === 'channel'), [rows]);
  const indexByKey = useMemo(() => {
    const map = new Map<string, number>();
    rows.forEach((r, i) => r.kind === 'channel' && map.set(rowKey(r.deviceId, r.channel), i));
    return map;
  }, [rows]);
  const cursorIndex = cursor === null ? -1 : (indexByKey.get(cursor) ?? -1);
  const isNarrow = useIsNarrow();
  const rowHeight = isNarrow ? CARD_HEIGHT : SHEET_ROW_HEIGHT;
  const { virtualizer, isCursorDrawn } = useRowsInView(
    scroller,
    rows.length,
    (index) => (rows[index]?.kind === 'head' ? HEAD_HEIGHT : rowHeight),
    cursorIndex,
  );
  // Folding and filtering move rows of two heights about.
  useEffect(() => virtualizer.measure(), [rows, rowHeight, virtualizer]);

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
    // oxlint-disable-next-line react/exhaustive-deps
  }, [isFeeding]);

  const { style, onSize } = useColumnWidths('Lanes', COLUMNS);
  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const here = cursor === null ? -1 : channelRows.findIndex((r) => rowKey(r.deviceId, r.channel) === cursor);
    const step = cursorStep(e.key);
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
    } else if (e.key.toLowerCase() === 'd' && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      props.onFillDown();
    } else if (e.key === 'Enter') {
      e.preventDefault();
      if (e.ctrlKey || e.metaKey) props.onSend();
      else props.onFeed();
    } else if (e.key === 'Delete' || e.key === 'Backspace') {
      e.preventDefault();
      props.onClear();
    } else if (e.key === 'Escape') clearSelection();
  };

  const { onPointer, onRelease, onSelectAll } = useRowPresses(channelRows, scroller);

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
        style={style}
        className="min-h-0 flex-1 overflow-auto select-none focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
      >
        <SheetHeader columns={COLUMNS} onSize={onSize} sort={sort} onSort={onSort} />
        <div
          role="rowgroup"
          style={{ height: virtualizer.getTotalSize() }}
          className="relative md:min-w-(--sheet-width)"
        >
          {virtualizer.getVirtualItems().map((item) => {
            const row = rows[item.index];
            if (row === undefined) return null;
            const top = item.start - SHEET_HEADER_HEIGHT;
            if (row.kind === 'head') {
              return (
                <GroupHead
                  key={`head-${item.index % ROWS_REUSED}`}
                  top={top}
                  rowIndex={item.index + 2}
                  deviceId={row.deviceId}
                  plan={plan}
                  view={view}
                  field={field}
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
                isNarrow={isNarrow}
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
