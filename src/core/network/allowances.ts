import type { PlanOf } from '../plan/plan';
import type { PlanSettings } from '../plan/settings-table';
import {
  ETHERNET_HEADER_BYTES,
  FRAME_CHECK_BYTES,
  GAP_BYTES,
  IPV4_HEADER_BYTES,
  PREAMBLE_BYTES,
  UDP_HEADER_BYTES,
} from '../streams/wire';
import { addend, factor, result, type Term } from '../units/working';

/** What every link carries beside media, each way: clock messages, announcements of sessions, control. */

/** IEEE 1588 clause 13: octets of each message. */
const SYNC_BYTES = 44;
const ANNOUNCE_BYTES = 64;
const DELAY_REQUEST_BYTES = 44;
const DELAY_RESPONSE_BYTES = 54;
/** Messages per second by the AES67 media profile: log intervals -3, 1 and 0. */
const SYNCS_PER_SECOND = 8;
const ANNOUNCES_PER_SECOND = 0.5;
const DELAY_REQUESTS_PER_SECOND = 1;
/** RFC 2974 clause 3.1: all announcements of a scope together stay under 4 000 bit/s. */
export const SAP_BITS_PER_SECOND = 4000;

const OVERHEAD_BYTES =
  UDP_HEADER_BYTES + IPV4_HEADER_BYTES + ETHERNET_HEADER_BYTES + FRAME_CHECK_BYTES + PREAMBLE_BYTES + GAP_BYTES;
const wireBits = (messageBytes: number) => (messageBytes + OVERHEAD_BYTES) * 8;

/**
 * Clock messages on a link of a VLAN with so many followers: sync and follow-up, announce, and every follower's delay
 * request with its answer, all of them multicast and so on every port (IEEE 1588 annex D).
 */
export function ptpBitsPerSecond(followers: number): number {
  const steady = 2 * SYNCS_PER_SECOND * wireBits(SYNC_BYTES) + ANNOUNCES_PER_SECOND * wireBits(ANNOUNCE_BYTES);
  return (
    steady + followers * DELAY_REQUESTS_PER_SECOND * (wireBits(DELAY_REQUEST_BYTES) + wireBits(DELAY_RESPONSE_BYTES))
  );
}

export function ptpTerms(followers: number): Term[] {
  return [
    factor('syncAndFollowUp', 2 * SYNCS_PER_SECOND * wireBits(SYNC_BYTES), 'bit/s'),
    addend('announce', ANNOUNCES_PER_SECOND * wireBits(ANNOUNCE_BYTES), 'bit/s'),
    addend(
      'delayRequests',
      followers * DELAY_REQUESTS_PER_SECOND * (wireBits(DELAY_REQUEST_BYTES) + wireBits(DELAY_RESPONSE_BYTES)),
      'bit/s',
      String(followers),
    ),
    result('ptp', ptpBitsPerSecond(followers), 'bit/s'),
  ];
}

/** How many devices keep PTP time in each subnet: those with an address on a media leg. */
export function followersBySubnet(plan: PlanOf<'interfaces'>): Map<string, number> {
  const followers = new Map<string, number>();
  for (const owned of plan.interfaces.values()) {
    for (const i of owned.values()) {
      if (i.subnetId === null || i.address === null || (i.name !== 'A' && i.name !== 'B')) continue;
      followers.set(i.subnetId, (followers.get(i.subnetId) ?? 0) + 1);
    }
  }
  return followers;
}

export interface Allowance {
  readonly followers: number;
  readonly ptpBitsPerSecond: number;
  readonly sapBitsPerSecond: number;
  readonly controlBitsPerSecond: number;
  readonly bitsPerSecond: number;
}

export function allowanceFor(followers: number, settings: PlanSettings): Allowance {
  const ptp = ptpBitsPerSecond(followers);
  const control = settings.controlBitsPerSecond;
  return {
    followers,
    ptpBitsPerSecond: ptp,
    sapBitsPerSecond: SAP_BITS_PER_SECOND,
    controlBitsPerSecond: control,
    bitsPerSecond: ptp + SAP_BITS_PER_SECOND + control,
  };
}
