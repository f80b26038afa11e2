import { linkOffsetTerms, transitOf } from '../core/delay/link-offset';
import { formatAddress } from '../core/network/address';
import { CABLE_NS_PER_METRE, waitBehindFrameNs } from '../core/network/link-cost';
import { flowOf } from '../core/network/stream-trees';
import type { Way } from '../core/network/topology';
import type { Command } from '../core/plan/commands';
import type { Lane } from '../core/reckon/lane';
import { pairOf } from '../core/reckon/pair';
import { provenFixes } from '../core/reckon/proven-fixes';
import { profileOfDevice } from '../core/reckon/reckon';
import type { Reckoning } from '../core/reckon/reckoning';
import { planRepack, type PlanRepack, type RepackOptions, type RepackState } from '../core/reckon/repack-plan';
import { streamSum, wireBytesOf } from '../core/streams/wire';
import type { Desk } from './desk';
import { packedStream } from './packed-view';
import type { LaneDetail, LegView } from './reckon-view';

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
  const stream = lane.reception?.stream ?? null;
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
  const { reception } = lane;
  const finding =
    reckoning.findings.find(
      (f) =>
        (f.about === 'lanes-refused' || f.about === 'lanes-caution') &&
        f.receiverDeviceId === deviceId &&
        f.channels.includes(channel),
    ) ?? null;
  const stream = reception && {
    id: reception.stream.id,
    streamNumber: reception.stream.streamNumber,
    receiverStreamNumber: reception.receiverStreamNumber,
    format: reception.stream.format,
    channels: reception.stream.channels,
    width: reception.stream.width,
    position: lane.verdict === 'refused' ? null : lane.position,
    packed: packedStream(reckoning, reception.stream),
    receiverDeviceIds: reception.stream.receiverDeviceIds,
    legCount: reception.stream.legs.length,
    sum: streamSum(reception.stream.width, reception.stream.format, reckoning.plan.settings.vlanTagged).terms,
  };
  return {
    verdict: lane.verdict,
    reason: lane.verdict === 'refused' ? lane.reason : null,
    caution: reception?.caution ?? null,
    stream,
    legs: legViews(reckoning, lane),
    shared: sharedBy(reckoning, lane),
    offset: reception && linkOffsetTerms(reception.stream.format, reception.offset),
    finding,
    fixes: finding === null ? [] : provenFixes(reckoning, finding),
  };
}

/** What the lanes and the search for better streams ask. */
export function laneQuestions({ shown, current }: Desk) {
  let search: { readonly of: Reckoning; readonly repack: PlanRepack } | null = null;
  /** A search is over once the plan has changed. */
  const repack = (): PlanRepack | null => (search?.of === current() ? search.repack : null);

  return {
    explain: (deviceId: string, channel: number) => explain(shown(), deviceId, channel),
    /** Begins a search for better streams, and forgets the one before. */
    startRepack(options: RepackOptions): RepackState {
      search = { of: current(), repack: planRepack(current(), options) };
      return search.repack.state();
    },
    /** Searches on for so many milliseconds. Null where none was begun, or the plan has changed since. */
    workOnRepack(ms: number): RepackState | null {
      const under = repack();
      if (under === null) return null;
      const end = performance.now() + ms;
      under.work(() => performance.now() > end);
      return under.state();
    },
    repackCommands: (): readonly Command[] => repack()?.commands() ?? [],
  };
}
