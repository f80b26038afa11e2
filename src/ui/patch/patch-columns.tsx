import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import { useColumnKeys } from './column-keys';
import { ChannelRow, TerminalRow } from './column-rows';
import { GUTTER, ROW_HEIGHT, TITLE_HEIGHT } from './measures';
import { channelKeys, COLUMNS, jointsOf, keyOf, type Column, type Row } from './patch-rows';
import { selectChannel, standAtTerminal, usePatchSelection } from './selection';
import { Threads } from './threads';

const COLUMN_TITLES: Readonly<Record<Column, string>> = { in: 'In', inside: 'Strips and buses', out: 'Out' };

const COLUMN = 'minmax(var(--patch-column),1fr)';

/** What is the same for every column. */
interface ColumnsProps {
  readonly plan: Plan;
  readonly deviceId: string;
  /** Channels that a preview feeds otherwise. */
  readonly changed: ReadonlySet<string>;
  /** Channels that the device feeds otherwise than planned. */
  readonly differing: ReadonlySet<string>;
  /** Whether the device says how it is patched. */
  readonly isRead: boolean;
  readonly onFold: (terminalId: string, isFolded: boolean) => void;
  readonly onPatch: () => void;
  readonly onClear: () => void;
}

/** Inputs, strips and outputs of a device as dense rows, joined by threads. One stop of Tab for each column. */
export function PatchColumns({ rows, ...props }: ColumnsProps & { rows: Readonly<Record<Column, readonly Row[]>> }) {
  const scrolls = useRef<Partial<Record<Column, HTMLDivElement | null>>>({});
  const [tops, setTops] = useState<Readonly<Record<Column, number>>>({ in: 0, inside: 0, out: 0 });
  const shown = COLUMNS.filter((c) => rows[c].length > 0);
  const touched = useTouched(rows);
  const move = (column: Column, by: number) => {
    const next = shown[shown.indexOf(column) + by];
    if (next === undefined) return;
    scrolls.current[next]?.focus();
    const order = channelKeys(rows[next]);
    const first = order.find((key) => touched.has(key)) ?? order[0];
    if (first !== undefined) selectChannel(first, 'only', order);
  };
  return (
    <div
      className="grid min-h-0 flex-1 overflow-x-auto [--patch-column:150px] max-md:[--patch-column:240px]"
      style={{
        gridTemplateColumns: shown.map((_, n) => (n === 0 ? COLUMN : `${GUTTER}px ${COLUMN}`)).join(' '),
      }}
    >
      {shown.map((column, n) => (
        <ColumnWithGutter
          key={column}
          {...props}
          column={column}
          rows={rows[column]}
          left={n === 0 ? null : (shown[n - 1] as Column)}
          leftRows={n === 0 ? [] : rows[shown[n - 1] as Column]}
          tops={tops}
          touched={touched}
          onScroll={(top) => setTops((now) => ({ ...now, [column]: top }))}
          onScroller={(element) => {
            scrolls.current[column] = element;
          }}
          onSide={(by) => move(column, by)}
        />
      ))}
    </div>
  );
}

/** The channels that feed the one at the cursor or are fed by it, within the device. */
function useTouched(rows: Readonly<Record<Column, readonly Row[]>>): ReadonlySet<string> {
  const cursor = usePatchSelection((s) => s.cursor);
  return useMemo(() => {
    const touched = new Set<string>();
    if (cursor === null) return touched;
    for (const column of COLUMNS) {
      for (const row of rows[column]) {
        if (row.kind !== 'channel') continue;
        const from = row.channel.feeders.map((f) => keyOf(f.terminalId, f.channel));
        if (row.key === cursor) for (const key of from) touched.add(key);
        else if (from.includes(cursor)) touched.add(row.key);
      }
    }
    return touched;
  }, [rows, cursor]);
}

function ColumnWithGutter({
  plan,
  deviceId,
  column,
  rows,
  left,
  leftRows,
  tops,
  changed,
  differing,
  isRead,
  touched,
  onScroll,
  onScroller,
  onSide,
  onFold,
  onPatch,
  onClear,
}: ColumnsProps & {
  column: Column;
  rows: readonly Row[];
  left: Column | null;
  leftRows: readonly Row[];
  tops: Readonly<Record<Column, number>>;
  touched: ReadonlySet<string>;
  onScroll: (top: number) => void;
  onScroller: (element: HTMLDivElement | null) => void;
  onSide: (by: number) => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const { keys, cursor } = usePatchSelection();
  const order = useMemo(() => channelKeys(rows), [rows]);
  const cursorIndex = rows.findIndex((r) => r.key === cursor);
  const virtualizer = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 12,
  });
  const [height, setHeight] = useState(600);
  useEffect(() => {
    const element = scroller.current;
    if (element === null) return;
    const observer = new ResizeObserver(() => setHeight(element.clientHeight));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    if (cursorIndex >= 0) virtualizer.scrollToIndex(cursorIndex, { align: 'auto' });
  }, [cursorIndex, virtualizer]);
  const joints = useMemo(() => jointsOf(deviceId, leftRows, rows), [deviceId, leftRows, rows]);
  const drawn = virtualizer.getVirtualItems();

  const { onKeyDown, onPaste } = useColumnKeys({
    plan,
    deviceId,
    rows,
    order,
    cursorIndex,
    onSide,
    onFold,
    onPatch,
    onClear,
  });

  return (
    <>
      {left === null ? null : (
        <Threads
          plan={plan}
          deviceId={deviceId}
          differing={differing}
          isRead={isRead}
          joints={joints}
          leftTop={tops[left]}
          rightTop={tops[column]}
          height={height}
          changed={changed}
          cursor={cursor}
        />
      )}
      <div className="flex min-h-0 flex-col">
        <div
          style={{ height: TITLE_HEIGHT, lineHeight: `${TITLE_HEIGHT}px` }}
          className="shrink-0 truncate border-b border-line bg-panel px-2 text-[12px] text-faint"
        >
          {COLUMN_TITLES[column]}
        </div>
        <div
          ref={(element) => {
            scroller.current = element;
            onScroller(element);
          }}
          role="treegrid"
          aria-label={COLUMN_TITLES[column]}
          aria-multiselectable="true"
          aria-rowcount={rows.length}
          aria-activedescendant={
            cursor !== null && drawn.some((item) => item.index === cursorIndex) ? `patch-${cursor}` : undefined
          }
          tabIndex={0}
          data-patch-column={column}
          onKeyDown={onKeyDown}
          onPaste={onPaste}
          onScroll={(e) => onScroll(e.currentTarget.scrollTop)}
          className="min-h-0 flex-1 overflow-y-auto select-none focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
        >
          <div role="rowgroup" className="relative" style={{ height: virtualizer.getTotalSize() }}>
            {drawn.map((item) => {
              const row = rows[item.index];
              if (row === undefined) return null;
              const shared = {
                place: { top: item.start, height: ROW_HEIGHT },
                index: item.index,
                isCursor: cursor === row.key,
              };
              return row.kind === 'terminal' ? (
                <TerminalRow
                  key={row.key}
                  row={row}
                  {...shared}
                  onPress={() => {
                    scroller.current?.focus({ preventScroll: true });
                    standAtTerminal(row.key);
                    onFold(row.terminal.id, !row.isFolded);
                  }}
                />
              ) : (
                <ChannelRow
                  key={row.key}
                  plan={plan}
                  deviceId={deviceId}
                  row={row}
                  {...shared}
                  isSelected={keys.has(row.key)}
                  isTouched={touched.has(row.key)}
                  isChanged={changed.has(row.key)}
                  isDiffering={differing.has(row.key)}
                  onPress={(how) => {
                    scroller.current?.focus({ preventScroll: true });
                    selectChannel(row.key, how, order);
                  }}
                  onOpen={onPatch}
                />
              );
            })}
          </div>
        </div>
      </div>
    </>
  );
}
