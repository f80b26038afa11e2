import { toast } from 'sonner';
import { useEffect, useMemo, useRef, type ClipboardEvent, type KeyboardEvent, type ReactNode } from 'react';
import { fitToContent, isFlexible, useColumnWidths } from './column-widths';
import { CutInMiddle } from './cut-in-middle';
import { TALL_CARD_HEIGHT, useIsNarrow } from './narrow';
import { pasteBlock } from './paste-block';
import {
  cursorStep,
  SHEET_COLUMNS,
  SHEET_HEADER_HEIGHT,
  SHEET_ROW_HEIGHT,
  SheetHeader,
  useRowsInView,
  type SheetSort,
} from './sheet-parts';
import type { SheetPaste } from './sheet-pastes';

export type { SheetSort } from './sheet-parts';

/** How a press on a row selects: it alone, the run from the last one to it, it beside the others, or all there are. */
export type SelectHow = 'only' | 'to' | 'toggle' | 'all';

export type SheetColumn<Row> = {
  readonly id: string;
  readonly title: string;
  /** A width as CSS grid knows it: `44px`, or `minmax(120px,1fr)` for one that is as wide as its texts if there is room. */
  readonly width: string;
  readonly isNumber?: boolean;
  /** Shown when the pointer rests on a cell; without it the cell's own text. */
  readonly hint?: (row: Row) => string | undefined;
  readonly tone?: 'mono' | 'dim';
} & (
  | { readonly cell: (row: Row) => string | number | undefined; readonly order?: undefined }
  /** What rows are sorted by, where it is not what the cell shows. */
  | { readonly cell: (row: Row) => ReactNode; readonly order: (row: Row) => string | number }
);

export interface SheetProps<Row> {
  readonly label: string;
  /** Before each row's key in the ids that the grid names its rows by. */
  readonly idPrefix: string;
  readonly columns: readonly SheetColumn<Row>[];
  readonly rows: readonly Row[];
  readonly keyOf: (row: Row) => string;
  readonly selectedKeys: ReadonlySet<string>;
  readonly cursorKey: string | null;
  readonly sort: SheetSort;
  readonly onSort: (sort: SheetSort) => void;
  readonly onSelect: (key: string, how: SelectHow) => void;
  readonly onOpen?: (key: string) => void;
  readonly onRemove?: () => void;
  readonly onRename?: () => void;
  /** What the first of the selected rows has is wanted for the others too. */
  readonly onFillDown?: () => void;
  /** Cells from a spreadsheet, for the selected rows. */
  readonly paste?: SheetPaste<string>;
}

/** Rows of one kind. One tab stop; arrows move, Shift makes runs, Space adds, Ctrl A takes all, Enter opens, F2 renames, Delete removes. */
export function Sheet<Row>(props: SheetProps<Row>) {
  const { columns, rows, keyOf, selectedKeys, cursorKey, sort, onSort, onSelect } = props;
  const fitting = useMemo(() => fitToContent(columns, rows), [columns, rows]);
  const { style, onSize } = useColumnWidths(props.label, fitting);
  const isNarrow = useIsNarrow();
  const rowHeight = isNarrow ? TALL_CARD_HEIGHT : SHEET_ROW_HEIGHT;
  const scroller = useRef<HTMLDivElement>(null);
  const cursorIndex = cursorKey === null ? -1 : rows.findIndex((r) => keyOf(r) === cursorKey);
  const { virtualizer, isCursorDrawn } = useRowsInView(scroller, rows.length, () => rowHeight, cursorIndex);
  useEffect(() => virtualizer.measure(), [rowHeight, virtualizer]);

  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const step = cursorStep(e.key);
    if (step !== undefined) {
      e.preventDefault();
      const to = rows[Math.max(0, Math.min(rows.length - 1, cursorIndex < 0 ? 0 : cursorIndex + step))];
      if (to) onSelect(keyOf(to), e.shiftKey ? 'to' : 'only');
    } else if (e.key === ' ' && cursorKey !== null) {
      e.preventDefault();
      onSelect(cursorKey, 'toggle');
    } else if (e.key.toLowerCase() === 'a' && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      const first = rows[0];
      if (first) onSelect(cursorKey ?? keyOf(first), 'all');
    } else if (e.key.toLowerCase() === 'd' && (e.ctrlKey || e.metaKey) && props.onFillDown) {
      e.preventDefault();
      props.onFillDown();
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

  const onPaste = (e: ClipboardEvent) => {
    if (e.target !== e.currentTarget) return;
    e.preventDefault();
    const { paste } = props;
    if (paste === undefined) {
      toast(`${props.label}: nothing here can be pasted`, {
        description: 'Tables of it are imported: type “import” in the search.',
      });
      return;
    }
    const keys = rows.map(keyOf);
    const chosen = keys.filter((key) => selectedKeys.has(key));
    const laid = pasteBlock(e.clipboardData.getData('text/plain'), paste.columns, chosen, keys);
    if (laid !== null) paste.onPasted(laid);
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
      onPaste={onPaste}
      style={style}
      className="min-h-0 flex-1 overflow-auto select-none focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
    >
      <SheetHeader columns={columns} onSize={onSize} sort={sort} onSort={onSort} />
      <div role="rowgroup" className="relative md:min-w-(--sheet-width)" style={{ height: virtualizer.getTotalSize() }}>
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
              style={{
                top: item.start - SHEET_HEADER_HEIGHT,
                height: rowHeight,
                gridTemplateColumns: SHEET_COLUMNS,
              }}
              className={`absolute left-0 w-full items-center border-b border-line/60 ${isNarrow ? '' : 'grid'} ${isSelected ? 'bg-selected' : ''} ${
                cursorKey === key ? 'shadow-[inset_3px_0_var(--jade)]' : ''
              }`}
            >
              {isNarrow ? (
                <CardCells columns={columns} row={row} />
              ) : (
                columns.map((c) => {
                  const cell = c.cell(row);
                  const isText = typeof cell === 'string';
                  return (
                    <span
                      key={c.id}
                      role="gridcell"
                      title={c.hint?.(row) ?? (isText ? cell : undefined)}
                      className={`truncate px-2 ${c.tone === 'mono' || c.isNumber ? 'font-mono text-[12px]' : ''} ${
                        c.tone === 'dim' ? 'text-dim' : ''
                      } ${c.isNumber ? 'text-right' : ''}`}
                    >
                      {isText && isFlexible(c.width) ? <CutInMiddle text={cell} /> : cell}
                    </span>
                  );
                })
              )}
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** A row where there is little room: the first cell and the last in one line, the others below with their titles. */
function CardCells<Row>({ columns, row }: { columns: readonly SheetColumn<Row>[]; row: Row }) {
  const [first, ...others] = columns;
  const last = others.pop();
  if (first === undefined) return null;
  return (
    <>
      <span className="flex items-center gap-2 px-2 pt-1">
        <span role="gridcell" className="min-w-0 flex-1 truncate font-medium">
          {first.cell(row)}
        </span>
        {last === undefined ? null : <span role="gridcell">{last.cell(row)}</span>}
      </span>
      <span className="flex max-h-[42px] flex-wrap items-center gap-x-3 overflow-hidden px-2 text-[12px] leading-[18px] whitespace-nowrap text-dim">
        {others.map((c) => {
          const cell = c.cell(row);
          if (cell === '' || cell === null || cell === undefined) return null;
          return (
            <span key={c.id} role="gridcell" className={c.isNumber ? 'font-mono' : 'max-w-full truncate'}>
              {c.isNumber ? `${c.title} ` : ''}
              {cell}
            </span>
          );
        })}
      </span>
    </>
  );
}
