import { useMemo, useState, type ReactNode } from 'react';
import { Sheet, type SelectHow, type SheetColumn, type SheetProps, type SheetSort } from './sheet';

/** What the rows of one kind look like. */
export interface SheetDeclaration<Row> extends Pick<SheetProps<Row>, 'label' | 'idPrefix' | 'columns' | 'keyOf'> {
  /** The sorting that the sheet begins with. */
  readonly first: SheetSort;
}

const collator = new Intl.Collator('en', { numeric: true });

function compare(a: string | number, b: string | number): number {
  return typeof a === 'number' && typeof b === 'number' ? a - b : collator.compare(String(a), String(b));
}

function orderOf<Row>(column: SheetColumn<Row> | undefined): (row: Row) => string | number {
  if (column === undefined) return () => '';
  if (column.order !== undefined) return column.order;
  const { cell } = column;
  return (row) => cell(row) ?? '';
}

/** Rows sorted by a column; those of one rank stay in the order of the first. */
export function sortedBy<Row>(
  { columns }: Pick<SheetDeclaration<Row>, 'columns'>,
  rows: readonly Row[],
  { column, isDescending }: SheetSort,
): readonly Row[] {
  const chosen = orderOf(columns.find((c) => c.id === column));
  const first = orderOf(columns[0]);
  const sign = isDescending ? -1 : 1;
  return [...rows].sort((a, b) => compare(chosen(a), chosen(b)) * sign || compare(first(a), first(b)));
}

/** Rows in the order that was chosen at the head of their sheet. */
export function useSorted<Row>(
  sheet: SheetDeclaration<Row>,
  rows: readonly Row[],
): Pick<SheetProps<Row>, 'rows' | 'sort' | 'onSort'> {
  const [sort, onSort] = useState(sheet.first);
  const sorted = useMemo(() => sortedBy(sheet, rows, sort), [sheet, rows, sort]);
  return { rows: sorted, sort, onSort };
}

/** A sheet that sorts its own rows. `onSelect` gets the keys in their order, so that runs are what one sees. */
export function SortedSheet<Row>({
  of,
  rows,
  none,
  onSelect,
  ...rest
}: Omit<SheetProps<Row>, keyof SheetDeclaration<Row> | 'sort' | 'onSort' | 'onSelect'> & {
  readonly of: SheetDeclaration<Row>;
  /** Shown where there are no rows. */
  readonly none: ReactNode;
  readonly onSelect: (key: string, how: SelectHow, keys: readonly string[]) => void;
}) {
  const sorted = useSorted(of, rows);
  if (rows.length === 0) return none;
  return <Sheet {...of} {...sorted} onSelect={(key, how) => onSelect(key, how, sorted.rows.map(of.keyOf))} {...rest} />;
}
