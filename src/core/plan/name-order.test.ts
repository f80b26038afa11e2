import { byName, compareNames } from './name-order';

test('numbers in names count as numbers, and capitals do not part what belongs together', () => {
  const names = ['Amp 10', 'amp 2', 'Loft', 'Amp 1', 'ärmel', 'Zoo'];
  expect([...names].sort(compareNames)).toEqual(['Amp 1', 'amp 2', 'Amp 10', 'ärmel', 'Loft', 'Zoo']);
  expect(
    names
      .map((name) => ({ name }))
      .sort(byName)
      .map((r) => r.name),
  ).toEqual([...names].sort(compareNames));
});
