import { parseAddress } from './address';

export interface AddressRange {
  readonly first: string;
  readonly last: string;
}

/** Both ends as numbers; null where there is no range, or where it is none: not addresses, or the lower not first. */
export function rangeOf(range: AddressRange | null): { first: number; last: number } | null {
  if (range === null) return null;
  const first = parseAddress(range.first);
  const last = parseAddress(range.last);
  return first === null || last === null || last < first ? null : { first, last };
}
