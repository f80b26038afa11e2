'use client';

import { useMemo, useState } from 'react';
import { Sheet, type SelectHow, type SheetColumn, type SheetProps, type SheetSort } from './sheet';
import { sortedBy } from './sorted';

/** A sheet that sorts its own rows. `onSelect` is told the keys in their order, so that runs are what one sees. */
export function SortedSheet<Row, Id extends string>({
  rows,
  first,
  orderOf,
  nameOf,
  keyOf,
  onSelect,
  ...rest
}: Omit<SheetProps<Row, Id>, 'sort' | 'onSort' | 'onSelect'> & {
  readonly columns: readonly SheetColumn<Row, Id>[];
  /** The sorting that the sheet begins with. */
  readonly first: SheetSort<Id>;
  readonly orderOf: (column: Id) => (row: Row) => string | number;
  readonly nameOf: (row: Row) => string;
  readonly onSelect: (key: string, how: SelectHow, keys: readonly string[]) => void;
}) {
  const [sort, setSort] = useState(first);
  const sorted = useMemo(
    () => sortedBy(rows, orderOf(sort.column), nameOf, sort.isDescending),
    [rows, sort, orderOf, nameOf],
  );
  return (
    <Sheet
      rows={sorted}
      keyOf={keyOf}
      sort={sort}
      onSort={setSort}
      onSelect={(key, how) => onSelect(key, how, sorted.map(keyOf))}
      {...rest}
    />
  );
}
