import { useMemo, useState } from 'react';
import type { SelectHow } from './sheet';

/** Which rows of a sheet are selected: those that are marked, else the one at the cursor. */
export function useMarks(
  keys: readonly string[],
  cursor: string | null,
  moveCursor: (key: string) => void,
): {
  readonly selected: ReadonlySet<string>;
  select(key: string, how: SelectHow): void;
  mark(keys: readonly string[]): void;
} {
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const selected = useMemo(() => {
    const set = new Set(marked);
    if (cursor !== null && set.size === 0) set.add(cursor);
    return set;
  }, [marked, cursor]);
  return {
    selected,
    select(key, how) {
      if (how === 'to' && cursor !== null) setMarked(runTo(keys, first(marked) ?? cursor, key));
      else if (how === 'toggle') setMarked(toggled(selected, key));
      else if (how === 'all') setMarked(new Set(keys));
      else setMarked(new Set([key]));
      moveCursor(key);
    },
    mark: (wanted) => setMarked(new Set(wanted)),
  };
}

/** The run between two rows in their order on the sheet, the first one first, so that the next run starts there again. */
export function runTo(keys: readonly string[], from: string, to: string): ReadonlySet<string> {
  const a = keys.indexOf(from);
  const b = keys.indexOf(to);
  if (a < 0 || b < 0) return new Set([to]);
  const run = keys.slice(Math.min(a, b), Math.max(a, b) + 1);
  return new Set(a <= b ? run : run.reverse());
}

export function toggled(selected: ReadonlySet<string>, key: string): ReadonlySet<string> {
  return selected.has(key) ? new Set([...selected].filter((k) => k !== key)) : new Set([...selected, key]);
}

function first(set: ReadonlySet<string>): string | undefined {
  return set.values().next().value;
}
