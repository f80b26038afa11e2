import { channelsTaken, firstMismatch, rangesOf, rangesOfLevel, type Level } from './capability';
import type { StreamFormat } from './format';

const at = (rateHz: 48_000 | 96_000, packetTimeUs: 125 | 1000): StreamFormat => ({
  encoding: 'L24',
  rateHz,
  packetTimeUs,
});

describe('ST 2110-30 levels: channels taken at 48 kHz 1 ms, 48 kHz 125 us, 96 kHz 1 ms, 96 kHz 125 us', () => {
  test.each([
    ['A', 8, 0, 0, 0],
    ['B', 8, 8, 0, 0],
    ['C', 8, 64, 0, 0],
    ['AX', 8, 0, 4, 0],
    ['BX', 8, 8, 4, 8],
    ['CX', 8, 64, 4, 32],
  ] as const)('level %s', (level: Level, a, b, c, d) => {
    const ranges = rangesOfLevel(level);
    expect(
      [at(48_000, 1000), at(48_000, 125), at(96_000, 1000), at(96_000, 125)].map((f) => channelsTaken(ranges, f)),
    ).toEqual([a, b, c, d]);
  });

  test('levels take L16 and L24, never AM824', () => {
    const ranges = rangesOfLevel('CX');
    expect(channelsTaken(ranges, { encoding: 'L16', rateHz: 48_000, packetTimeUs: 1000 })).toBe(8);
    expect(channelsTaken(ranges, { encoding: 'AM824', rateHz: 48_000, packetTimeUs: 1000 })).toBe(0);
  });

  test('own ranges add to what a level promises, up to what a packet holds', () => {
    const wide = rangesOf({
      formats: [{ encodings: ['L24'], ratesHz: [48_000], packetTimesUs: [1000], channelsMax: 64 }],
      levels: ['A'],
    });
    expect(channelsTaken(wide, at(48_000, 1000))).toBe(10);
  });
});

test('the first thing that two ends do not share is named', () => {
  const l16 = [
    { encodings: ['L16' as const], ratesHz: [48_000 as const], packetTimesUs: [1000 as const], channelsMax: 8 },
  ];
  const l24 = [{ ...l16[0]!, encodings: ['L24' as const] }];
  const short = [{ ...l24[0]!, packetTimesUs: [125 as const] }];
  expect(firstMismatch(l16, l24, 48_000)).toBe('encoding');
  expect(firstMismatch(l24, short, 48_000)).toBe('packet-time');
  expect(firstMismatch(l24, l24, 96_000)).toBe('rate');
});
