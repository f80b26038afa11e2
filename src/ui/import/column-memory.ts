import type { ColumnMapping, ColumnWords } from '@/core/formats/table';
import { keepText, keptText } from '@/ui/session/kept';

/** What a person said of the columns of files, by the kind of table and the names in the first line. Kept in the browser. */

const KEY = 'jade-lane-columns';
const FILES_MAX = 40;

type Memory = Readonly<Record<string, Readonly<Record<string, number | null>>>>;

const signature = (kind: string, header: readonly string[]) =>
  `${kind}|${header.map((name) => name.trim().toLowerCase()).join('|')}`.slice(0, 1000);

function remembered(): Memory {
  try {
    const kept: unknown = JSON.parse(keptText(KEY) ?? '{}');
    return typeof kept === 'object' && kept !== null && !Array.isArray(kept) ? (kept as Memory) : {};
  } catch {
    return {};
  }
}

/** What was said of such a file; null: nothing, or nothing that fits its header. */
export function rememberedMapping<C extends string>(
  kind: string,
  header: readonly string[],
  { columns }: ColumnWords<C>,
): ColumnMapping<C> | null {
  const known = remembered()[signature(kind, header)];
  if (known === undefined || typeof known !== 'object') return null;
  const isSound = (at: unknown): at is number | null =>
    at === null || (Number.isInteger(at) && (at as number) >= 0 && (at as number) < header.length);
  const mapping = Object.fromEntries(columns.map((c) => [c, known[c] ?? null]));
  return Object.values(mapping).every(isSound) ? (mapping as ColumnMapping<C>) : null;
}

export function rememberMapping<C extends string>(
  kind: string,
  header: readonly string[],
  mapping: ColumnMapping<C>,
): void {
  const others = Object.entries(remembered()).filter(([key]) => key !== signature(kind, header));
  const kept = Object.fromEntries([...others.slice(1 - FILES_MAX), [signature(kind, header), mapping]]);
  keepText(KEY, JSON.stringify(kept));
}
