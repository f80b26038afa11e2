const collator = new Intl.Collator('en', { numeric: true });

/** Sorts by a key of each row; equal keys stay in the order of names. */
export function sortedBy<Row>(
  rows: readonly Row[],
  keyOf: (row: Row) => string | number,
  nameOf: (row: Row) => string,
  isDescending: boolean,
): Row[] {
  const sign = isDescending ? -1 : 1;
  return [...rows].sort((a, b) => {
    const x = keyOf(a);
    const y = keyOf(b);
    const order = typeof x === 'number' && typeof y === 'number' ? x - y : collator.compare(String(x), String(y));
    return order * sign || collator.compare(nameOf(a), nameOf(b));
  });
}
