import Papa from 'papaparse';
import { VISIBLE_LINE } from '../plan/visible-text';
import { fromSpreadsheet, type TableProblem } from './table';

/** A column of a block of cells that somebody pastes from a spreadsheet. */
export interface PastedColumn {
  readonly name: string;
  /** What is wrong with a cell, as the end of a sentence; null: nothing. */
  readonly wrong: (cell: string) => string | null;
}

interface PastedBlock {
  /** A line for each row, with as many cells as it had. */
  readonly lines: readonly (readonly string[])[];
  readonly problems: readonly TableProblem[];
}

const visible = new RegExp(VISIBLE_LINE, 'u');

/** A name of at most so many characters. */
export const textColumn = (name: string, longest: number, isNeeded = false): PastedColumn => ({
  name,
  wrong: (cell) => {
    const { length } = [...cell];
    if (isNeeded && length === 0) return `the ${name} is empty`;
    if (length > longest) return `“${cell.slice(0, 24)}…” has ${length} characters; a ${name} has at most ${longest}`;
    return visible.test(cell) ? null : `the ${name} holds a character that cannot be shown`;
  },
});

export const wholeColumn = (name: string, least: number, most: number): PastedColumn => ({
  name,
  wrong: (cell) => {
    const isRight = /^\d{1,9}$/.test(cell) && Number(cell) >= least && Number(cell) <= most;
    return isRight ? null : `“${cell.slice(0, 24)}” is not a ${name}: it is a whole number from ${least} to ${most}`;
  },
});

/**
 * Reads cells that are divided by tabs, the first column first. Columns may be left out at the right; a first line that only names the
 * columns is passed over.
 */
export function readPastedBlock(text: string, columns: readonly PastedColumn[]): PastedBlock {
  const parsed = Papa.parse<string[]>(text.replace(/(\r\n|\r|\n)+$/, ''), { delimiter: '\t' }).data;
  const cells = parsed.map((fields) => fields.map((f) => fromSpreadsheet(f.trim())));
  const isHeader =
    cells[0]?.every((c, n) => c.toLowerCase() === columns[n]?.name.toLowerCase()) === true && cells.length > 1;
  const start = isHeader ? 1 : 0;
  const problems: TableProblem[] = [];
  const lines = cells.slice(start);
  lines.forEach((fields, n) => {
    const line = n + 1 + start;
    if (fields.length > columns.length) {
      const takes = columns.map((c) => c.name).join(' and ');
      problems.push({ line, problem: `${fields.length} columns, and the sheet takes ${takes}` });
      return;
    }
    const [problem] = fields.flatMap((cell, at) => columns[at]?.wrong(cell) ?? []);
    if (problem !== undefined) problems.push({ line, problem });
  });
  return { lines, problems };
}

/**
 * Lays the lines on rows: on a single selected row and those below it, else on the selected ones; one line goes onto all of them.
 * Lines that have no row are a problem, rows that have no line stay as they are.
 */
export function layBlock<Row>(
  { lines }: PastedBlock,
  selected: readonly Row[],
  all: readonly Row[],
): {
  readonly laid: readonly { readonly row: Row; readonly cells: readonly string[] }[];
  readonly problems: readonly TableProblem[];
} {
  const [first] = selected;
  const rows = selected.length === 1 ? all.slice(all.indexOf(first as Row)) : selected;
  const single = lines.length === 1 && selected.length > 1 ? lines[0] : undefined;
  const laid = (single === undefined ? lines : rows.map(() => single)).flatMap((cells, n) => {
    const row = rows[n];
    return row === undefined ? [] : [{ row, cells }];
  });
  const problems =
    lines.length > rows.length
      ? [{ line: rows.length + 1, problem: `no row to go to: ${lines.length} lines for ${rows.length} rows` }]
      : [];
  return { laid, problems };
}
