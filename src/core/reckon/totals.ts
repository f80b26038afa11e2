import { countWrong, type Finding } from '../findings/finding';
import { samplesPerPacket } from '../streams/format';
import type { Stream } from '../streams/stream';
import { wireBytesOf } from '../streams/wire';
import type { Facts } from './facts';
import type { Totals } from './reckoning';
import { busiestLink } from './spread';
import { onceWith } from '../plan/once-for';

/** The plan in one line. */
export function totalsOf(facts: Facts, findings: readonly Finding[]): Totals {
  const { settings, devices, streamsBySender, lanesByReceiver, budgetByDevice, clockwork } = facts;
  let streams = 0;
  let sentBitsPerSecond = 0;
  for (const list of streamsBySender.values()) {
    streams += list.length;
    sentBitsPerSecond += sentBy(list, settings.vlanTagged);
  }
  let refusedLanes = 0;
  let longestOffsetNs = 0;
  for (const lanes of lanesByReceiver.values()) {
    refusedLanes += lanes.refused;
    longestOffsetNs = Math.max(longestOffsetNs, lanes.longestOffsetNs);
  }
  let used = 0;
  let limit = 0;
  for (const budget of budgetByDevice.values()) {
    used += budget.channelsReceive.used;
    limit += budget.channelsReceive.limit;
  }
  return {
    devices: devices.size,
    streams,
    channels: { used, limit },
    sentBitsPerSecond,
    longestOffsetNs,
    busiest: busiestLink(facts.topology, facts.loadFrame, facts.loads),
    grandmasterId: clockwork.time.grandmasterIds[0] ?? null,
    grandmasters: clockwork.time.grandmasterIds.length,
    refusedLanes,
    ...countWrong(findings),
  };
}

/** Bits that one sender puts on the wire, both legs. */
const sentBy = onceWith((streams: readonly Stream[], vlanTagged: boolean): number => {
  let bitsPerSecond = 0;
  for (const { width, format, legs } of streams) {
    const packetsPerSecond = format.rateHz / samplesPerPacket(format.rateHz, format.packetTimeUs);
    bitsPerSecond += wireBytesOf(width, format, vlanTagged) * 8 * packetsPerSecond * legs.length;
  }
  return bitsPerSecond;
});
