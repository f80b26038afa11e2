import { LINK_FORMATS, LINK_RATES_HZ, linkCapacity, type LinkMode, type LinkRateHz } from './link-capacity';

const at = (format: (typeof LINK_FORMATS)[number], mode?: LinkMode) =>
  LINK_RATES_HZ.map((rateHz) => linkCapacity(format, rateHz, mode));

test.each([
  ['MADI', {}, [64, 64, 32, 32, 16, 16]],
  ['MADI', { isVarispeed: true }, [56, 56, 28, 28, 14, 14]],
  ['ADAT', {}, [8, 8, 4, 4, 2, 2]],
  ['AES3', {}, [2, 2, 2, 2, 2, 2]],
  // At 48 kHz there is nothing to share out over two cables.
  ['AES3', { isTwoWire: true }, [0, 0, 1, 1, 1, 1]],
  ['AES50', {}, [48, 48, 24, 24, 12, 12]],
  ['SDI', {}, [16, 16, 8, 8, 0, 0]],
  ['HDMI', {}, [32, 32, 16, 16, 8, 8]],
] as const)('channels of %s %o at each rate', (format, mode, channels) => {
  expect(at(format, mode)).toEqual(channels);
});

test('a mode of one format says nothing of the others', () => {
  for (const format of LINK_FORMATS) {
    if (format !== 'MADI') expect(at(format, { isVarispeed: true })).toEqual(at(format));
    if (format !== 'AES3') expect(at(format, { isTwoWire: true })).toEqual(at(format));
  }
});

const MADI_BITS_PER_SECOND = 100_000_000;
const bits = (rateHz: LinkRateHz, mode: LinkMode) => linkCapacity('MADI', rateHz, mode) * 32 * rateHz;

test('MADI stays within the 100 Mb/s that its line carries: 98.304 at 48 kHz, 96.768 with the older frame 12.5 % up', () => {
  expect(bits(48_000, {})).toBe(98_304_000);
  expect(bits(48_000, { isVarispeed: true }) * 1.125).toBe(96_768_000);
  for (const rateHz of LINK_RATES_HZ) {
    expect(bits(rateHz, {})).toBeLessThanOrEqual(MADI_BITS_PER_SECOND);
    expect(bits(rateHz, { isVarispeed: true }) * 1.125).toBeLessThanOrEqual(MADI_BITS_PER_SECOND);
  }
});

test('HDMI 2.0 carries 1536 kHz of sound in all', () => {
  for (const rateHz of [48_000, 96_000, 192_000] as const) {
    expect(linkCapacity('HDMI', rateHz) * rateHz).toBe(1_536_000);
  }
});
