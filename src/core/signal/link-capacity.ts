import type { SignalFormat } from './terminal-shape';

/** How many channels one link of a digital format carries. */

/** All rates that such links run at, in Hz: those of one, two and four times the samples. */
export const LINK_RATES_HZ = [44_100, 48_000, 88_200, 96_000, 176_400, 192_000] as const;
export type LinkRateHz = (typeof LINK_RATES_HZ)[number];

export const LINK_FORMATS = ['MADI', 'ADAT', 'AES3', 'AES50', 'SDI', 'HDMI'] as const satisfies readonly SignalFormat[];
export type LinkFormat = (typeof LINK_FORMATS)[number];

/** How the two ends of a link are set. */
export interface LinkMode {
  /** The older MADI frame, which leaves room for rates 12.5 % off (AES10). */
  readonly isVarispeed?: boolean;
  /** AES3 with one channel on each of two cables, each at half the rate. */
  readonly isTwoWire?: boolean;
}

type BySpeed = readonly [single: number, double: number, quadruple: number];

/**
 * MADI, ADAT (S/MUX) and AES50 halve their channels with each doubling of the rate. AES3 runs faster instead. SDI has 16 that every HD link carries
 * (ST 299-1; 32 where both ends do ST 299-2), half at 96 kHz, none above. HDMI 2.0 carries 1536 kHz of sound in all, and 32 channels at most.
 */
const CHANNELS: Readonly<Record<LinkFormat, BySpeed>> = {
  MADI: [64, 32, 16],
  ADAT: [8, 4, 2],
  AES3: [2, 2, 2],
  AES50: [48, 24, 12],
  SDI: [16, 8, 0],
  HDMI: [32, 16, 8],
};
const MADI_VARISPEED: BySpeed = [56, 28, 14];
const AES3_TWO_WIRE: BySpeed = [0, 1, 1];

/** How many times the samples of 44.1 or 48 kHz a rate has, as a place in `BySpeed`. */
const speedOf = (rateHz: LinkRateHz): 0 | 1 | 2 => (rateHz < 50_000 ? 0 : rateHz < 100_000 ? 1 : 2);

/** The channels that one cable carries, one way; 0: none at that rate or in that mode. A mode that the format does not have changes nothing. */
export function linkCapacity(format: LinkFormat, rateHz: LinkRateHz, mode: LinkMode = {}): number {
  const isVaried = format === 'MADI' && mode.isVarispeed === true;
  const isSplit = format === 'AES3' && mode.isTwoWire === true;
  return (isVaried ? MADI_VARISPEED : isSplit ? AES3_TWO_WIRE : CHANNELS[format])[speedOf(rateHz)];
}
