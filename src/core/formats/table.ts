import Papa from 'papaparse';

export interface TableProblem {
  /** Counted from 1, the header included; 0: the table as a whole. */
  readonly line: number;
  readonly problem: string;
}

/** Lines of a table in the order of `columns`; a field is null where the table has no such column. */
export interface Table<C extends string> {
  readonly lines: readonly { readonly line: number; readonly fields: Readonly<Record<C, string | null>> }[];
  readonly problems: readonly TableProblem[];
}

/**
 * Reads comma, semicolon or tab separated text whose first line names the columns, in any order and case. Lines
 * with nothing in them are passed over. What cannot be read is named by its line; the rest is there to be used.
 */
export function readTable<C extends string>(
  text: string,
  columns: readonly C[],
  needed: readonly C[],
  linesMax: number,
): Table<C> {
  const whole = (problem: string): Table<C> => ({ lines: [], problems: [{ line: 0, problem }] });
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
  const names = header.fields.map((h) => h.trim().toLowerCase());
  const isKnown = (c: string): c is C => (columns as readonly string[]).includes(c);
  names.forEach((name, n) => {
    if (name === '') problems.push({ line: header.line, problem: `column ${n + 1} has no name` });
    else if (!isKnown(name)) {
      const problem = `no column is called “${header.fields[n]?.trim()}”; it is left out`;
      problems.push({ line: header.line, problem });
    } else if (names.indexOf(name) !== n)
      problems.push({ line: header.line, problem: `the column ${name} stands twice` });
  });
  const missing = needed.find((c) => !names.includes(c));
  if (missing !== undefined) {
    const problem = `the column “${missing}” is missing; the columns are ${columns.join(', ')}`;
    return { lines: [], problems: [...problems, { line: header.line, problem }] };
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
      const at = names.indexOf(column);
      record[column] = at < 0 ? null : (fields[at] ?? '');
    }
    read.push({ line, fields: record });
  }
  return { lines: read, problems };
}

/** Writes lines under a header, as RFC 4180 has it. */
export function writeTable(columns: readonly string[], lines: readonly (readonly string[])[], delimiter = ','): string {
  return Papa.unparse({ fields: [...columns], data: lines as string[][] }, { newline: '\r\n', delimiter });
}
