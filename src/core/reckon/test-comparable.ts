import type { Finding } from '../findings/finding';
import type { Floods } from '../network/delivery';
import type { Facts, Results } from './facts';
import type { Lane } from './lane';
import type { Pair } from './pair';
import type { Reckoning } from './reckoning';
import { RESULTS } from './results';

type Comparing = { readonly [N in keyof Results]: (made: Results[N]) => unknown };

/** Sums of fractions depend on the order in which they are added, in the last digit. */
const rounded = (values: Float64Array) => [...values].map((v) => Math.round(v));
const sorted = <T>(map: ReadonlyMap<string, T>) => [...map.entries()].sort(([a], [b]) => (a < b ? -1 : 1));
const UNCALLED = { name: '', notes: '', placeId: null, serial: null, nodeId: null, nodeDeviceId: null };
const asItIs = (value: unknown) => value;

/** How each result is compared, in an order that does not depend on how it was worked out. One that is missing here does not compile. */
const COMPARED: Comparing = {
  // What devices are called counts for neither.
  modelled: ({ devices, models }) => [sorted(devices).map(([id, { modelId }]) => [id, modelId]), models],
  gear: (devices) => sorted(devices).map(([id, device]) => [id, { ...device, ...UNCALLED }]),
  deviceIds: asItIs,
  topology: ({ links, network: { bridges, trunks } }) => ({ links, bridges, trunks }),
  // What devices reach, and what they can do, is in the pairs of them.
  reach: () => null,
  profiles: (profiles) => [...profiles.keys()].sort(),
  delivery: ({ querierBySubnet, floods }) => ({ querierBySubnet: sorted(querierBySubnet), floods: flooded(floods) }),
  loadFrame: (frame) => ({
    ...frame,
    querierBySubnet: sorted(frame.querierBySubnet),
    // Follows from the querier and the paths, which are there.
    wayToQuerier: null,
    floods: flooded(frame.floods),
  }),
  wishes: ({ byReceiver }) =>
    sorted(byReceiver).map(([id, { receiverChannels, senderChannels, runs }]) => [
      id,
      receiverChannels,
      senderChannels,
      runs.map(({ wish: _, ...run }) => run),
    ]),
  pairs: (pairs) => sorted(pairs).map(([id, own]) => [id, own.map(pairAsTold)]),
  packings: sorted,
  streamsBySender: sorted,
  groups: ({ byStream, without, isAnyOdd }) => [sorted(byStream), without, isAnyOdd],
  lanesByReceiver: (lanes) =>
    sorted(lanes).map(([id, own]) => [id, [...own].map(([channel, lane]) => [channel, bare(lane)])]),
  budgetByDevice: sorted,
  trees: sorted,
  loads: (loads) => ({
    ...loads,
    mediaBitsPerSecond: rounded(loads.mediaBitsPerSecond),
    querierBitsPerSecond: rounded(loads.querierBitsPerSecond),
    floodedBitsPerSecond: rounded(loads.floodedBitsPerSecond),
    treesBySender: sorted(loads.treesBySender),
  }),
  doLegsMeet: asItIs,
  pathFindings: (found) => [...found].sort((a, b) => (a.id < b.id ? -1 : 1)),
  // In the clocks that are kept within it.
  clockFrame: ({ planned }) => [...planned.keys()],
  timekeeping: ({ time, network, references }) => ({
    byDevice: sorted(time.byDevice),
    segments: sorted(time.segments),
    grandmasterIds: time.grandmasterIds,
    clocks: sorted(network.clocks),
    membersBySegment: sorted(network.membersBySegment),
    unreachable: network.unreachable,
    references: sorted(references),
  }),
  pace: sorted,
  clockwork: ({ media }) => sorted(media),
  slips: sorted,
  signalParts: (parts) =>
    sorted(parts).map(([id, { firstNode, feeders, lists, isPlanned }]) => [id, firstNode, feeders, lists, isPlanned]),
  slotEdges: asItIs,
  signal: ({ deviceIds, firstNode, feeders, lists, refused }) => [
    deviceIds,
    sorted(firstNode),
    feeders,
    lists,
    [...refused].sort(([a], [b]) => a - b),
  ],
  signalFlow: (flow) => ({
    ...flow,
    byDevice: sorted(flow.byDevice).map(([id, { isFed, isReceived, roots }]) => [id, isFed, isReceived, roots]),
  }),
};

const flooded = (floods: Floods | null) =>
  floods && { isFlooding: floods.isFlooding, toDevices: sorted(floods.toDevices) };

function pairAsTold(pair: Pair | null) {
  if (pair === null || !pair.fits) return pair;
  const { formatKey, channelsMax, legs, missingLeg, betweenSubnets, isWayKnown, mostLinks } = pair;
  return { formatKey, channelsMax, legs, missingLeg, betweenSubnets, isWayKnown, mostLinks };
}

/** A reckoning for tests to compare: every result, what was found, and the totals. */
export function comparable(r: Reckoning): object {
  const { facts } = r.workings as { facts: Facts };
  const results = (Object.keys(RESULTS) as (keyof Results)[]).map((name) => [
    name,
    COMPARED[name](facts[name] as never),
  ]);
  return {
    ...Object.fromEntries(results),
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

function roundedFinding(finding: Finding): Finding {
  return finding.about === 'overload' ? { ...finding, bitsPerSecond: Math.round(finding.bitsPerSecond) } : finding;
}

function bare(lane: Lane) {
  const { reception } = lane;
  return {
    ...lane,
    reception: reception && {
      stream: reception.stream,
      streamNumber: reception.receiverStreamNumber,
      legs: reception.legs,
      offset: reception.offset,
      caution: reception.caution,
    },
  };
}
