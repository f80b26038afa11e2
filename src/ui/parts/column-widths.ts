'use client';

import type { CSSProperties } from 'react';
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

export const COLUMN_MIN = 32;
export const COLUMN_MAX = 900;
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

/** `120px`, or the least of `minmax(120px,1fr)`. */
const leastOf = (width: string): number => Number(/(\d+)px/.exec(width)?.[1] ?? COLUMN_MIN);
