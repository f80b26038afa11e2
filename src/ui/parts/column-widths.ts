import type { CSSProperties, ReactNode } from 'react';
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

/** Widths of columns as a person set them, by sheet and column; kept in the browser. Those that were not set are as the sheet has them. */

type Widths = Readonly<Record<string, number>>;

interface Store {
  readonly bySheet: Readonly<Record<string, Widths>>;
  set(sheet: string, column: string, width: number | null): void;
}

const useStore = create<Store>()(
  persist(
    (set) => ({
      bySheet: {},
      set: (sheet, column, width) =>
        set(({ bySheet }) => {
          const { [column]: _before, ...others } = bySheet[sheet] ?? {};
          return { bySheet: { ...bySheet, [sheet]: width === null ? others : { ...others, [column]: width } } };
        }),
    }),
    { name: 'jade-lane-columns-width' },
  ),
);

const COLUMN_MIN = 32;
const COLUMN_MAX = 900;
const NONE: Widths = {};

export interface ColumnWidths {
  /** For what scrolls: rows and header take their columns from it. */
  readonly style: CSSProperties;
  /** Sets the width of a column in pixels, within bounds; null: as the sheet has it. */
  readonly onSize: (column: string, width: number | null) => void;
}

/** The columns of a sheet with the widths that were set. @param columns each with its width as CSS grid knows it */
export function useColumnWidths(
  sheet: string,
  columns: readonly { readonly id: string; readonly width: string }[],
): ColumnWidths {
  const widths = useStore((s) => s.bySheet[sheet] ?? NONE);
  const set = useStore((s) => s.set);
  const template = columns.map(({ id, width }) => (widths[id] === undefined ? width : `${widths[id]}px`)).join(' ');
  const isSet = columns.some(({ id }) => widths[id] !== undefined);
  // Columns that were made wider may need more room than there is: then the sheet scrolls sideways.
  const least = columns.reduce((sum, { id, width }) => sum + (widths[id] ?? leastOf(width)), 0);
  return {
    style: { '--sheet-columns': template, '--sheet-width': isSet ? `${least}px` : '0px' } as CSSProperties,
    onSize: (column, width) =>
      set(sheet, column, width === null ? null : Math.round(Math.min(COLUMN_MAX, Math.max(COLUMN_MIN, width)))),
  };
}

interface Column<Row> {
  readonly id: string;
  readonly title: string;
  readonly width: string;
  readonly isNumber?: boolean;
  readonly tone?: 'mono' | 'dim';
  readonly cell: (row: Row) => ReactNode;
}

/** Whether a column takes of the room that is left. */
export const isFlexible = (width: string): boolean => width.startsWith('minmax');

/** Of the faces that sheets are set in, at their sizes, and what stands beside a text in a cell. In pixels. */
const CHARACTER = 6.9;
const MONO_CHARACTER = 7.25;
const PADDING = 18;
const SORT_SIGN = 14;
/** So many rows say how long texts get. */
const SAMPLE = 400;

/**
 * The columns with those that take of the room made as wide as their longest text, no more. Where that is too much for all, the grid
 * takes from the widest.
 */
export function fitToContent<Row>(
  columns: readonly Column<Row>[],
  rows: readonly Row[],
): { id: string; width: string }[] {
  const step = Math.max(1, Math.ceil(rows.length / SAMPLE));
  return columns.map(({ id, title, width, isNumber, tone, cell }) => {
    if (!isFlexible(width)) return { id, width };
    const perCharacter = isNumber === true || tone === 'mono' ? MONO_CHARACTER : CHARACTER;
    let longest = 0;
    for (let n = 0; n < rows.length; n += step) {
      const content = cell(rows[n] as Row);
      if (content === null || content === undefined || typeof content === 'boolean') continue;
      if (typeof content === 'object') return { id, width };
      longest = Math.max(longest, String(content).length);
    }
    const wide = Math.ceil(Math.max(longest * perCharacter, title.length * CHARACTER + SORT_SIGN) + PADDING);
    return { id, width: `minmax(${Math.min(leastOf(width), wide)}px,${wide}px)` };
  });
}

/** `120px`, or the least of `minmax(120px,1fr)`. */
const leastOf = (width: string): number => Number(/(\d+)px/.exec(width)?.[1] ?? COLUMN_MIN);
