import fc from 'fast-check';
import {
  ENCODINGS,
  PACKET_TIMES_US,
  packetTimeNs,
  RATES_HZ,
  samplesPerPacket,
  snapPacketTime,
  type StreamFormat,
} from './format';
import { maxChannelsInPacket, streamSum, streamSumProblem } from './wire';

const L24_48_1MS: StreamFormat = { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 };
const L24_48_125US: StreamFormat = { ...L24_48_1MS, packetTimeUs: 125 };
const anyFormat = fc.record({
  encoding: fc.constantFrom(...ENCODINGS),
  rateHz: fc.constantFrom(...RATES_HZ),
  packetTimeUs: fc.constantFrom(...PACKET_TIMES_US),
});

describe('bits on the wire', () => {
  test.each([
    [1, L24_48_1MS, 144, 222, 1.776],
    [2, L24_48_1MS, 288, 366, 2.928],
    [8, L24_48_1MS, 1152, 1230, 9.84],
    [10, L24_48_1MS, 1440, 1518, 12.144],
    [8, L24_48_125US, 144, 222, 14.208],
    [64, L24_48_125US, 1152, 1230, 78.72],
    [32, { encoding: 'L24', rateHz: 96_000, packetTimeUs: 125 }, 1152, 1230, 78.72],
    [4, { encoding: 'L24', rateHz: 96_000, packetTimeUs: 1000 }, 1152, 1230, 9.84],
    [2, { encoding: 'L16', rateHz: 48_000, packetTimeUs: 4000 }, 768, 846, 1.692],
  ] as const)(
    '%i channels of %o: %i B payload, %i B on the wire, %f Mb/s',
    (channels, format, payload, wire, megabits) => {
      const sum = streamSum(channels, format);
      expect([sum.payloadBytes, sum.wireBytes]).toEqual([payload, wire]);
      expect(sum.bitsPerSecond).toBeCloseTo(megabits * 1e6, 3);
    },
  );

  test('an 802.1Q tag adds four octets to every packet', () => {
    expect(streamSum(8, L24_48_1MS, true).wireBytes).toBe(1234);
  });

  test('a packet is never shorter than the smallest Ethernet frame', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 8 }), anyFormat, (channels, format) => {
        expect(streamSum(channels, format).frameBytes).toBeGreaterThanOrEqual(64);
      }),
    );
  });

  test('the terms of the working add up to the result', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 120 }), anyFormat, fc.boolean(), (channels, format, tagged) => {
        const { terms, wireBytes, bitsPerSecond } = streamSum(channels, format, tagged);
        const value = (name: string) => terms.find((t) => t.name === name)?.value ?? 0;
        const payload = value('channels') * value('samplesPerPacket') * value('bytesPerSample');
        const added = terms.filter((t) => t.role === 'addend').reduce((sum, t) => sum + t.value, 0);
        expect(payload).toBe(value('payload'));
        expect(payload + added).toBe(wireBytes);
        expect(wireBytes * 8 * value('packetsPerSecond')).toBeCloseTo(bitsPerSecond, 6);
      }),
    );
  });

  test('more channels never cost less', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 60 }), anyFormat, (channels, format) => {
        expect(streamSum(channels + 1, format).bitsPerSecond).toBeGreaterThanOrEqual(
          streamSum(channels, format).bitsPerSecond,
        );
      }),
    );
  });
});

describe('how many channels fit a packet', () => {
  test.each([
    ['L24', 1000, 10],
    ['L16', 1000, 15],
    ['AM824', 1000, 6],
    ['L24', 125, 80],
    ['AM824', 125, 60],
  ] as const)('%s at %i us and 48 kHz: %i', (encoding, packetTimeUs, channels) => {
    const format = { encoding, rateHz: 48_000 as const, packetTimeUs };
    expect(maxChannelsInPacket(format)).toBe(channels);
    expect(streamSumProblem(channels, format)).toBeNull();
    expect(streamSumProblem(channels + 2, format)?.reason).toBe('payload-too-large');
  });

  test('AM824 wants an even count', () => {
    const format = { encoding: 'AM824', rateHz: 48_000, packetTimeUs: 1000 } as const;
    expect(streamSumProblem(5, format)?.reason).toBe('channels-not-even');
  });

  test('what fits is at most 1440 octets, and one more channel is not', () => {
    fc.assert(
      fc.property(anyFormat, (format) => {
        const most = maxChannelsInPacket(format);
        const step = format.encoding === 'AM824' ? 2 : 1;
        if (most > 0) expect(streamSum(most, format).payloadBytes).toBeLessThanOrEqual(1440);
        expect(streamSum(most + step, format).payloadBytes).toBeGreaterThan(1440);
      }),
    );
  });
});

describe('packet times', () => {
  test('the 44.1 kHz family uses the same sample counts, so 1 ms is 48/44.1 ms', () => {
    expect(samplesPerPacket(44_100, 1000)).toBe(48);
    expect(packetTimeNs(44_100, 1000)).toBe(1_088_435);
    expect(streamSum(2, { encoding: 'L24', rateHz: 44_100, packetTimeUs: 1000 }).packetsPerSecond).toBe(918.75);
  });

  test.each([
    [0.12, 48_000, 125],
    [0.125, 48_000, 125],
    [0.33, 48_000, 333],
    [0.25, 48_000, 250],
    [0.14, 44_100, 125],
    [0.27, 44_100, 250],
    [0.36, 44_100, 333],
    [1.09, 44_100, 1000],
    [4.35, 44_100, 4000],
    [1, 96_000, 1000],
  ] as const)('a ptime of %f at %i Hz means %i us', (ptime, rateHz, packetTimeUs) => {
    expect(snapPacketTime(ptime, rateHz)).toBe(packetTimeUs);
  });

  test('a ptime far from all of them means none', () => {
    expect(snapPacketTime(20, 48_000)).toBeNull();
    expect(snapPacketTime(0.5, 48_000)).toBeNull();
  });
});
