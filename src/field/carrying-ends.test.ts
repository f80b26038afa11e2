import { CarryingEnds } from './carrying-ends';

/** How long each end waits between two askings, at most, and how many are asked in a second, at most, over four minutes. */
function waits(count: number): { readonly longestMs: number; readonly mostInASecond: number } {
  const last = new Map<string, number>();
  const inSecond = new Map<number, number>();
  let longestMs = 0;
  let now = 0;
  const ends = new CarryingEnds(
    () => Array.from({ length: count }, (_, n) => ['receivers', `${n}`] as const),
    ([, id]) => {
      longestMs = Math.max(longestMs, now - (last.get(id) ?? now));
      last.set(id, now);
      inSecond.set(Math.floor(now / 1000), (inSecond.get(Math.floor(now / 1000)) ?? 0) + 1);
    },
    () => 10_000,
  );
  for (; now < 240_000; now += 250) ends.tick(now);
  return { longestMs, mostInASecond: Math.max(...inSecond.values()) };
}

test.each([
  [65, 10_250, 8],
  [2000, 10_500, 251],
  // Beyond 200 a second each is asked less often: 8000 every 40 s.
  [8000, 40_500, 251],
])('of %d ends that carry none waits longer than %d ms', (count, longestMs, most) => {
  const found = waits(count);
  expect(found.longestMs).toBeLessThanOrEqual(longestMs);
  expect(found.mostInASecond).toBeLessThanOrEqual(most);
});
