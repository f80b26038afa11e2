import Papa from 'papaparse';
import { HIDDEN_OR_BLANK } from '../plan/visible-text';

export interface TableProblem {
  /** Counted from 1, the header included; 0: the table as a whole. */
  readonly line: number;
  readonly problem: string;
}

/** Lines of a table in the order of `columns`; a field is null where the table has no such column. */
export interface Table<C extends string> {
  readonly lines: readonly { readonly line: number; readonly fields: Readonly<Record<C, string | null>> }[];
  readonly problems: readonly TableProblem[];
  /** The columns of the file as its first line names them, and what stands under each in the first lines. */
  readonly header: readonly string[];
  readonly examples: readonly string[];
  /** Which of them is which: its place in the header, or null. */
  readonly mapping: ColumnMapping<C>;
}

export type ColumnMapping<C extends string> = Readonly<Record<C, number | null>>;

/** How columns are recognised: their names, and what people call them elsewhere. */
export interface ColumnWords<C extends string> {
  readonly columns: readonly C[];
  readonly needed: readonly C[];
  readonly also: Readonly<Partial<Record<C, readonly string[]>>>;
}

const plainName = (name: string) =>
  name
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();

/** Which column of a file is which, by their names: those that are called just so first, then what people call them elsewhere. */
export function guessColumns<C extends string>(
  header: readonly string[],
  { columns, also }: ColumnWords<C>,
): ColumnMapping<C> {
  const names = header.map(plainName);
  const taken = new Set<number>();
  const mapping = {} as Record<C, number | null>;
  const take = (column: C, wanted: readonly string[]) => {
    if (mapping[column] != null) return;
    const at = names.findIndex((name, n) => !taken.has(n) && wanted.includes(name));
    mapping[column] = at < 0 ? null : at;
    if (at >= 0) taken.add(at);
  };
  for (const column of columns) take(column, [plainName(column)]);
  for (const column of columns) take(column, (also[column] ?? []).map(plainName));
  return mapping;
}

/**
 * A number as people write it: with a point or a comma before its decimals, with spaces, points or commas between thousands. Null where it is
 * none. One separator with three digits behind it may be either: the caller knows which is likelier.
 */
export function readNumber(text: string, threeDigitsAre: 'decimals' | 'thousands'): number | null {
  const compact = text.trim().replace(/[\s\u00a0\u202f']/g, '');
  if (!/^[+-]?[\d.,]*\d[\d.,]*$/.test(compact)) return null;
  const last = Math.max(compact.lastIndexOf('.'), compact.lastIndexOf(','));
  if (last < 0) return Number(compact);
  const decimal = compact[last] as string;
  const other = decimal === '.' ? ',' : '.';
  const isLone = !compact.includes(other) && compact.split(decimal).length === 2;
  const isOnlyThousands =
    compact.split(decimal).length > 2 ||
    (isLone && threeDigitsAre === 'thousands' && compact.length - last === 4 && !compact.startsWith('0'));
  const digits = isOnlyThousands
    ? compact.replaceAll(decimal, '').replace(other, '.')
    : compact.replaceAll(other, '').replace(decimal, '.');
  const value = Number(digits);
  return Number.isFinite(value) ? value : null;
}

/** A number with decimals as people write it, with either sign for minus, or as `String` does. Null: it is none. */
export function readDecimal(text: string): number | null {
  const plain = Number(text);
  return text.trim() !== '' && Number.isFinite(plain) ? plain : readNumber(text.replace('−', '-'), 'decimals');
}

/**
 * Reads comma, semicolon or tab separated text whose first line names the columns, in any order and case. Which is which is guessed
 * unless a mapping says. Lines with nothing in them are passed over. What cannot be read is named by its line; the rest is there to be used.
 */
export function readTable<C extends string>(
  text: string,
  words: ColumnWords<C>,
  linesMax: number,
  chosen: ColumnMapping<C> | null = null,
): Table<C> {
  const { columns, needed } = words;
  const nothing = { header: [], examples: [], mapping: guessColumns([], words) };
  const whole = (problem: string): Table<C> => ({ lines: [], problems: [{ line: 0, problem }], ...nothing });
  if (text.includes('\u0000')) return whole('this is not a text file');
  const parsed = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { preview: linesMax + 2 });
  const problems: TableProblem[] = [];
  for (const error of parsed.errors) {
    // A one-column table has no delimiter to be found; that is no mistake.
    if (error.code === 'UndetectableDelimiter') continue;
    problems.push({ line: (error.row ?? 0) + 1, problem: error.message });
  }
  const isEmpty = (fields: readonly string[]) => fields.every((f) => f.trim() === '');
  const all = parsed.data.map((fields, n) => ({ line: n + 1, fields })).filter(({ fields }) => !isEmpty(fields));
  const [header, ...lines] = all;
  if (header === undefined) return whole('the file is empty');
  const mapping = chosen ?? guessColumns(header.fields, words);
  const told = { header: header.fields.map((h) => h.trim()), examples: lines[0]?.fields ?? [], mapping };
  const used = new Set(Object.values(mapping));
  const names = header.fields.map((h) => h.trim().toLowerCase());
  if (chosen === null) {
    names.forEach((name, n) => {
      if (name === '') problems.push({ line: header.line, problem: `column ${n + 1} has no name` });
      else if (used.has(n)) return;
      else if (names.indexOf(name) !== n)
        problems.push({ line: header.line, problem: `the column ${name} is listed twice` });
      else {
        const problem = `no column is called “${header.fields[n]?.trim()}”; it is left out`;
        problems.push({ line: header.line, problem });
      }
    });
  }
  const missing = needed.find((c) => mapping[c] === null);
  if (missing !== undefined) {
    const problem = `the column “${missing}” is missing; the columns are ${columns.join(', ')}`;
    return { lines: [], problems: [...problems, { line: header.line, problem }], ...told };
  }
  if (lines.length > linesMax) return whole(`more than ${linesMax} lines`);
  const read: { line: number; fields: Record<C, string | null> }[] = [];
  for (const { line, fields } of lines) {
    if (fields.length > names.length) {
      problems.push({ line, problem: `${fields.length} fields where the header has ${names.length}` });
      continue;
    }
    const record = {} as Record<C, string | null>;
    for (const column of columns) {
      const at = mapping[column];
      record[column] = at === null ? null : fromSpreadsheet(fields[at] ?? '');
    }
    read.push({ line, fields: record });
  }
  return { lines: read, problems, ...told };
}

/**
 * Spreadsheets take a field that begins so for a formula, and would run what a name says. Such a field is written with an apostrophe before it,
 * which they take for “text follows”; our own reader takes it away again. One that begins with apostrophes and then so gets one more. Signs of full
 * width, and what cannot be seen before a sign, count as the sign itself.
 */
const FORMULA = new RegExp(`^(?:'|${HIDDEN_OR_BLANK})*[=+\\-@＝＋－＠﹢﹣﹦﹫\\t\\r]`, 'u');

/** A field as it was before `writeTable` made it safe for spreadsheets. */
export const fromSpreadsheet = (field: string): string =>
  field.startsWith("'") && FORMULA.test(field) ? field.slice(1) : field;

/** Writes lines under a header, as RFC 4180 has it, safe for spreadsheets. */
export function writeTable(columns: readonly string[], lines: readonly (readonly string[])[], delimiter = ','): string {
  return Papa.unparse(
    { fields: [...columns], data: lines as string[][] },
    {
      newline: '\r\n',
      delimiter,
      escapeFormulae: FORMULA,
    },
  );
}
