import {
  ETHERNET_HEADER_BYTES,
  FRAME_CHECK_BYTES,
  GAP_BYTES,
  IPV4_HEADER_BYTES,
  PREAMBLE_BYTES,
  RTP_HEADER_BYTES,
  UDP_HEADER_BYTES,
} from './wire';

/** An uncompressed ST 2110-20 picture, 4:2:2 at 10 bit: 5 octets for 2 pixels. The rate is an exact fraction. */
export interface Picture {
  readonly width: number;
  readonly height: number;
  readonly framesPerSecond: { readonly numerator: number; readonly denominator: number };
}

const GROUP_OCTETS = 5;
const GROUP_PIXELS = 2;
const SEGMENT_HEADER_BYTES = 6;
const EXTENDED_SEQUENCE_BYTES = 2;
/** ST 2110-10: the standard UDP datagram. */
const DATAGRAM_BYTES = 1460;
const BLOCK_PAYLOAD_BYTES = 1260;

const HEADERS = RTP_HEADER_BYTES + EXTENDED_SEQUENCE_BYTES + SEGMENT_HEADER_BYTES;
const OVERHEAD =
  HEADERS +
  UDP_HEADER_BYTES +
  IPV4_HEADER_BYTES +
  ETHERNET_HEADER_BYTES +
  FRAME_CHECK_BYTES +
  PREAMBLE_BYTES +
  GAP_BYTES;

const lineOctets = (p: Picture) => (p.width / GROUP_PIXELS) * GROUP_OCTETS;
const perSecond = (p: Picture, octetsPerFrame: number) =>
  (octetsPerFrame * 8 * p.framesPerSecond.numerator) / p.framesPerSecond.denominator;

/** Bits per second of the active picture alone. */
export function activeBitsPerSecond(picture: Picture): number {
  return perSecond(picture, lineOctets(picture) * picture.height);
}

/** General packing: a packet holds part of one line, whole pixel groups only. Bits per second on the wire. */
export function generalPackingBitsPerSecond(picture: Picture): number {
  const room = DATAGRAM_BYTES - UDP_HEADER_BYTES - HEADERS;
  const perPacket = room - (room % GROUP_OCTETS);
  const packets = Math.ceil(lineOctets(picture) / perPacket);
  return perSecond(picture, (lineOctets(picture) + packets * OVERHEAD) * picture.height);
}

/** Block packing: packets of 1260 octets that run on over line ends; one that crosses an end has a second segment header. */
export function blockPacking(picture: Picture): { packets: number; crossing: number; bitsPerSecond: number } {
  const line = lineOctets(picture);
  const packets = Math.ceil((line * picture.height) / BLOCK_PAYLOAD_BYTES);
  let crossing = 0;
  for (let row = 1; row < picture.height; row += 1) if ((row * line) % BLOCK_PAYLOAD_BYTES !== 0) crossing += 1;
  const octets = line * picture.height + packets * OVERHEAD + crossing * SEGMENT_HEADER_BYTES;
  return { packets, crossing, bitsPerSecond: perSecond(picture, octets) };
}
