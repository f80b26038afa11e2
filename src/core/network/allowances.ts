import type { Clocks } from '../clocks/clocks';
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
/** RFC 2974 clause 3.1: all announcements of a scope together stay under 4 000 bit/s. */
const SAP_BITS_PER_SECOND = 4000;

const OVERHEAD_BYTES =
  UDP_HEADER_BYTES + IPV4_HEADER_BYTES + ETHERNET_HEADER_BYTES + FRAME_CHECK_BYTES + PREAMBLE_BYTES + GAP_BYTES;
const wireBits = (messageBytes: number) => (messageBytes + OVERHEAD_BYTES) * 8;

/** Clock messages of the leaders of one or several subnets, and of those who follow them: how many a second. */
export interface PtpMessages {
  readonly syncs: number;
  readonly announces: number;
  /** Of all followers together, each with its answer. */
  readonly delayRequests: number;
  readonly followers: number;
}
export const NO_PTP: PtpMessages = { syncs: 0, announces: 0, delayRequests: 0, followers: 0 };

export const sumOfPtp = (all: readonly PtpMessages[]): PtpMessages =>
  all.reduce(
    (sum, p) => ({
      syncs: sum.syncs + p.syncs,
      announces: sum.announces + p.announces,
      delayRequests: sum.delayRequests + p.delayRequests,
      followers: sum.followers + p.followers,
    }),
    NO_PTP,
  );

/**
 * By subnet, the clock messages on a link of it at most: sync with follow-up, announce, and delay requests with their
 * answers, at the intervals of the leader, which tells its followers theirs (IEEE 1588-2008 clause 11.3, 9.5.11.2). All of
 * them are multicast and so on every port of the segment (annex D); the busiest segment counts, in each domain. What is asked
 * across routers is not counted.
 */
export function ptpBySubnet({ time, network }: Pick<Clocks, 'time' | 'network'>): Map<string, PtpMessages> {
  const bySegment = new Map<string, { -readonly [K in keyof PtpMessages]: PtpMessages[K] }>();
  const perSecond = (logInterval: number) => 2 ** -logInterval;
  const sumOf = (domain: number, segment: string) => {
    const key = `${domain} ${segment}`;
    let sum = bySegment.get(key);
    if (sum === undefined) bySegment.set(key, (sum = { ...NO_PTP }));
    return sum;
  };
  const busiest = new Map<string, Map<number, PtpMessages>>();
  for (const { id: segment, subnetId, leaderIds } of time.segments.values()) {
    if (subnetId === null) continue;
    for (const id of leaderIds) {
      const settings = network.clocks.get(id)?.planned.settings;
      if (settings === undefined) continue;
      const sum = sumOf(settings.domainNumber, segment);
      sum.syncs += perSecond(settings.logSyncInterval);
      sum.announces += perSecond(settings.logAnnounceInterval);
    }
  }
  for (const { parentId, ports, domainNumber } of time.byDevice.values()) {
    const leader = network.clocks.get(parentId ?? '')?.planned.settings;
    if (leader === undefined) continue;
    for (const { state, segment, subnetId } of ports) {
      if (state !== 'follows' || subnetId === null) continue;
      const sum = sumOf(domainNumber, segment);
      sum.delayRequests += perSecond(leader.logDelayRequestInterval);
      sum.followers += 1;
    }
  }
  for (const { id: segment, subnetId, leaderIds } of time.segments.values()) {
    if (subnetId === null) continue;
    let byDomain = busiest.get(subnetId);
    if (byDomain === undefined) busiest.set(subnetId, (byDomain = new Map<number, PtpMessages>()));
    for (const domain of new Set(leaderIds.map((id) => network.clocks.get(id)?.clock.domainNumber))) {
      const sum = bySegment.get(`${domain} ${segment}`);
      if (domain === undefined || sum === undefined) continue;
      const known = byDomain.get(domain);
      if (known === undefined || ptpBitsPerSecond(sum) > ptpBitsPerSecond(known)) byDomain.set(domain, sum);
    }
  }
  return new Map(
    [...busiest].flatMap(([id, sums]) => (sums.size > 0 ? [[id, sumOfPtp([...sums.values()])] as const] : [])),
  );
}

export function ptpBitsPerSecond({ syncs, announces, delayRequests }: PtpMessages): number {
  return (
    2 * syncs * wireBits(SYNC_BYTES) +
    announces * wireBits(ANNOUNCE_BYTES) +
    delayRequests * (wireBits(DELAY_REQUEST_BYTES) + wireBits(DELAY_RESPONSE_BYTES))
  );
}

export function ptpTerms(ptp: PtpMessages): Term[] {
  const { syncs, announces, delayRequests, followers } = ptp;
  return [
    factor('syncAndFollowUp', 2 * syncs * wireBits(SYNC_BYTES), 'bit/s'),
    addend('announce', announces * wireBits(ANNOUNCE_BYTES), 'bit/s'),
    addend(
      'delayRequests',
      delayRequests * (wireBits(DELAY_REQUEST_BYTES) + wireBits(DELAY_RESPONSE_BYTES)),
      'bit/s',
      String(followers),
    ),
    result('ptp', ptpBitsPerSecond(ptp), 'bit/s'),
  ];
}

export interface Allowance {
  readonly ptp: PtpMessages;
  readonly ptpBitsPerSecond: number;
  readonly sapBitsPerSecond: number;
  readonly controlBitsPerSecond: number;
  readonly bitsPerSecond: number;
}

export function allowanceFor(messages: PtpMessages, settings: PlanSettings): Allowance {
  const ptp = ptpBitsPerSecond(messages);
  const control = settings.controlBitsPerSecond;
  return {
    ptp: messages,
    ptpBitsPerSecond: ptp,
    sapBitsPerSecond: SAP_BITS_PER_SECOND,
    controlBitsPerSecond: control,
    bitsPerSecond: ptp + SAP_BITS_PER_SECOND + control,
  };
}
