import { nearestInDirection } from './roving';

const spots = [
  { id: 'middle', x: 100, y: 100 },
  { id: 'right', x: 200, y: 110 },
  { id: 'far right', x: 400, y: 100 },
  { id: 'above', x: 90, y: 20 },
  { id: 'far below', x: 300, y: 300 },
];
const from = spots[0]!;
const go = (key: string) => nearestInDirection(from, spots.slice(1), key)?.id ?? null;

test('arrows go to what lies nearest that way, along rather than aside', () => {
  expect(go('ArrowRight')).toBe('right');
  expect(go('ArrowUp')).toBe('above');
  expect(go('ArrowDown')).toBe('right');
  expect(nearestInDirection(from, spots.slice(2), 'ArrowDown')?.id).toBe('far below');
});

test('where nothing lies that way one stays', () => {
  expect(nearestInDirection(from, [{ x: 200, y: 100 }], 'ArrowLeft')).toBeNull();
  expect(go('Enter')).toBeNull();
});

test('from anywhere every spot is reached by some arrows', () => {
  for (const start of spots) {
    const reached = new Set([start]);
    const open = [start];
    for (let at = open.pop(); at !== undefined; at = open.pop()) {
      for (const key of ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown']) {
        const here = at;
        const next = nearestInDirection(
          here,
          spots.filter((s) => s !== here),
          key,
        );
        if (next !== null && !reached.has(next)) {
          reached.add(next);
          open.push(next);
        }
      }
    }
    expect(reached.size).toBe(spots.length);
  }
});
