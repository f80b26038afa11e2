import type { Finding } from '../findings/finding';
import type { Lane } from './lane';
import type { Reckoning } from './reckoning';

/** A reckoning for tests to compare: every part of it, in an order that does not depend on how it was come by. */
export function comparable(r: Reckoning) {
  const { topology, loads, clocks } = r;
  return {
    streams: sorted(r.streamsBySender),
    groups: sorted(r.groupsByStream),
    lanes: sorted(r.lanesByReceiver).map(([id, lanes]) => [
      id,
      [...lanes].map(([channel, lane]) => [channel, bare(lane)]),
    ]),
    budgets: sorted(r.budgetByDevice),
    links: topology.links,
    bridges: topology.network.bridges,
    trunks: topology.network.trunks,
    loadFrame: {
      ...r.loadFrame,
      querierBySubnet: sorted(r.loadFrame.querierBySubnet),
      // Follows from the querier and the paths, which are there.
      wayToQuerier: null,
      floods: r.loadFrame.floods && {
        isFlooding: r.loadFrame.floods.isFlooding,
        toDevices: sorted(r.loadFrame.floods.toDevices),
      },
    },
    loads: {
      ...loads,
      // Sums of fractions depend on the order in which they are added, in the last digit.
      mediaBitsPerSecond: rounded(loads.mediaBitsPerSecond),
      querierBitsPerSecond: rounded(loads.querierBitsPerSecond),
      floodedBitsPerSecond: rounded(loads.floodedBitsPerSecond),
      treesBySender: sorted(loads.treesBySender),
    },
    clocks: {
      time: {
        byDevice: sorted(clocks.time.byDevice),
        segments: sorted(clocks.time.segments),
        grandmasterIds: clocks.time.grandmasterIds,
      },
      network: {
        clocks: sorted(clocks.network.clocks),
        membersBySegment: sorted(clocks.network.membersBySegment),
        unreachable: clocks.network.unreachable,
      },
      media: sorted(clocks.media),
      references: sorted(clocks.references),
    },
    signal: {
      deviceIds: r.signal.deviceIds,
      firstNode: sorted(r.signal.firstNode),
      feeders: r.signal.feeders,
      lists: r.signal.lists,
      flow: {
        ...r.signalFlow,
        byDevice: sorted(r.signalFlow.byDevice).map(([id, { isFed, isHeard, roots }]) => [id, isFed, isHeard, roots]),
      },
    },
    findings: [...r.findings].sort((a, b) => (a.id < b.id ? -1 : 1)).map(roundedFinding),
    totals: {
      ...r.totals,
      sentBitsPerSecond: Math.round(r.totals.sentBitsPerSecond),
      busiest: r.totals.busiest && { ...r.totals.busiest, ...ROUND(r.totals.busiest) },
    },
  };
}

const ROUND = (busiest: { bitsPerSecond: number; share: number }) => ({
  bitsPerSecond: Math.round(busiest.bitsPerSecond),
  share: Number(busiest.share.toPrecision(9)),
});

const rounded = (values: Float64Array) => [...values].map((v) => Math.round(v));
const sorted = <T>(map: ReadonlyMap<string, T>) => [...map.entries()].sort(([a], [b]) => (a < b ? -1 : 1));

function roundedFinding(finding: Finding): Finding {
  return finding.about === 'overload' ? { ...finding, bitsPerSecond: Math.round(finding.bitsPerSecond) } : finding;
}

function bare(lane: Lane) {
  const { hearing } = lane;
  return {
    ...lane,
    hearing: hearing && {
      stream: hearing.stream,
      streamNumber: hearing.receiverStreamNumber,
      legs: hearing.legs,
      offset: hearing.offset,
      caution: hearing.caution,
    },
  };
}
