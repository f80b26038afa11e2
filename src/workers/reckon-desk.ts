import { linkOffsetTerms, transitOf } from '../core/delay/link-offset';
import { planOfFile } from '../core/formats/plan-file';
import { readPlanFile } from '../core/formats/read-plan-file';
import { sdpFiles } from '../core/formats/stream-sdp';
import { formatAddress } from '../core/network/address';
import { CABLE_NS_PER_METRE, waitBehindFrameNs } from '../core/network/link-cost';
import type { Way } from '../core/network/topology';
import { flowOf } from '../core/network/stream-trees';
import { applyChanges } from '../core/plan/changes';
import { applyCommands } from '../core/plan/apply-commands';
import { mergePlan } from '../core/edits/merge-plan';
import type { Plan } from '../core/plan/plan';
import { pairOf } from '../core/reckon/pair';
import { profileOfDevice, reckon } from '../core/reckon/reckon';
import { planRepack, type PlanRepack } from '../core/reckon/repack-plan';
import { budgetOfFinding, spendersOf } from '../core/reckon/spenders';
import { provenFixes } from '../core/reckon/proven-fixes';
import type { Lane } from '../core/reckon/lane';
import type { Reckoning } from '../core/reckon/reckoning';
import { streamSum, wireBytesOf } from '../core/streams/wire';
import { interruptedLanes, interruptionsOf, type Interruption } from '../core/reckon/interrupts';
import { overlapOf } from '../core/reckon/overlap';
import { proposeClocks } from '../core/clocks/propose';
import { clockViewOf, lossView, whyView } from './clock-view';
import { packedStream } from './packed-view';
import { coherenceView, followed, patchView, soundsOf } from './patch-view';
import { linkDetail, networkView, streamViews } from './network-view';
import type { LaneDetail, LaneView, LegView, ReckoningDelta, ReckonWorker } from './reckon-view';

function laneView(lane: Lane, isMoved: boolean): LaneView {
  const { senderDeviceId, senderChannel } = lane.subscription;
  const isRefused = lane.verdict === 'refused';
  return {
    verdict: lane.verdict,
    senderDeviceId,
    senderChannel,
    streamId: lane.hearing?.stream.id ?? null,
    position: isRefused ? null : lane.position,
    width: lane.hearing?.stream.width ?? null,
    offsetNs: lane.hearing?.offset.offsetNs ?? null,
    reason: isRefused ? lane.reason : null,
    caution: isRefused ? null : lane.hearing.caution,
    isMoved,
  };
}

const NOTHING_MOVED: readonly Interruption[] = [];

/**
 * What differs between two reckonings, told by identity: what came out the same is the same object.
 * @param moved of a preview: lanes that would not go on as they are
 */
function deltaBetween(
  before: Reckoning | null,
  after: Reckoning,
  startedAt: number,
  moved: readonly Interruption[] = NOTHING_MOVED,
): ReckoningDelta {
  const movedOf = new Map<string, Set<number>>();
  for (const { deviceId, channels } of moved) {
    const known = movedOf.get(deviceId) ?? new Set();
    movedOf.set(deviceId, known);
    for (const channel of channels) known.add(channel);
  }
  const lanes = new Map<string, ReadonlyMap<number, LaneView> | null>();
  for (const [id, list] of after.lanesByReceiver) {
    const own = movedOf.get(id);
    if (before?.lanesByReceiver.get(id) === list && own === undefined) continue;
    lanes.set(id, new Map([...list].map(([channel, lane]) => [channel, laneView(lane, own?.has(channel) === true)])));
  }
  for (const id of before?.lanesByReceiver.keys() ?? []) if (!after.lanesByReceiver.has(id)) lanes.set(id, null);
  const budgets = new Map<string, ReturnType<typeof after.budgetByDevice.get> | null>();
  for (const [id, budget] of after.budgetByDevice)
    if (before?.budgetByDevice.get(id) !== budget) budgets.set(id, budget);
  for (const id of before?.budgetByDevice.keys() ?? []) if (!after.budgetByDevice.has(id)) budgets.set(id, null);
  return {
    network: before?.loads === after.loads && before.loadFrame === after.loadFrame ? null : networkView(after),
    clocks: before?.clocks === after.clocks ? null : clockViewOf(after),
    lanes,
    budgets: budgets as ReckoningDelta['budgets'],
    findings: after.findings,
    totals: after.totals,
    workedOutInMs: performance.now() - startedAt,
  };
}

/** Both ends of a lane and how they are joined; null where there is no such pair. */
function pairOfLane(reckoning: Reckoning, lane: Lane) {
  const { senderDeviceId, receiverDeviceId } = lane.subscription;
  const sender = profileOfDevice(reckoning, senderDeviceId);
  const receiver = profileOfDevice(reckoning, receiverDeviceId);
  if (sender === null || receiver === null) return null;
  const pair = pairOf(sender, receiver);
  return pair.fits ? { pair, sender, receiver } : null;
}

function sharedBy(reckoning: Reckoning, lane: Lane): LaneDetail['shared'] {
  const found = pairOfLane(reckoning, lane);
  if (found?.pair.wayA == null || found.pair.wayB === null) return null;
  const a = found.pair.wayA.hops();
  const b = found.pair.wayB.hops();
  return {
    switchIds: a.switchIds.filter((id) => b.switchIds.includes(id)),
    linkIds: a.links.filter((l) => b.links.includes(l)).map((l) => l.id),
  };
}

function legViews(reckoning: Reckoning, lane: Lane): LegView[] {
  const { plan } = reckoning;
  const stream = lane.hearing?.stream ?? null;
  const found = pairOfLane(reckoning, lane);
  if (found === null || stream === null) return [];
  const { pair, sender, receiver } = found;
  const wireBytes = wireBytesOf(stream.width, stream.format, plan.settings.vlanTagged);
  return pair.legs.map((leg) => {
    const from = sender.legs[leg];
    const to = receiver.legs[leg];
    const way = leg === 'A' ? pair.wayA : pair.wayB;
    const group = reckoning.groupsByStream.get(stream.id)?.[leg] ?? null;
    const subnetName = (state: typeof from) => (state.ok ? (plan.subnets.get(state.at.subnetId)?.name ?? '') : '');
    return {
      leg,
      group: group === null ? null : formatAddress(group),
      fromSubnet: subnetName(from),
      toSubnet: subnetName(to),
      isRouted: from.ok && to.ok && from.at.subnetId !== to.at.subnetId,
      hops: way === null ? null : hopsOf(reckoning, way, wireBytes, flowOf(stream.id, leg)),
    };
  });
}

/** Hop by hop; the times add up to the way's transit. */
function hopsOf(reckoning: Reckoning, way: Way, wireBytes: number, flow: number) {
  const { plan, loads } = reckoning;
  const { links, switchIds, directed, isRouted } = way.hops(flow);
  const hops = links.map((link, n) => {
    const switchId = switchIds[n];
    const device = switchId === undefined ? undefined : plan.devices.get(switchId);
    const forwarding = (device && plan.models.get(device.modelId)?.switching?.forwardingNs) ?? 0;
    const wire = (wireBytes * 8 * 1e9) / link.bitsPerSecond;
    const ns = wire + waitBehindFrameNs(link.bitsPerSecond) + link.metres * CABLE_NS_PER_METRE + forwarding;
    const others = Math.max(0, (loads.packetBits[directed[n] as number] as number) - wireBytes * 8);
    return {
      switchName: device?.name ?? null,
      linkBitsPerSecond: link.bitsPerSecond,
      metres: link.metres,
      ns,
      queueNs: (others * 1e9) / link.bitsPerSecond,
      isRouter: isRouted[n] === true,
    };
  });
  const sum = hops.reduce((total, h) => total + h.ns, 0);
  if (Math.abs(sum - transitOf(way, wireBytes)) > 1) throw new Error('the hops do not add up to the transit');
  return hops;
}

function explain(reckoning: Reckoning, deviceId: string, channel: number): LaneDetail | null {
  const lane = reckoning.lanesByReceiver.get(deviceId)?.get(channel);
  if (lane === undefined) return null;
  const { hearing } = lane;
  const finding =
    reckoning.findings.find(
      (f) =>
        (f.about === 'lanes-refused' || f.about === 'lanes-caution') &&
        f.receiverDeviceId === deviceId &&
        f.channels.includes(channel),
    ) ?? null;
  const stream = hearing && {
    id: hearing.stream.id,
    streamNumber: hearing.stream.streamNumber,
    receiverStreamNumber: hearing.receiverStreamNumber,
    format: hearing.stream.format,
    channels: hearing.stream.channels,
    width: hearing.stream.width,
    position: lane.verdict === 'refused' ? null : lane.position,
    packed: packedStream(reckoning, hearing.stream),
    receiverDeviceIds: hearing.stream.receiverDeviceIds,
    legCount: hearing.stream.legs.length,
    sum: streamSum(hearing.stream.width, hearing.stream.format, reckoning.plan.settings.vlanTagged).terms,
  };
  return {
    verdict: lane.verdict,
    reason: lane.verdict === 'refused' ? lane.reason : null,
    caution: hearing?.caution ?? null,
    stream,
    legs: legViews(reckoning, lane),
    shared: sharedBy(reckoning, lane),
    offset: hearing && linkOffsetTerms(hearing.stream.format, hearing.offset),
    finding,
    fixes: finding === null ? [] : provenFixes(reckoning, finding),
  };
}

/** A thin shell around the core: holds a plan and its reckoning, and tells the page what changed. */
export function reckonDesk(): ReckonWorker {
  let current: Reckoning | null = null;
  let previewed: Reckoning | null = null;
  let repack: PlanRepack | null = null;
  let other: Plan | null = null;

  function move(plan: Plan): ReckoningDelta {
    const startedAt = performance.now();
    const before = current;
    current = reckon(plan, before ?? undefined);
    previewed = null;
    repack = null;
    return deltaBetween(before, current, startedAt);
  }

  return {
    load(file) {
      current = null;
      return move(planOfFile(file));
    },
    advance(changes) {
      if (current === null) throw new Error('no plan was loaded');
      return move(applyChanges(current.plan, changes));
    },
    preview(commands) {
      if (current === null) throw new Error('no plan was loaded');
      const startedAt = performance.now();
      const applied = applyCommands(current.plan, commands);
      if (!applied.ok) return { ok: false, problem: applied.problem };
      const before = current;
      previewed = reckon(applied.plan, before);
      const streams = (r: Reckoning) => new Map([...r.streamsBySender.values()].flat().map((s) => [s.id, s]));
      const was = streams(before);
      const is = streams(previewed);
      const interruptions = interruptionsOf(interruptedLanes(before, previewed));
      const newStreamIds = [...is.keys()].filter((id) => !was.has(id));
      const touched = applied.changes.flatMap((c) => (c.table === 'subscriptions' && c.after ? [c.after] : []));
      const refusedChannels = touched.filter(
        (s) => previewed?.lanesByReceiver.get(s.receiverDeviceId)?.get(s.receiverChannel)?.verdict === 'refused',
      ).length;
      const delta = deltaBetween(before, previewed, startedAt, interruptions);
      const overlap = overlapOf(before, previewed);
      return {
        ok: true,
        result: {
          changes: applied.changes,
          delta,
          interruptions,
          newStreamIds,
          refusedChannels,
          overlap,
        },
      };
    },
    endPreview() {
      previewed = null;
    },
    explain(deviceId, channel) {
      const reckoning = previewed ?? current;
      return reckoning === null ? null : explain(reckoning, deviceId, channel);
    },
    spenders(finding) {
      const reckoning = previewed ?? current;
      const budget = budgetOfFinding(finding);
      return reckoning === null || budget === null ? [] : spendersOf(reckoning, budget.deviceId, budget.reason);
    },
    linkDetail(linkId) {
      const reckoning = previewed ?? current;
      return reckoning === null ? null : linkDetail(reckoning, linkId);
    },
    patch(deviceId) {
      const reckoning = previewed ?? current;
      return reckoning === null ? null : patchView(reckoning, deviceId);
    },
    coherence() {
      const reckoning = previewed ?? current;
      return reckoning === null ? [] : coherenceView(reckoning);
    },
    follow(start, way) {
      const reckoning = previewed ?? current;
      return reckoning === null ? null : followed(reckoning, start, way);
    },
    streams() {
      const reckoning = previewed ?? current;
      return reckoning === null ? [] : streamViews(reckoning);
    },
    sounds() {
      const reckoning = previewed ?? current;
      return reckoning === null ? [] : soundsOf(reckoning);
    },
    sdpFiles() {
      const reckoning = previewed ?? current;
      return reckoning === null ? [] : sdpFiles(reckoning, Date.now());
    },
    clockLoss(loss) {
      const reckoning = previewed ?? current;
      return reckoning === null ? null : lossView(reckoning, loss);
    },
    clockWhy(deviceId) {
      const reckoning = previewed ?? current;
      return reckoning === null ? null : whyView(reckoning, deviceId);
    },
    proposeClocks() {
      return current === null ? null : proposeClocks(current.plan, current.topology);
    },
    startRepack(options) {
      repack = current === null ? null : planRepack(current, options);
      return repack?.state() ?? null;
    },
    workOnRepack(ms) {
      if (repack === null) return null;
      const end = performance.now() + ms;
      repack.work(() => performance.now() > end);
      return repack.state();
    },
    repackCommands() {
      return repack?.commands() ?? [];
    },
    readOther(content) {
      const read = readPlanFile(content);
      other = read.ok ? read.plan : null;
      return read.ok ? [] : read.problems;
    },
    mergeOther(takeDiffering) {
      if (current === null || other === null) return null;
      return mergePlan(current.plan, other, new Set(takeDiffering));
    },
    fixesFor(finding) {
      return current === null ? [] : provenFixes(current, finding);
    },
  };
}
