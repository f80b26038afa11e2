import { allowanceFor, NO_PTP } from '../core/network/allowances';
import { formatAddress } from '../core/network/address';
import { switchesInUse } from '../core/network/delivery';
import { endsOf, shareOf, totalBitsPerSecond } from '../core/network/loads';
import { flowOf, type StreamTree } from '../core/network/stream-trees';
import { waitBehindFrameNs } from '../core/network/link-cost';
import { subnetOfStep } from '../core/network/paths';
import type { Topology } from '../core/network/topology';
import { packedStream } from './packed-view';
import type { Trunk } from '../core/network/trunks';
import { profileOfDevice } from '../core/reckon/reckon';
import type { Reckoning } from '../core/reckon/reckoning';
import { streamSum } from '../core/streams/wire';
import { addend, result } from '../core/units/working';
import type { DirectionDetail, LinkDetail, NetworkView, StreamOnLink, StreamView } from './reckon-view';
import { onceWith } from '../core/plan/once-for';

/** What the page is told of cables, loads and streams. */

export function networkView(reckoning: Reckoning): NetworkView {
  const { topology, loads, loadFrame } = reckoning;
  const size = topology.links.length * 2;
  const bitsPerSecond = new Float64Array(size);
  const streams = new Int32Array(size);
  for (let d = 0; d < size; d += 1) bitsPerSecond[d] = totalBitsPerSecond(loads, loadFrame, d);
  for (const trees of loads.treesBySender.values()) {
    for (const { directed, towardsQuerier, flooded } of trees) {
      for (const d of [...directed, ...towardsQuerier, ...flooded]) streams[d] = (streams[d] as number) + 1;
    }
  }
  return {
    linkIds: topology.links.map((l) => l.id),
    bitsPerSecond,
    streams,
    usableBitsPerSecond: loadFrame.usableBitsPerSecond,
    idleLinkIds: idleLinks(reckoning.topology, reckoning.plan),
    groupsAtSwitch: new Map(
      topology.network.bridges.map(({ deviceId }, n) => [deviceId, loads.groupsAtSwitch[n] as number]),
    ),
  };
}

/** Cables between switches on which no tree runs of any VLAN that has devices thereabouts. */
const idleLinks = onceWith((topology: Topology, plan: Reckoning['plan']): ReadonlySet<string> => {
  const { network } = topology;
  const idle = new Set(network.trunks);
  for (const [subnetId, switches] of switchesInUse(plan, topology)) {
    const { root, idle: left } = network.treeOf(subnetId);
    const roots = new Set([...switches].map((s) => root[s]));
    for (const trunk of network.trunks) {
      const passes = trunk.carries === null || trunk.carries.has(subnetId);
      if (passes && roots.has(root[trunk.a]) && !left.includes(trunk)) idle.delete(trunk);
    }
  }
  const ids = new Set([...idle].flatMap((t: Trunk) => t.links.map((l) => l.id)));
  // Without a single device nothing is idle: the drawing has only begun.
  return idle.size === network.trunks.length ? new Set<string>() : ids;
});

export function linkDetail(reckoning: Reckoning, linkId: string): LinkDetail | null {
  const { plan, topology } = reckoning;
  const index = topology.indexOfLink.get(linkId);
  const link = plan.links.get(linkId);
  if (index === undefined || link === undefined) return null;
  const trunk = topology.network.trunks.find((t) => t.links.some((l) => l.id === linkId));
  return {
    linkId,
    directions: [direction(reckoning, 2 * index), direction(reckoning, 2 * index + 1)],
    joinedLinkIds: trunk?.links.map((l) => l.id) ?? [linkId],
    isIdle: idleLinks(reckoning.topology, reckoning.plan).has(linkId),
  };
}

function direction(reckoning: Reckoning, directed: number): DirectionDetail {
  const { plan, topology, loads, loadFrame } = reckoning;
  const { link, sends, hears } = endsOf(topology.links, directed);
  const usableBitsPerSecond = loadFrame.usableBitsPerSecond[directed >> 1] as number;
  const bitsPerSecond = totalBitsPerSecond(loads, loadFrame, directed);
  const allowance = loadFrame.allowances[directed >> 1] ?? allowanceFor(NO_PTP, plan.settings);
  const media = loads.mediaBitsPerSecond[directed] as number;
  const querier = loads.querierBitsPerSecond[directed] as number;
  const flooded = loads.floodedBitsPerSecond[directed] as number;
  const streams = streamsOnLink(reckoning, directed);
  return {
    sendsId: sends.deviceId,
    hearsId: hears.deviceId,
    bitsPerSecond,
    usableBitsPerSecond,
    share: shareOf(bitsPerSecond, usableBitsPerSecond),
    ptp: allowance.ptp,
    queueNs: ((loads.packetBits[directed] as number) * 1e9) / link.bitsPerSecond,
    frameNs: waitBehindFrameNs(link.bitsPerSecond, plan.settings.vlanTagged),
    terms: [
      addend('mediaLoad', media, 'bit/s'),
      ...(querier > 0 ? [addend('querierLoad', querier, 'bit/s')] : []),
      ...(flooded > 0 ? [addend('floodedLoad', flooded, 'bit/s')] : []),
      addend('clockMessages', allowance.ptpBitsPerSecond, 'bit/s'),
      addend('sap', allowance.sapBitsPerSecond, 'bit/s'),
      addend('control', allowance.controlBitsPerSecond, 'bit/s'),
      result('linkLoad', bitsPerSecond, 'bit/s'),
      result('usable', usableBitsPerSecond, 'bit/s'),
    ],
    streams,
  };
}

function streamsOnLink(reckoning: Reckoning, directed: number): StreamOnLink[] {
  const found: StreamOnLink[] = [];
  for (const trees of reckoning.loads.treesBySender.values()) {
    for (const tree of trees) {
      const copies = tree.directed.filter((d) => d === directed).length;
      const extra = tree.towardsQuerier.filter((d) => d === directed).length;
      const flooded = tree.flooded.filter((d) => d === directed).length;
      if (copies + extra + flooded === 0) continue;
      const group = reckoning.groupsByStream.get(tree.stream.id)?.[tree.leg] ?? null;
      const over =
        copies > 0 ? receiversOver(reckoning, tree, directed) : { receiverIds: [], subnetIds: new Set<string>() };
      if (copies === 0) over.subnetIds = querierSubnets(reckoning, tree);
      found.push({
        vlans: [...over.subnetIds].map((subnetId) => ({ subnetId, rootId: rootOf(reckoning, subnetId, directed) })),
        streamId: tree.stream.id,
        leg: tree.leg,
        group: group === null ? null : formatAddress(group),
        bitsPerSecond: tree.bitsPerSecond,
        copies: copies + extra + flooded,
        receiverIds: over.receiverIds,
        runsFor: copies > 0 ? 'receivers' : extra > 0 ? 'querier' : 'flood',
      });
    }
  }
  return found.sort(
    (a, b) => b.bitsPerSecond * b.copies - a.bitsPerSecond * a.copies || (a.streamId < b.streamId ? -1 : 1),
  );
}

/** The receivers whose way runs over a direction of a link, and the subnets in which it does. */
function receiversOver(
  reckoning: Reckoning,
  { stream, leg }: StreamTree,
  directed: number,
): { receiverIds: string[]; subnetIds: Set<string> } {
  const { topology } = reckoning;
  const from = endOfDevice(reckoning, stream.senderDeviceId, leg);
  const receiverIds: string[] = [];
  const subnetIds = new Set<string>();
  if (from === null) return { receiverIds, subnetIds };
  const kind = stream.unicastTo === null ? 'multicast' : 'unicast';
  for (const id of stream.receiverDeviceIds) {
    const to = endOfDevice(reckoning, id, leg);
    const way = to && topology.wayBetween(from, to, kind);
    if (!to || !way) continue;
    const { directed: steps } = way.hops(flowOf(stream.id, leg));
    const at = steps.indexOf(directed);
    if (at < 0) continue;
    receiverIds.push(id);
    const path = from.stand < 0 || to.stand < 0 ? null : topology.pathBetween(from.stand, to.stand, kind);
    steps.forEach((step, n) => {
      if (step !== directed) return;
      // The first and the last cable are those of the two devices.
      const subnetId =
        n === 0
          ? from.subnetId
          : n === steps.length - 1
            ? to.subnetId
            : path && subnetOfStep(path, n - 1, from.subnetId);
      if (subnetId !== null) subnetIds.add(subnetId);
    });
  }
  return { receiverIds, subnetIds };
}

function endOfDevice(reckoning: Reckoning, deviceId: string, leg: 'A' | 'B') {
  const profile = profileOfDevice(reckoning, deviceId);
  return profile && profile.ends[leg];
}

function querierSubnets(reckoning: Reckoning, { stream, leg }: StreamTree): Set<string> {
  const from = endOfDevice(reckoning, stream.senderDeviceId, leg);
  return new Set(from === null ? [] : [from.subnetId]);
}

/** The root of the tree by which a VLAN's packets leave over a link. */
function rootOf({ topology }: Reckoning, subnetId: string, directed: number): string {
  const { network } = topology;
  const { sends, hears } = endsOf(topology.links, directed);
  const at = network.indexOfSwitch.get(sends.deviceId) ?? network.indexOfSwitch.get(hears.deviceId);
  const root = at === undefined ? undefined : network.treeOf(subnetId).root[at];
  return root === undefined ? '' : (network.bridges[root]?.deviceId ?? '');
}

export function streamViews(reckoning: Reckoning): StreamView[] {
  const { plan, streamsBySender, groupsByStream, loads } = reckoning;
  const text = (group: number | null | undefined) => (group == null ? null : formatAddress(group));
  const linksByStream = new Map<string, number>();
  for (const trees of loads.treesBySender.values()) {
    for (const { stream, directed } of trees) {
      linksByStream.set(stream.id, (linksByStream.get(stream.id) ?? 0) + directed.length);
    }
  }
  return [...streamsBySender.values()].flat().map((stream) => {
    const sum = streamSum(stream.width, stream.format, plan.settings.vlanTagged);
    const groups = groupsByStream.get(stream.id);
    const choice = plan.groupChoices.get(stream.senderDeviceId)?.get(stream.streamNumber);
    return {
      id: stream.id,
      senderDeviceId: stream.senderDeviceId,
      streamNumber: stream.streamNumber,
      width: stream.width,
      formatKey: stream.formatKey,
      format: stream.format,
      bitsPerSecond: sum.bitsPerSecond,
      groupA: text(groups?.A),
      groupB: text(groups?.B),
      isUnicast: stream.unicastTo !== null,
      isChosenA: choice?.groupA != null,
      isChosenB: choice?.groupB != null,
      packed: packedStream(reckoning, stream),
      receiverIds: stream.receiverDeviceIds,
      links: linksByStream.get(stream.id) ?? 0,
      sum: sum.terms,
    };
  });
}
