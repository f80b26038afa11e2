import type { Finding } from '../findings/finding';
import { streamSum } from '../streams/wire';
import type { Facts } from './facts';
import type { Totals } from './reckoning';
import { busiestLink } from './spread';

/** The plan in one line. */
export function totalsOf(facts: Facts, findings: readonly Finding[]): Totals {
  const { settings, devices, streamsBySender, lanesByReceiver, budgetByDevice, clockwork } = facts;
  let streams = 0;
  let sentBitsPerSecond = 0;
  const bitsByShape = new Map<string, number>();
  for (const list of streamsBySender.values()) {
    streams += list.length;
    for (const stream of list) {
      const shape = `${stream.formatKey}/${stream.width}`;
      let bits = bitsByShape.get(shape);
      if (bits === undefined) {
        bits = streamSum(stream.width, stream.format, settings.vlanTagged).bitsPerSecond;
        bitsByShape.set(shape, bits);
      }
      sentBitsPerSecond += bits * stream.legs.length;
    }
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
  let refusals = 0;
  let cautions = 0;
  for (const finding of findings) {
    if (finding.severity === 'refusal') refusals += 1;
    else if (finding.severity === 'caution') cautions += 1;
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
    refusals,
    cautions,
  };
}
