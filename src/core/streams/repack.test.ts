import fc from 'fast-check';
import { Bins, fewestStreams, isBetter, leastLoad, type Goal, type Score, type Sharing } from './bins';
import { repacker } from './repack';
import { streamSum } from './wire';
import type { StreamFormat } from './format';

const format: StreamFormat = { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 };
const sharingOf = (receiversOf: readonly (readonly number[])[], capOf: (receiver: number) => number): Sharing => ({
  format,
  channels: receiversOf.map((list, n) => ({
    channel: n + 1,
    receivers: [...list].sort((a, b) => a - b),
    cap: Math.min(...list.map(capOf)),
  })),
});
const alone = (sharing: Sharing) => sharing.channels.map((c) => [c.channel]);

/** The score of a sharing, summed up from nothing: slow and simple. */
function slowScore(
  sharing: Sharing,
  shares: readonly (readonly number[])[],
  receivers: { room: readonly number[]; legs: readonly number[] },
  senderRoom: number,
): Score | null {
  const joined = receivers.room.map(() => 0);
  let load = 0;
  for (const share of shares) {
    const members = share.map((c) => sharing.channels[c - 1] as Sharing['channels'][number]);
    if (members.some((m) => m.cap < share.length)) return null;
    const joining = new Set(members.flatMap((m) => m.receivers));
    const bits = streamSum(share.length, sharing.format).bitsPerSecond;
    load += bits * Math.max(...[...joining].map((r) => receivers.legs[r] as number));
    for (const r of joining) {
      joined[r] = (joined[r] as number) + 1;
      load += bits * (receivers.legs[r] as number);
    }
  }
  const beyond = joined.reduce((sum, n, r) => sum + Math.max(0, n - (receivers.room[r] as number)), 0);
  return { excess: beyond + Math.max(0, shares.length - senderRoom), streams: shares.length, load };
}

/** Every way to share channels 1 to n out, one after the other. */
function* partitions(n: number): Iterable<number[][]> {
  const shares: number[][] = [];
  function* go(channel: number): Iterable<number[][]> {
    if (channel > n) {
      yield shares.map((s) => [...s]);
      return;
    }
    for (const share of shares) {
      share.push(channel);
      yield* go(channel + 1);
      share.pop();
    }
    shares.push([channel]);
    yield* go(channel + 1);
    shares.pop();
  }
  yield* go(1);
}

const RECEIVERS = 4;
const cases = fc.record({
  receiversOf: fc.array(fc.uniqueArray(fc.nat({ max: RECEIVERS - 1 }), { minLength: 1 }), {
    minLength: 1,
    maxLength: 7,
  }),
  caps: fc.array(fc.integer({ min: 1, max: 4 }), { minLength: RECEIVERS, maxLength: RECEIVERS }),
  room: fc.array(fc.integer({ min: 1, max: 5 }), { minLength: RECEIVERS, maxLength: RECEIVERS }),
  legs: fc.array(fc.integer({ min: 1, max: 2 }), { minLength: RECEIVERS, maxLength: RECEIVERS }),
  senderRoom: fc.integer({ min: 1, max: 6 }),
  goal: fc.constantFrom<Goal>('streams', 'load'),
});

describe('sharing channels out among streams', () => {
  test('is on small cases as good as the best of all ways there are', () => {
    fc.assert(
      fc.property(cases, ({ receiversOf, caps, room, legs, senderRoom, goal }) => {
        const sharing = sharingOf(receiversOf, (r) => caps[r] as number);
        const receivers = { room, legs };
        const found = repacker(sharing, receivers, senderRoom, alone(sharing), { goal });
        let best: Score | null = null;
        for (const shares of partitions(receiversOf.length)) {
          const score = slowScore(sharing, shares, receivers, senderRoom);
          if (score !== null && (best === null || isBetter(score, best, goal))) best = score;
        }
        expect(found.isOptimal()).toBe(true);
        expect(found.score().excess).toBe(best?.excess);
        expect(found.score().streams).toBe(best?.streams);
        expect(found.score().load).toBeCloseTo(best?.load ?? NaN, 3);
        expect(leastLoad(sharing, legs)).toBeLessThanOrEqual((best?.load ?? 0) + 1e-3);
      }),
      { numRuns: 300 },
    );
  });

  const large = fc.record({
    receiversOf: fc.array(fc.uniqueArray(fc.nat({ max: 11 }), { minLength: 1, maxLength: 6 }), {
      minLength: 15,
      maxLength: 60,
    }),
    caps: fc.array(fc.constantFrom(2, 4, 8, 8, 8), { minLength: 12, maxLength: 12 }),
    room: fc.array(fc.integer({ min: 2, max: 12 }), { minLength: 12, maxLength: 12 }),
    senderRoom: fc.integer({ min: 4, max: 32 }),
  });

  test('places every channel once, within everyone’s width, never worse than before and never below the bound', () => {
    fc.assert(
      fc.property(large, ({ receiversOf, caps, room, senderRoom }) => {
        const sharing = sharingOf(receiversOf, (r) => caps[r] as number);
        const receivers = { room, legs: room.map(() => 2) };
        const found = repacker(sharing, receivers, senderRoom, alone(sharing));
        let steps = 0;
        found.improve(() => (steps += 1) > 200);
        const placed = found.shares().flat();
        expect([...placed].sort((a, b) => a - b)).toEqual(sharing.channels.map((c) => c.channel));
        const slow = slowScore(sharing, found.shares(), receivers, senderRoom);
        expect(slow?.excess).toBe(found.score().excess);
        expect(slow?.load).toBeCloseTo(found.score().load, 0);
        expect(isBetter(slowScore(sharing, alone(sharing), receivers, senderRoom) as Score, found.score())).toBe(false);
        expect(found.score().streams).toBeGreaterThanOrEqual(fewestStreams(sharing));
      }),
      { numRuns: 60 },
    );
  });

  test('searching on never makes it worse', () => {
    fc.assert(
      fc.property(large, ({ receiversOf, caps, room, senderRoom }) => {
        const sharing = sharingOf(receiversOf, (r) => caps[r] as number);
        const found = repacker(sharing, { room, legs: room.map(() => 1) }, senderRoom, alone(sharing));
        let before = found.score();
        for (let round = 0; round < 4; round += 1) {
          let steps = 0;
          found.improve(() => (steps += 1) > 60);
          expect(isBetter(before, found.score())).toBe(false);
          before = found.score();
        }
      }),
      { numRuns: 20 },
    );
  });

  test('fills streams of eight: 64 channels that everyone hears travel in eight', () => {
    const sharing = sharingOf(
      Array.from({ length: 64 }, () => [0, 1]),
      () => 8,
    );
    const found = repacker(sharing, { room: [16, 16], legs: [1, 1] }, 32, alone(sharing));
    expect(found.score().streams).toBe(8);
    expect(found.lowerBound).toBe(8);
  });

  test('keeps those who hear the same together where the count allows: least load', () => {
    const sharing = sharingOf([[0], [1], [0], [1], [0], [1], [0], [1]], () => 4);
    const found = repacker(sharing, { room: [4, 4], legs: [1, 1] }, 32, alone(sharing));
    expect(found.shares()).toEqual([
      [1, 3, 5, 7],
      [2, 4, 6, 8],
    ]);
  });

  test('a receiver with room for one stream only gets all of its channels in one', () => {
    const sharing = sharingOf([[0], [1], [0, 1], [1], [1], [1], [1], [1]], () => 4);
    const found = repacker(sharing, { room: [1, 9], legs: [1, 1] }, 32, alone(sharing));
    expect(found.score().excess).toBe(0);
    expect(found.shares().filter((s) => s.includes(1) || s.includes(3))).toHaveLength(1);
  });

  test('the bound holds where widths differ', () => {
    expect(fewestStreams(sharingOf([[0], [0], [0], [1]], (r) => (r === 0 ? 2 : 8)))).toBe(2);
    expect(
      fewestStreams(
        sharingOf(
          Array.from({ length: 9 }, () => [0]),
          () => 8,
        ),
      ),
    ).toBe(2);
  });

  test('a move back and forth leaves the score as it was', () => {
    const sharing = sharingOf([[0, 1], [1], [2], [0, 2]], () => 4);
    const bins = new Bins(sharing, { room: [1, 1, 1], legs: [1, 2, 1] }, 2);
    [0, 1, 2, 3].forEach((n) => bins.put(n, n % 2));
    const before = bins.score();
    bins.move(2, 1);
    bins.move(2, 0);
    expect(bins.score()).toEqual(before);
  });
});
