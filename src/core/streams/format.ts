/** What one audio stream looks like on the wire, apart from how many channels it has (AES67-2018 clause 7, ST 2110-30/-31). */

export const ENCODINGS = ['L16', 'L24', 'AM824'] as const;
export type Encoding = (typeof ENCODINGS)[number];

export const RATES_HZ = [44_100, 48_000, 96_000] as const;
export type RateHz = (typeof RATES_HZ)[number];

/** Packet times by their nominal microseconds; 333 stands for 333 1/3. The sample count is what counts, see below. */
export const PACKET_TIMES_US = [125, 250, 333, 1000, 4000] as const;
export type PacketTimeUs = (typeof PACKET_TIMES_US)[number];

export interface StreamFormat {
  readonly encoding: Encoding;
  readonly rateHz: RateHz;
  readonly packetTimeUs: PacketTimeUs;
}

/** Octets of one sample of one channel: L16 2, L24 3, AM824 4 (ST 2110-31). */
export const BYTES_PER_SAMPLE: Readonly<Record<Encoding, number>> = { L16: 2, L24: 3, AM824: 4 };

/** AES67 clause 7.2: samples per packet at 44.1 and 48 kHz; twice as many at 96 kHz. Written out, as it is asked for with every stream. */
function samplesAtBaseRate(packetTimeUs: PacketTimeUs): number {
  switch (packetTimeUs) {
    case 125:
      return 6;
    case 250:
      return 12;
    case 333:
      return 16;
    case 1000:
      return 48;
    case 4000:
      return 192;
  }
}

export function samplesPerPacket(rateHz: RateHz, packetTimeUs: PacketTimeUs): number {
  return samplesAtBaseRate(packetTimeUs) * (rateHz === 96_000 ? 2 : 1);
}

/** The true length of a packet in whole nanoseconds: 1 ms nominal is 48/44.1 ms at 44.1 kHz. */
export function packetTimeNs(rateHz: RateHz, packetTimeUs: PacketTimeUs): number {
  return Math.round((samplesPerPacket(rateHz, packetTimeUs) * 1e9) / rateHz);
}

/**
 * Snaps a packet time found in the wild to the sample count it means: senders round `ptime` (0.12, 0.125, 0.33; 0.14,
 * 1.09 and 4.35 at 44.1 kHz). Returns null when nothing is within 8 % of it.
 */
export function snapPacketTime(packetTimeMs: number, rateHz: RateHz): PacketTimeUs | null {
  let best: PacketTimeUs | null = null;
  let bestError = 0.08;
  for (const candidate of PACKET_TIMES_US) {
    const exactMs = (samplesPerPacket(rateHz, candidate) * 1000) / rateHz;
    const error = Math.abs(packetTimeMs - exactMs) / exactMs;
    if (error <= bestError) {
      best = candidate;
      bestError = error;
    }
  }
  return best;
}

type Keys = Readonly<Record<Encoding, Readonly<Record<RateHz, Readonly<Record<PacketTimeUs, string>>>>>>;
const KEYS = Object.fromEntries(
  ENCODINGS.map((encoding) => [
    encoding,
    Object.fromEntries(
      RATES_HZ.map((rateHz) => [
        rateHz,
        Object.fromEntries(PACKET_TIMES_US.map((us) => [us, `${encoding}/${rateHz}/${us}`])),
      ]),
    ),
  ]),
) as unknown as Keys;

/** A key that is equal for equal formats. It is asked for with every stream: all there are were made beforehand. */
export function formatKey({ encoding, rateHz, packetTimeUs }: StreamFormat): string {
  return KEYS[encoding][rateHz][packetTimeUs];
}
