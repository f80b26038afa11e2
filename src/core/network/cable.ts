import type { Cable } from './links-table';

const GIGABIT = 1e9;

/**
 * The longest run in metres at a speed, by IEEE 802.3: twisted pair 100 m, 55 m of Cat 6 at 10 Gb/s; OM3 550 m at 1 Gb/s,
 * 300 m at 10, 70 m at 25 (802.3by) and 100 (802.3bm), 100 m at 40 (802.3ba); single mode 10 km. 0: not made for that speed. A wireless link has no limit that a plan could know.
 */
export function longestRunMetres(cable: Cable, bitsPerSecond: number): number {
  switch (cable) {
    case 'cat5e':
      return bitsPerSecond <= 2.5 * GIGABIT ? 100 : 0;
    case 'cat6':
      return bitsPerSecond <= 5 * GIGABIT ? 100 : bitsPerSecond <= 10 * GIGABIT ? 55 : 0;
    case 'cat6a':
      return bitsPerSecond <= 10 * GIGABIT ? 100 : 0;
    case 'om3':
      if (bitsPerSecond <= 10 * GIGABIT) return bitsPerSecond <= GIGABIT ? 550 : 300;
      return bitsPerSecond === 40 * GIGABIT ? 100 : 70;
    case 'single-mode':
      return 10_000;
    case 'wireless':
      return Infinity;
  }
}

/** Whether a cable can carry power to a device (PoE, IEEE 802.3 clause 33): copper alone does. What is not known is taken for copper. */
export function carriesPower(cable: Cable | null): boolean {
  return cable === null || cable.startsWith('cat');
}

/** Kinds that carry so far at that speed, the plainest first. */
export function cablesFor(metres: number, bitsPerSecond: number): Cable[] {
  const kinds = ['cat5e', 'cat6', 'cat6a', 'om3', 'single-mode'] as const;
  return kinds.filter((kind) => longestRunMetres(kind, bitsPerSecond) >= metres);
}
