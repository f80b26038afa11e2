import { slipIntervalSeconds, takeOverSeconds } from '../clocks/timing';
import { airDelayNs, speedOfSound } from '../delay/air';
import { activeBitsPerSecond, blockPacking, generalPackingBitsPerSecond, type Picture } from './picture';

const picture = (width: number, height: number, numerator: number, denominator = 1): Picture => ({
  width,
  height,
  framesPerSecond: { numerator, denominator },
});

test.each([
  ['1080p50', picture(1920, 1080, 50), 2.2222, 2.0736],
  ['1080p59.94', picture(1920, 1080, 60_000, 1001), 2.664, 2.4858],
  ['1080p25', picture(1920, 1080, 25), 1.1111, 1.0368],
  ['720p50', picture(1280, 720, 50), 0.9959, 0.9216],
  ['2160p59.94', picture(3840, 2160, 60_000, 1001), 10.567, 9.943],
])('%s in 4:2:2 10 bit, general packing', (_, p, wire, active) => {
  expect(generalPackingBitsPerSecond(p) / 1e9).toBeCloseTo(wire, 3);
  expect(activeBitsPerSecond(p) / 1e9).toBeCloseTo(active, 3);
});

test('1080p50 in block packing: 4115 packets a frame, 1028 of which cross a line', () => {
  const { packets, crossing, bitsPerSecond } = blockPacking(picture(1920, 1080, 50));
  expect([packets, crossing]).toEqual([4115, 1028]);
  expect(bitsPerSecond / 1e9).toBeCloseTo(2.2176, 4);
});

test.each([
  [0, 331.3],
  [10, 337.3],
  [20, 343.2],
  [30, 349.0],
])('sound at %i degrees travels %d m/s', (celsius, speed) => {
  expect(speedOfSound(celsius)).toBeCloseTo(speed, 1);
});

test('25 m of air at 20 degrees take 72.84 ms', () => {
  expect(airDelayNs(25, 20) / 1e6).toBeCloseTo(72.84, 2);
});

test('two clocks 10 ppm apart slip a sample every 2.083 s at 48 kHz', () => {
  expect(slipIntervalSeconds(48_000, 10)).toBeCloseTo(2.083, 3);
});

test('take-over begins 6 to 8 s after the last announce with AES67 defaults, 0.75 to 1 s with those of ST 2059-2', () => {
  expect(takeOverSeconds(1, 3)).toEqual({ from: 6, to: 8 });
  expect(takeOverSeconds(-2, 3)).toEqual({ from: 0.75, to: 1 });
});
