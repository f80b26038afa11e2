import fc from 'fast-check';
import { readNetworkCsv } from './network-csv';
import { PATCH_WORDS, readPatchList } from './patch-list';
import { guessColumns, readNumber, readTable, writeTable } from './table';

const WORDS = { columns: ['device', 'metres'] as const, needed: ['device'] as const, also: { metres: ['length'] } };

describe('which column is which', () => {
  test('by the names in the first line, whatever their case and signs; by what people call them elsewhere', () => {
    expect(guessColumns(['Destination', 'Dest. channel', 'SOURCE', 'Src-Channel', 'Notes'], PATCH_WORDS)).toEqual({
      receiver: 0,
      channel: 1,
      label: null,
      sender: 2,
      'sender channel': 3,
      'sender label': null,
      'short label': null,
    });
  });

  test('a column that is called just so goes before one that is only like it', () => {
    expect(guessColumns(['length', 'metres', 'device'], WORDS)).toEqual({ device: 2, metres: 1 });
  });

  test('a mapping by hand goes before any name; what it leaves out is not in the table', () => {
    const text = 'a,b,c\nbox,12,x\n';
    expect(readTable(text, WORDS, 10).problems.at(-1)?.problem).toContain('“device” is missing');
    const { lines, problems, header, examples } = readTable(text, WORDS, 10, { device: 0, metres: 1 });
    expect(lines).toEqual([{ line: 2, fields: { device: 'box', metres: '12' } }]);
    expect(problems).toEqual([]);
    expect([header, examples]).toEqual([
      ['a', 'b', 'c'],
      ['box', '12', 'x'],
    ]);
  });

  test('law: however the columns are named and ordered, a mapping reads what was written', () => {
    const cell = fc.string({ maxLength: 6 }).filter((s) => s.trim() !== '' && !s.includes('\u0000'));
    fc.assert(
      fc.property(fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 5 }), fc.boolean(), (rows, isTurned) => {
        const turn = <T>([a, b]: readonly [T, T]) => (isTurned ? [b, a] : [a, b]);
        const text = writeTable(turn(['one', 'two']), rows.map(turn), ';');
        const read = readTable(text, WORDS, 10, isTurned ? { device: 1, metres: 0 } : { device: 0, metres: 1 });
        expect(read.lines.map((l) => [l.fields.device, l.fields.metres])).toEqual(rows);
      }),
    );
  });
});

describe('numbers as people write them', () => {
  test.each([
    ['12', 12],
    ['12.5', 12.5],
    ['12,5', 12.5],
    ['1.234,5', 1234.5],
    ['1,234.5', 1234.5],
    ['1 234,5', 1234.5],
    ['1’234.5', null],
    ["1'234.5", 1234.5],
    ['1.234.567', 1234567],
    ['0,125', 0.125],
    ['-3,5', -3.5],
    ['', null],
    ['.', null],
    ['ten', null],
    ['1e3', null],
    ['12 m', null],
  ])('%s', (text, value) => {
    expect(readNumber(text, 'decimals')).toBe(value);
  });

  test('one separator with three digits behind it is what the caller thinks likelier', () => {
    expect(readNumber('1,000', 'decimals')).toBe(1);
    expect(readNumber('1,000', 'thousands')).toBe(1000);
    expect(readNumber('10.000', 'thousands')).toBe(10_000);
    expect(readNumber('0,125', 'thousands')).toBe(0.125);
    expect(readNumber('2,5', 'thousands')).toBe(2.5);
  });
});

test('a table from a European spreadsheet: semicolons, decimal commas, other names', () => {
  const { rows, problems } = readNetworkCsv(
    'Gerät;IP-Adresse;Switch;Switch port;Länge\nDome amp 1;10.71.52.31;South edge A;Port 3;12,5\n',
  );
  expect(problems).toEqual([]);
  expect(rows).toMatchObject([
    { device: 'Dome amp 1', address: '10.71.52.31', switch: 'South edge A', socket: 'Port 3', metres: '12,5' },
  ]);
});

test('a patch list with other names is read as one', () => {
  const { rows } = readPatchList('Source;Source channel;Destination;Destination channel\nBox;3;Amp;1\n');
  expect(rows).toMatchObject([{ sender: 'Box', senderChannel: '3', receiver: 'Amp', channel: '1' }]);
});

describe('what is written is safe for spreadsheets', () => {
  test.each(['=1+1', '+1', '-1', '@x', '\t=1', '\r=1', "'=1", "''=1", '＝1', '＠x', '\u200d=1', '\u00a0+1'])(
    '%j is text to them, and itself again when read',
    (name) => {
      const text = writeTable(['one', 'two'], [[name, 'x']]);
      const field = text.split('\r\n')[1] ?? '';
      expect(field.startsWith('"\'')).toBe(true);
      const words = { columns: ['one', 'two'] as const, needed: [], also: {} };
      expect(readTable(text, words, 10).lines[0]?.fields.one).toBe(name);
    },
  );

  test('what is no formula is written as it is', () => {
    expect(writeTable(['one'], [["'tis"], ['a=b']])).toBe("one\r\n'tis\r\na=b");
  });
});
