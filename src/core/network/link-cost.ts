import type { Link } from './links-table';

/** One largest lower-class frame with preamble and gap, in octets: 12.3 us at 1 Gb/s. */
const LARGEST_FRAME_ON_WIRE_BYTES = 1538;
/** Propagation in cable. */
export const CABLE_NS_PER_METRE = 5;

/** Waiting behind one frame of a lower class that has just begun to leave by the same port. */
export function waitBehindFrameNs(bitsPerSecond: number, tagged = false): number {
  return ((LARGEST_FRAME_ON_WIRE_BYTES + (tagged ? 4 : 0)) * 8 * 1e9) / bitsPerSecond;
}

/** What a link costs any packet: one frame of a lower class, and the cable. */
export function linkCostNs(link: Link): number {
  return waitBehindFrameNs(link.bitsPerSecond) + link.metres * CABLE_NS_PER_METRE;
}

/** What a link costs each bit of a packet (store and forward). */
export const nsPerBitOf = (link: Link): number => 1e9 / link.bitsPerSecond;
