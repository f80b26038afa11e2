import type { Finding } from '../findings/finding';
import type { PlanOf } from '../plan/plan';
import type { Stream } from '../streams/pack';
import { streamSum } from '../streams/wire';
import type { DeviceBudget, Lane, Totals } from './reckoning';

/** The plan in one line. */
export function totalsOf(
  plan: PlanOf<'settings' | 'devices'>,
  streamsBySender: ReadonlyMap<string, readonly Stream[]>,
  lanesByReceiver: ReadonlyMap<string, ReadonlyMap<number, Lane>>,
  budgetByDevice: ReadonlyMap<string, DeviceBudget>,
  findings: readonly Finding[],
): Omit<Totals, 'busiest' | 'grandmasterId' | 'grandmasters'> {
  let streams = 0;
  let sentBitsPerSecond = 0;
  const bitsByShape = new Map<string, number>();
  for (const list of streamsBySender.values()) {
    streams += list.length;
    for (const stream of list) {
      const shape = `${stream.formatKey}/${stream.width}`;
      let bits = bitsByShape.get(shape);
      if (bits === undefined) {
        bits = streamSum(stream.width, stream.format, plan.settings.vlanTagged).bitsPerSecond;
        bitsByShape.set(shape, bits);
      }
      sentBitsPerSecond += bits * stream.legs.length;
    }
  }
  let refusedLanes = 0;
  let longestOffsetNs = 0;
  for (const lanes of lanesByReceiver.values()) {
    const own = laneTotals(lanes);
    refusedLanes += own.refused;
    longestOffsetNs = Math.max(longestOffsetNs, own.longestOffsetNs);
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
    devices: plan.devices.size,
    streams,
    channels: { used, limit },
    sentBitsPerSecond,
    longestOffsetNs,
    refusedLanes,
    refusals,
    cautions,
  };
}

interface LaneTotals {
  readonly refused: number;
  readonly longestOffsetNs: number;
}
/** Lanes that came out the same are the same object: their sums are kept for as long as they are. */
const totalsOfLanes = new WeakMap<ReadonlyMap<number, Lane>, LaneTotals>();

function laneTotals(lanes: ReadonlyMap<number, Lane>): LaneTotals {
  const known = totalsOfLanes.get(lanes);
  if (known !== undefined) return known;
  let refused = 0;
  let longestOffsetNs = 0;
  for (const lane of lanes.values()) {
    if (lane.verdict === 'refused') refused += 1;
    else if (lane.hearing.offset.offsetNs > longestOffsetNs) longestOffsetNs = lane.hearing.offset.offsetNs;
  }
  const totals = { refused, longestOffsetNs };
  totalsOfLanes.set(lanes, totals);
  return totals;
}
