import { leftOutOfPaste } from './left-out';

const nothing = { feeds: 4, rows: 4, problems: [], noPass: 0 };

test.each([
  [nothing, null],
  [{ ...nothing, feeds: 1, rows: 16 }, null],
  [{ ...nothing, feeds: 4, rows: 8 }, null],
  [{ ...nothing, feeds: 9 }, 'Left out: 5 lines without a row to go to.'],
  [{ ...nothing, rows: 6 }, 'Left out: 2 rows without a line: they stay as they are.'],
  [
    { ...nothing, problems: [{ line: 2, problem: 'no such device' }] },
    'Left out: 1 line that cannot be read (line 2: no such device).',
  ],
  [
    { feeds: 5, rows: 4, problems: [1, 2, 3].map((line) => ({ line, problem: 'no' })), noPass: 1 },
    'Left out: 1 line without a row to go to; 3 lines that cannot be read (line 1: no; line 2: no; …); 1 row for which the processing unit has no channel left.',
  ],
])('what of a pasted block is left out: %j', (pasted, words) => {
  expect(leftOutOfPaste(pasted)).toBe(words);
});
