'use client';

import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, type KeyboardEvent, type ReactNode } from 'react';

/** How a press on a row selects: it alone, the run from the last one to it, or it beside the others. */
export type SelectHow = 'only' | 'to' | 'toggle';

export interface SheetColumn<Row, Id extends string> {
  readonly id: Id;
  readonly title: string;
  /** A width as CSS grid knows it, e.g. `minmax(120px,1fr)`. */
  readonly width: string;
  readonly isNumber?: boolean;
  readonly cell: (row: Row) => ReactNode;
  /** Shown when the pointer rests on a cell that may be cut off. */
  readonly hint?: (row: Row) => string | undefined;
  readonly tone?: 'mono' | 'dim';
}

export interface SheetSort<Id extends string> {
  readonly column: Id;
  readonly isDescending: boolean;
}

export interface SheetProps<Row, Id extends string> {
  readonly label: string;
  /** Before each row's key in the ids that the grid names its rows by. */
  readonly idPrefix: string;
  readonly columns: readonly SheetColumn<Row, Id>[];
  readonly rows: readonly Row[];
  readonly keyOf: (row: Row) => string;
  readonly selectedKeys: ReadonlySet<string>;
  readonly cursorKey: string | null;
  readonly sort: SheetSort<Id>;
  readonly onSort: (sort: SheetSort<Id>) => void;
  readonly onSelect: (key: string, how: SelectHow) => void;
  readonly onOpen?: (key: string) => void;
  readonly onRemove?: () => void;
  readonly onRename?: () => void;
}

/** The sticky header stands above the rows within what scrolls. */
const HEADER_HEIGHT = 26;
const ROW_HEIGHT = 28;

/** Rows of one kind. One tab stop; arrows move, Shift makes runs, Space adds, Enter opens, F2 renames, Delete removes. */
export function Sheet<Row, Id extends string>(props: SheetProps<Row, Id>) {
  const { columns, rows, keyOf, selectedKeys, cursorKey, sort, onSort, onSelect } = props;
  const template = columns.map((c) => c.width).join(' ');
  const scroller = useRef<HTMLDivElement>(null);
  const virtualizer = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 4,
    useFlushSync: false,
    scrollMargin: HEADER_HEIGHT,
    scrollPaddingStart: HEADER_HEIGHT,
  });
  const cursorIndex = cursorKey === null ? -1 : rows.findIndex((r) => keyOf(r) === cursorKey);
  useEffect(() => {
    if (cursorIndex < 0) return;
    // A step of the cursor scrolls as little as it must; a jump from a link shows what is around it.
    const isNear = virtualizer.getVirtualItems().some((item) => item.index === cursorIndex);
    virtualizer.scrollToIndex(cursorIndex, { align: isNear ? 'auto' : 'center' });
  }, [cursorIndex, virtualizer]);
  const isCursorDrawn = virtualizer.getVirtualItems().some((item) => item.index === cursorIndex);

  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20, Home: -Infinity, End: Infinity }[e.key];
    if (step !== undefined) {
      e.preventDefault();
      const to = rows[Math.max(0, Math.min(rows.length - 1, cursorIndex < 0 ? 0 : cursorIndex + step))];
      if (to) onSelect(keyOf(to), e.shiftKey ? 'to' : 'only');
    } else if (e.key === ' ' && cursorKey !== null) {
      e.preventDefault();
      onSelect(cursorKey, 'toggle');
    } else if (e.key === 'Enter' && cursorKey !== null && props.onOpen) {
      e.preventDefault();
      props.onOpen(cursorKey);
    } else if (e.key === 'F2' && props.onRename) {
      e.preventDefault();
      props.onRename();
    } else if ((e.key === 'Delete' || e.key === 'Backspace') && props.onRemove) {
      e.preventDefault();
      props.onRemove();
    }
  };

  return (
    <div
      ref={scroller}
      role="grid"
      aria-label={props.label}
      aria-multiselectable="true"
      aria-rowcount={rows.length + 1}
      aria-activedescendant={isCursorDrawn ? `${props.idPrefix}-${cursorKey}` : undefined}
      tabIndex={0}
      onKeyDown={onKeyDown}
      className="min-h-0 flex-1 overflow-y-auto select-none focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
    >
      <div role="rowgroup" className="sticky top-0 z-10">
        <div
          role="row"
          aria-rowindex={1}
          style={{ gridTemplateColumns: template }}
          className="grid h-[26px] items-center border-b border-line bg-bg text-[12px] text-faint"
        >
          {columns.map(({ id, title, isNumber }) => {
            const isSorted = sort.column === id;
            return (
              <span
                key={id}
                role="columnheader"
                aria-sort={isSorted ? (sort.isDescending ? 'descending' : 'ascending') : 'none'}
                className={`truncate px-2 ${isNumber ? 'text-right' : ''}`}
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
      <div role="rowgroup" className="relative" style={{ height: virtualizer.getTotalSize() }}>
        {virtualizer.getVirtualItems().map((item) => {
          const row = rows[item.index];
          if (row === undefined) return null;
          const key = keyOf(row);
          const isSelected = selectedKeys.has(key);
          return (
            <div
              key={key}
              role="row"
              id={`${props.idPrefix}-${key}`}
              aria-rowindex={item.index + 2}
              aria-selected={isSelected}
              data-row={key}
              onPointerDown={(e) => {
                if (e.button !== 0) return;
                scroller.current?.focus({ preventScroll: true });
                onSelect(key, e.shiftKey ? 'to' : e.ctrlKey || e.metaKey ? 'toggle' : 'only');
              }}
              onDoubleClick={() => props.onOpen?.(key)}
              style={{ top: item.start - HEADER_HEIGHT, height: ROW_HEIGHT, gridTemplateColumns: template }}
              className={`absolute left-0 grid w-full items-center border-b border-line/60 ${isSelected ? 'bg-selected' : ''} ${
                cursorKey === key ? 'shadow-[inset_3px_0_var(--jade)]' : ''
              }`}
            >
              {columns.map((c) => (
                <span
                  key={c.id}
                  role="gridcell"
                  title={c.hint?.(row)}
                  className={`truncate px-2 ${c.tone === 'mono' || c.isNumber ? 'font-mono text-[12px]' : ''} ${
                    c.tone === 'dim' ? 'text-dim' : ''
                  } ${c.isNumber ? 'text-right' : ''}`}
                >
                  {c.cell(row)}
                </span>
              ))}
            </div>
          );
        })}
      </div>
    </div>
  );
}
