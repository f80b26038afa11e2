import { addend, factor, result, type Term } from '../units/working';
import { BYTES_PER_SAMPLE, samplesPerPacket, type Encoding, type StreamFormat } from './format';

/** AES67 clause 6.3: RTP payload of at most 1440 octets, so that a datagram never needs fragmenting. */
const MAX_PAYLOAD_BYTES = 1440;

export const RTP_HEADER_BYTES = 12;
export const UDP_HEADER_BYTES = 8;
export const IPV4_HEADER_BYTES = 20;
export const ETHERNET_HEADER_BYTES = 14;
export const FRAME_CHECK_BYTES = 4;
const VLAN_TAG_BYTES = 4;
export const PREAMBLE_BYTES = 8;
export const GAP_BYTES = 12;
/** IEEE 802.3 clause 3: a frame has at least 64 octets from destination address to frame check. */
const MIN_FRAME_BYTES = 64;

interface StreamSum {
  readonly samplesPerPacket: number;
  readonly payloadBytes: number;
  /** Frame with header and check, without preamble and gap. */
  readonly frameBytes: number;
  /** What the cable carries per packet: frame, preamble and gap. */
  readonly wireBytes: number;
  readonly packetsPerSecond: number;
  readonly bitsPerSecond: number;
  readonly terms: readonly Term[];
}

type StreamSumProblem =
  | { readonly reason: 'channels-not-positive'; readonly channels: number }
  | { readonly reason: 'channels-not-even'; readonly channels: number; readonly encoding: Encoding }
  | {
      readonly reason: 'payload-too-large';
      readonly payloadBytes: number;
      readonly limitBytes: number;
      readonly channelsMax: number;
    };

/** Most channels that fit one packet of this format: 10 of L24 at 1 ms and 48 kHz, 80 at 125 us. AM824 counts are even. */
export function maxChannelsInPacket(format: StreamFormat): number {
  const perChannel = samplesPerPacket(format.rateHz, format.packetTimeUs) * BYTES_PER_SAMPLE[format.encoding];
  const fits = Math.floor(MAX_PAYLOAD_BYTES / perChannel);
  return format.encoding === 'AM824' ? fits - (fits % 2) : fits;
}

/** Why this many channels cannot be sent in this format, or null when they can. */
export function streamSumProblem(channels: number, format: StreamFormat): StreamSumProblem | null {
  if (!Number.isInteger(channels) || channels < 1) return { reason: 'channels-not-positive', channels };
  if (format.encoding === 'AM824' && channels % 2 !== 0) {
    return { reason: 'channels-not-even', channels, encoding: format.encoding };
  }
  const payloadBytes =
    channels * samplesPerPacket(format.rateHz, format.packetTimeUs) * BYTES_PER_SAMPLE[format.encoding];
  if (payloadBytes > MAX_PAYLOAD_BYTES) {
    const channelsMax = maxChannelsInPacket(format);
    return { reason: 'payload-too-large', payloadBytes, limitBytes: MAX_PAYLOAD_BYTES, channelsMax };
  }
  return null;
}

/** What the cable carries per packet: payload, headers, check, tag, padding, preamble and gap. */
export function wireBytesOf(channels: number, format: StreamFormat, vlanTagged = false): number {
  const payload = channels * samplesPerPacket(format.rateHz, format.packetTimeUs) * BYTES_PER_SAMPLE[format.encoding];
  const headers = RTP_HEADER_BYTES + UDP_HEADER_BYTES + IPV4_HEADER_BYTES + ETHERNET_HEADER_BYTES + FRAME_CHECK_BYTES;
  const frame = payload + headers + (vlanTagged ? VLAN_TAG_BYTES : 0);
  return Math.max(MIN_FRAME_BYTES, frame) + PREAMBLE_BYTES + GAP_BYTES;
}

/**
 * Bits on the wire of one leg of a stream: payload + RTP + UDP + IPv4 + Ethernet + check (+ tag), padded to the smallest
 * frame, + preamble and gap, times packets per second. Packets per second are exact: every AES67 sample count divides
 * its rate into a finite decimal (44 100 / 48 = 918.75).
 */
export function streamSum(channels: number, format: StreamFormat, vlanTagged = false): StreamSum {
  const samples = samplesPerPacket(format.rateHz, format.packetTimeUs);
  const bytesPerSample = BYTES_PER_SAMPLE[format.encoding];
  const payloadBytes = channels * samples * bytesPerSample;
  const tagBytes = vlanTagged ? VLAN_TAG_BYTES : 0;
  const wireBytes = wireBytesOf(channels, format, vlanTagged);
  const frameBytes = wireBytes - PREAMBLE_BYTES - GAP_BYTES;
  const headerBytes =
    RTP_HEADER_BYTES + UDP_HEADER_BYTES + IPV4_HEADER_BYTES + ETHERNET_HEADER_BYTES + FRAME_CHECK_BYTES + tagBytes;
  const unpadded = payloadBytes + headerBytes;
  const packetsPerSecond = format.rateHz / samples;
  const bitsPerSecond = wireBytes * 8 * packetsPerSecond;
  const terms: Term[] = [
    factor('channels', channels, 'ch'),
    factor('samplesPerPacket', samples, 'sample'),
    factor('bytesPerSample', bytesPerSample, 'B/sample'),
    result('payload', payloadBytes, 'B'),
    addend('rtpHeader', RTP_HEADER_BYTES, 'B'),
    addend('udpHeader', UDP_HEADER_BYTES, 'B'),
    addend('ipv4Header', IPV4_HEADER_BYTES, 'B'),
    addend('ethernetHeaderAndCheck', ETHERNET_HEADER_BYTES + FRAME_CHECK_BYTES, 'B'),
    ...(vlanTagged ? [addend('vlanTag', VLAN_TAG_BYTES, 'B')] : []),
    ...(frameBytes > unpadded ? [addend('padding', frameBytes - unpadded, 'B')] : []),
    addend('preambleAndGap', PREAMBLE_BYTES + GAP_BYTES, 'B'),
    result('onTheWire', wireBytes, 'B'),
    factor('packetsPerSecond', packetsPerSecond, 'packet/s'),
    result('load', bitsPerSecond, 'bit/s'),
  ];
  return { samplesPerPacket: samples, payloadBytes, frameBytes, wireBytes, packetsPerSecond, bitsPerSecond, terms };
}
