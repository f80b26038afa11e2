import { maxChannelsInPacket } from './wire';
import { list, oneOf, record, whole, type Described } from '../plan/shape';
import {
  ENCODINGS,
  PACKET_TIMES_US,
  RATES_HZ,
  type Encoding,
  type PacketTimeUs,
  type RateHz,
  type StreamFormat,
} from './format';

/** ST 2110-30 clause 7.2: the levels that a receiver may claim. */
export const LEVELS = ['A', 'B', 'C', 'AX', 'BX', 'CX'] as const;
export type Level = (typeof LEVELS)[number];

const formatRange = record({
  encodings: list(oneOf(ENCODINGS), 8),
  ratesHz: list(oneOf(RATES_HZ), 8),
  packetTimesUs: list(oneOf(PACKET_TIMES_US), 8),
  channelsMax: whole(1, 120),
});
/** Every combination of these encodings, rates and packet times, from 1 to `channelsMax` channels. */
export type FormatRange = Described<typeof formatRange>;

const PCM: readonly Encoding[] = ['L16', 'L24'];
const range = (rateHz: RateHz, packetTimeUs: PacketTimeUs, channelsMax: number): FormatRange => ({
  encodings: PCM,
  ratesHz: [rateHz],
  packetTimesUs: [packetTimeUs],
  channelsMax,
});

const A = [range(48_000, 1000, 8)];
const B = [...A, range(48_000, 125, 8)];
const C = [...A, range(48_000, 125, 64)];
const AX = [...A, range(96_000, 1000, 4)];
const BX = [...B, ...AX, range(96_000, 125, 8)];
const CX = [...C, ...BX, range(96_000, 125, 32)];
const RANGES_OF_LEVEL: Readonly<Record<Level, readonly FormatRange[]>> = { A, B, C, AX, BX, CX };

/** What a level promises, as format ranges. */
export function rangesOfLevel(level: Level): readonly FormatRange[] {
  return RANGES_OF_LEVEL[level];
}

export const streamCapability = record({ formats: list(formatRange, 32), levels: list(oneOf(LEVELS), 6) });
/** What an end of a stream can do: ranges of its own, and the ST 2110-30 levels that it claims. */
export type StreamCapability = Described<typeof streamCapability>;

/** Every range of a capability, own ranges first. */
export function rangesOf(capability: StreamCapability): readonly FormatRange[] {
  if (capability.levels.length === 0) return capability.formats;
  return [...capability.formats, ...capability.levels.flatMap(rangesOfLevel)];
}

/** Most channels of this format that the capability takes in one stream; 0 when the format itself is not taken. */
export function channelsTaken(ranges: readonly FormatRange[], format: StreamFormat): number {
  let most = 0;
  for (const r of ranges) {
    if (
      r.channelsMax > most &&
      r.ratesHz.includes(format.rateHz) &&
      r.packetTimesUs.includes(format.packetTimeUs) &&
      r.encodings.includes(format.encoding)
    ) {
      most = r.channelsMax;
    }
  }
  return most === 0 ? 0 : Math.min(most, maxChannelsInPacket(format));
}

export type FormatMismatch = 'rate' | 'encoding' | 'packet-time';

/** The first thing the two ends do not share at this rate, asked in the order rate, encoding, packet time. */
export function firstMismatch(
  sending: readonly FormatRange[],
  receiving: readonly FormatRange[],
  rateHz: RateHz,
): FormatMismatch {
  const sent = sending.filter((r) => r.ratesHz.includes(rateHz));
  const taken = receiving.filter((r) => r.ratesHz.includes(rateHz));
  if (sent.length === 0 || taken.length === 0) return 'rate';
  const shareEncoding = sent.some((s) => taken.some((t) => s.encodings.some((e) => t.encodings.includes(e))));
  return shareEncoding ? 'packet-time' : 'encoding';
}
