import { compareNames } from '@/core/plan/name-order';
import { count } from './units';

/** Several that differ in the same way are one line: `Exhibit 01 to Exhibit 14 (14): streams in 2 → 0`. */
interface LikeLine {
  readonly what: string;
  readonly names: readonly string[];
}

/** Lines in the order in which what they say first comes up. */
export function likeLines(lines: readonly { readonly name: string; readonly what: string }[]): LikeLine[] {
  const byWhat = new Map<string, string[]>();
  for (const { name, what } of lines) byWhat.set(what, [...(byWhat.get(what) ?? []), name]);
  const sorted = (names: string[]) => names.sort(compareNames);
  return [...byWhat].map(([what, names]) => ({ what, names: sorted(names) }));
}

const NAMED_MAX = 3;

/** `Loft console`, `Dome amp 1 and Dome amp 2`, `14 × Exhibit`, `Loft console, Show player and 7 more`. */
export function namesInShort(names: readonly string[]): string {
  if (names.length <= NAMED_MAX) return names.join(', ').replace(/, ([^,]*)$/, ' and $1');
  const stems = new Set(names.map((n) => n.replace(/\s*\d+$/, '')));
  const [stem = ''] = stems;
  if (stems.size === 1 && stem !== '' && names.every((n) => n !== stem)) return `${names.length} × ${stem}`;
  return `${names.slice(0, 2).join(', ')} and ${count(names.length - 2, 'more', 'more')}`;
}
