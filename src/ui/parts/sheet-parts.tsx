import { useVirtualizer, type Virtualizer } from '@tanstack/react-virtual';
import { useEffect, type KeyboardEvent, type PointerEvent, type RefObject } from 'react';
import type { ColumnWidths } from './column-widths';

/** What all sheets share: rows that are drawn only where they are seen, a head that sorts, a cursor that is kept in view. */

/** The sticky header stands above the rows within what scrolls. */
export const SHEET_HEADER_HEIGHT = 26;
export const SHEET_ROW_HEIGHT = 28;

export interface SheetSort<Id extends string = string> {
  readonly column: Id;
  readonly isDescending: boolean;
}

/** By how many rows a key moves the cursor; undefined: it is no such key. */
export function cursorStep(key: string): number | undefined {
  return { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20, Home: -Infinity, End: Infinity }[key];
}

interface RowsInView {
  readonly virtualizer: Virtualizer<HTMLDivElement, Element>;
  /** Whether the row of the cursor is drawn, so that it can be named as the active one. */
  readonly isCursorDrawn: boolean;
}

/** The rows of a sheet that are in view. @param cursorIndex of the row with the cursor; negative: none */
export function useRowsInView(
  scroller: RefObject<HTMLDivElement | null>,
  count: number,
  heightOf: (index: number) => number,
  cursorIndex: number,
): RowsInView {
  const virtualizer = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: heightOf,
    overscan: 4,
    useFlushSync: false,
    scrollMargin: SHEET_HEADER_HEIGHT,
    scrollPaddingStart: SHEET_HEADER_HEIGHT,
  });
  useEffect(() => {
    if (cursorIndex < 0) return;
    // A step of the cursor scrolls as little as it must; a jump from a link shows what is around it.
    const isNear = virtualizer.getVirtualItems().some((item) => item.index === cursorIndex);
    virtualizer.scrollToIndex(cursorIndex, { align: isNear ? 'auto' : 'center' });
  }, [cursorIndex, virtualizer]);
  return { virtualizer, isCursorDrawn: virtualizer.getVirtualItems().some((item) => item.index === cursorIndex) };
}

/** The columns that `useColumnWidths` gives to what scrolls. */
export const SHEET_COLUMNS = 'var(--sheet-columns)';
const STEP = 8;

/**
 * The edge of a column: dragged, or with the arrow keys, it is made wider or narrower; a double press or Escape gives it its usual width. All
 * edges of a sheet are one stop of Tab: up and down go from one to the next.
 */
function SizeHandle({
  title,
  isFirst,
  onSize,
}: {
  title: string;
  isFirst: boolean;
  onSize: (width: number | null) => void;
}) {
  const widthOf = (handle: HTMLElement) => handle.parentElement?.getBoundingClientRect().width ?? 0;
  const begin = (e: PointerEvent<HTMLSpanElement>) => {
    e.preventDefault();
    const handle = e.currentTarget;
    const from = e.clientX - widthOf(handle);
    handle.setPointerCapture(e.pointerId);
    const move = (m: globalThis.PointerEvent) => onSize(m.clientX - from);
    const end = () => handle.removeEventListener('pointermove', move);
    handle.addEventListener('pointermove', move);
    handle.addEventListener('pointerup', end, { once: true });
    handle.addEventListener('pointercancel', end, { once: true });
  };
  const onKeyDown = (e: KeyboardEvent<HTMLSpanElement>) => {
    const handles = [
      ...(e.currentTarget.closest('[role=row]')?.querySelectorAll<HTMLElement>('[role=separator]') ?? []),
    ];
    const here = handles.indexOf(e.currentTarget);
    const width = widthOf(e.currentTarget);
    if (e.key === 'ArrowRight') onSize(width + STEP);
    else if (e.key === 'ArrowLeft') onSize(width - STEP);
    else if (e.key === 'ArrowDown') handles[here + 1]?.focus();
    else if (e.key === 'ArrowUp') handles[here - 1]?.focus();
    else if (e.key === 'Escape') onSize(null);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <span
      role="separator"
      aria-orientation="vertical"
      aria-label={`Width of ${title || 'the column'}`}
      aria-valuenow={0}
      aria-valuetext="Left and right arrows size it, up and down go to the next column"
      tabIndex={isFirst ? 0 : -1}
      onFocus={(e) => e.currentTarget.setAttribute('aria-valuenow', String(Math.round(widthOf(e.currentTarget))))}
      onPointerDown={begin}
      onDoubleClick={() => onSize(null)}
      onKeyDown={onKeyDown}
      className="absolute inset-y-0 right-0 w-2 cursor-col-resize border-r border-transparent hover:border-edge focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
    />
  );
}

interface SheetHeaderProps<Id extends string> {
  readonly columns: readonly { readonly id: Id; readonly title: string; readonly isNumber?: boolean }[];
  readonly onSize: ColumnWidths['onSize'];
  readonly sort: SheetSort<Id>;
  readonly onSort: (sort: SheetSort<Id>) => void;
}

/** The titles of the columns; each sorts by it, pressed again the other way round, and is sized at its right edge. */
export function SheetHeader<Id extends string>({ columns, onSize, sort, onSort }: SheetHeaderProps<Id>) {
  return (
    <div role="rowgroup" className="sticky top-0 z-10 min-w-(--sheet-width) max-md:hidden">
      <div
        role="row"
        aria-rowindex={1}
        style={{ gridTemplateColumns: SHEET_COLUMNS }}
        className="grid h-[26px] items-center border-b border-line bg-bg text-[12px] text-faint"
      >
        {columns.map(({ id, title, isNumber }, n) => {
          const isSorted = sort.column === id;
          return (
            <span
              key={id}
              role="columnheader"
              aria-sort={isSorted ? (sort.isDescending ? 'descending' : 'ascending') : 'none'}
              className={`relative truncate px-2 ${isNumber ? 'text-right' : ''}`}
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
              <SizeHandle title={title} isFirst={n === 0} onSize={(width) => onSize(id, width)} />
            </span>
          );
        })}
      </div>
    </div>
  );
}
