import fc from 'fast-check';
import { layBlock, readPastedBlock, textColumn, wholeColumn } from './pasted-block';

const LABELS = [textColumn('label', 8), textColumn('short label', 4)];

describe('cells pasted from a spreadsheet', () => {
  test('one column or two, with their names above or without', () => {
    expect(readPastedBlock('Tide\r\nBell\r\n', LABELS)).toEqual({ lines: [['Tide'], ['Bell']], problems: [] });
    expect(readPastedBlock('Label\tShort label\nTide\tTd\n', LABELS)).toEqual({
      lines: [['Tide', 'Td']],
      problems: [],
    });
  });

  test('what is wrong is said with the number of its line, as the spreadsheet counts it', () => {
    const { problems } = readPastedBlock('label\nTide\nHydrophone\na\tb\tc\nBell\tlonger', LABELS);
    expect(problems).toEqual([
      { line: 3, problem: '“Hydrophone…” has 10 characters; a label has at most 8' },
      { line: 4, problem: '3 columns, and the sheet takes label and short label' },
      { line: 5, problem: '“longer…” has 6 characters; a short label has at most 4' },
    ]);
    const priorities = [wholeColumn('priority 1', 0, 255)];
    expect(readPastedBlock('10\n256\n-1\n1.5', priorities).problems.map((p) => p.line)).toEqual([2, 3, 4]);
  });

  test('a formula that was made safe is read as it was', () => {
    expect(readPastedBlock("'=A1", LABELS).lines).toEqual([['=A1']]);
  });

  test('onto a single row it runs down; one line goes onto all that are selected; what has no row is a problem', () => {
    const block = (text: string) => readPastedBlock(text, LABELS);
    const laid = (text: string, selected: number[]) => layBlock(block(text), selected, [1, 2, 3, 4]);
    expect(laid('a\nb', [2]).laid.map((l) => [l.row, l.cells[0]])).toEqual([
      [2, 'a'],
      [3, 'b'],
    ]);
    expect(laid('a', [1, 3]).laid.map((l) => [l.row, l.cells[0]])).toEqual([
      [1, 'a'],
      [3, 'a'],
    ]);
    expect(laid('a\nb\nc', [3]).problems).toEqual([{ line: 3, problem: 'no row to go to: 3 lines for 2 rows' }]);
  });

  test('whatever is pasted, every line is laid on a row of its own or is a problem', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.string({ minLength: 1, maxLength: 4 }).filter((t) => /^[a-z]+$/.test(t)),
          { minLength: 1, maxLength: 9 },
        ),
        fc.uniqueArray(fc.integer({ min: 1, max: 9 }), { minLength: 1 }),
        (lines, rows) => {
          const selected = rows.toSorted((a, b) => a - b);
          const all = Array.from({ length: 9 }, (_, n) => n + 1);
          const { laid, problems } = layBlock(readPastedBlock(lines.join('\n'), LABELS), selected, all);
          expect(new Set(laid.map((l) => l.row)).size).toBe(laid.length);
          if (problems.length === 0) expect(laid.length).toBeGreaterThanOrEqual(lines.length);
        },
      ),
    );
  });
});
