import fc from 'fast-check';
import { likeLines, namesInShort } from './like-lines';

test('what is alike is one line, in the order in which it came up', () => {
  const exhibits = Array.from({ length: 14 }, (_, n) => ({
    name: `Exhibit ${String(14 - n).padStart(2, '0')}`,
    what: 'streams in 2 → 0',
  }));
  const lines = likeLines([
    { name: 'Console', what: '48 → 96 kHz' },
    ...exhibits,
    { name: 'Amp', what: '48 → 96 kHz' },
  ]);
  expect(lines.map((l) => `${namesInShort(l.names)}: ${l.what}`)).toEqual([
    'Amp and Console: 48 → 96 kHz',
    '14 × Exhibit: streams in 2 → 0',
  ]);
});

test.each([
  [['A'], 'A'],
  [['A', 'B', 'C'], 'A, B and C'],
  [['Amp 1', 'Amp 2', 'Amp 10', 'Amp 3'], '4 × Amp'],
  [['Amp', 'Amp 2', 'Amp 3', 'Amp 4'], 'Amp, Amp 2 and 2 more'],
  [['Amp 1', 'Box 1', 'Box 2', 'Box 3', 'Box 4'], 'Amp 1, Box 1 and 3 more'],
])('%j in short', (names, words) => {
  expect(namesInShort(names)).toBe(words);
});

test('law: every name is in one line, and none is lost', () => {
  const line = fc.record({ name: fc.string(), what: fc.constantFrom('a', 'b', 'c') });
  fc.assert(
    fc.property(fc.array(line), (lines) => {
      const told = likeLines(lines).flatMap((l) => l.names.map((name) => `${l.what} ${name}`));
      expect(told.sort()).toEqual(lines.map((l) => `${l.what} ${l.name}`).sort());
    }),
  );
});
