'use client';

import { useVirtualizer, type Virtualizer } from '@tanstack/react-virtual';
import { useEffect, type RefObject } from 'react';

/** What all sheets share: rows that are drawn only where they are seen, a head that sorts, a cursor that is kept in view. */

/** The sticky header stands above the rows within what scrolls. */
export const SHEET_HEADER_HEIGHT = 26;
export const SHEET_ROW_HEIGHT = 28;

export interface SheetSort<Id extends string> {
  readonly column: Id;
  readonly isDescending: boolean;
}

/** By how many rows a key moves the cursor; undefined: it is no such key. */
export function cursorStep(key: string): number | undefined {
  return { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20, Home: -Infinity, End: Infinity }[key];
}

export interface RowsInView {
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

interface SheetHeaderProps<Id extends string> {
  readonly columns: readonly { readonly id: Id; readonly title: string; readonly isNumber?: boolean }[];
  /** Widths as CSS grid knows them. */
  readonly template: string;
  readonly sort: SheetSort<Id>;
  readonly onSort: (sort: SheetSort<Id>) => void;
}

/** The titles of the columns; each sorts by it, pressed again the other way round. */
export function SheetHeader<Id extends string>({ columns, template, sort, onSort }: SheetHeaderProps<Id>) {
  return (
    <div role="rowgroup" className="sticky top-0 z-10 max-md:min-w-[760px]">
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
  );
}
