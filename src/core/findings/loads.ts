import { rule } from './rule';
import { ethernetGroupBits, formatAddress, isReservedGroup } from '../network/address';
import { endsOf, shareOf, streamBitsPerSecond, totalBitsPerSecond, type LoadFrame, type Loads } from '../network/loads';
import type { Topology } from '../network/topology';
import type { Leg } from '../models/models-table';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { StreamGroups } from '../streams/stream-groups';
import type { Stream } from '../streams/stream';
import type { FindingAbout } from './finding';

const LOAD_FINDS = ['overload', 'link-unfit', 'group-table-full'] as const;
const GROUP_FINDS = ['group-collision', 'group-reserved', 'no-group-left'] as const;
type FoundOfLoads = FindingAbout<(typeof LOAD_FINDS)[number]>;
type FoundOfGroups = FindingAbout<(typeof GROUP_FINDS)[number]>;

/** What only the streams can tell: overloads, full tables, media on cables unfit for it. */
function loadFindings(
  plan: ModelledDevices & PlanOf<'settings'>,
  topology: Topology,
  frame: LoadFrame,
  loads: Loads,
): FoundOfLoads[] {
  const findings: FoundOfLoads[] = [];
  const ceiling = plan.settings.loadCeilingPercent / 100;
  const { links } = topology;
  for (let directed = 0; directed < links.length * 2; directed += 1) {
    if (streamBitsPerSecond(loads, directed) === 0) continue;
    const bitsPerSecond = totalBitsPerSecond(loads, frame, directed);
    const usableBitsPerSecond = frame.usableBitsPerSecond[directed >> 1] as number;
    if (shareOf(bitsPerSecond, usableBitsPerSecond) > ceiling) {
      const { link, sends, hears } = endsOf(links, directed);
      findings.push({
        id: `overload|${link.id}|${directed & 1}`,
        severity: 'refusal',
        deviceIds: [sends.deviceId, hears.deviceId],
        about: 'overload',
        linkId: link.id,
        senderId: sends.deviceId,
        bitsPerSecond,
        usableBitsPerSecond,
        ceilingPercent: plan.settings.loadCeilingPercent,
        topStreamIds: heaviestOn(loads, directed, bitsPerSecond - ceiling * usableBitsPerSecond),
      });
    }
  }
  links.forEach((link, index) => {
    const why = link.cable === 'wireless' ? 'wireless' : link.duplex === 'half' ? 'half-duplex' : null;
    if (why === null) return;
    const streams = streamsOn(loads, 2 * index).length + streamsOn(loads, 2 * index + 1).length;
    if (streams === 0) return;
    findings.push({
      id: `unfit|${link.id}`,
      severity: 'refusal',
      deviceIds: [link.from.deviceId, link.to.deviceId],
      about: 'link-unfit',
      linkId: link.id,
      why,
      streams,
    });
  });
  topology.network.bridges.forEach(({ deviceId }, index) => {
    const limit = modelOf(plan, deviceId)?.switching?.groupTableSize ?? 0;
    const wanted = loads.groupsAtSwitch[index] as number;
    // A switch that cannot snoop has no table; that is a finding of its own.
    if (wanted <= limit || limit === 0) return;
    findings.push({
      id: `groups|${deviceId}`,
      severity: 'refusal',
      deviceIds: [deviceId],
      about: 'group-table-full',
      switchId: deviceId,
      wanted,
      limit,
    });
  });
  return findings;
}

/** Why a stream runs on a direction of a link: a receiver receives it there, the querier is there, or a switch floods it. */
export type RunsFor = 'receivers' | 'querier' | 'flood';

/** The trees that use a direction of a link, and why. */
export function streamsOn(loads: Loads, directed: number) {
  const found: { streamId: string; leg: Leg; bitsPerSecond: number; runsFor: RunsFor; copies: number }[] = [];
  for (const trees of loads.treesBySender.values()) {
    for (const { stream, leg, bitsPerSecond, directed: towards, towardsQuerier, flooded } of trees) {
      for (const [runsFor, all] of [
        ['receivers', towards],
        ['querier', towardsQuerier],
        ['flood', flooded],
      ] as const) {
        const copies = all.filter((d) => d === directed).length;
        if (copies > 0) found.push({ streamId: stream.id, leg, bitsPerSecond, runsFor, copies });
      }
    }
  }
  return found.sort(
    (a, b) => b.bitsPerSecond * b.copies - a.bitsPerSecond * a.copies || (a.streamId < b.streamId ? -1 : 1),
  );
}

/** The fewest streams whose going takes so much off a direction of a link. */
function heaviestOn(loads: Loads, directed: number, tooMuch: number): string[] {
  const bitsByStream = new Map<string, number>();
  for (const { streamId, bitsPerSecond, copies } of streamsOn(loads, directed)) {
    bitsByStream.set(streamId, (bitsByStream.get(streamId) ?? 0) + bitsPerSecond * copies);
  }
  const ids: string[] = [];
  let left = tooMuch;
  for (const [id, bits] of [...bitsByStream].sort(([a, x], [b, y]) => y - x || (a < b ? -1 : 1))) {
    if (left <= 0) break;
    ids.push(id);
    left -= bits;
  }
  return ids;
}

/** Groups that collide on Ethernet, or that are flooded to every port. */
function groupFindings(
  deviceIds: readonly string[],
  streamsBySender: ReadonlyMap<string, readonly Stream[]>,
  groups: ReadonlyMap<string, StreamGroups>,
): FoundOfGroups[] {
  const streams = deviceIds.flatMap((id) => streamsBySender.get(id) ?? []);
  const findings: FoundOfGroups[] = [];
  interface User {
    readonly stream: Stream;
    readonly leg: Leg;
    readonly group: number;
  }
  const firstUsers = new Map<number, User>();
  const collisions = new Map<number, User[]>();
  for (const stream of streams) {
    if (stream.unicastTo !== null) continue;
    const own = groups.get(stream.id);
    for (const leg of stream.legs) {
      const group = own?.[leg] ?? null;
      if (group === null) continue;
      if (isReservedGroup(group)) {
        findings.push({
          id: `reserved|${stream.id}|${leg}`,
          severity: 'refusal',
          deviceIds: [stream.senderDeviceId],
          about: 'group-reserved',
          streamId: stream.id,
          leg,
          group: formatAddress(group),
        });
      }
      const bits = ethernetGroupBits(group);
      const user = { stream, leg, group };
      const first = firstUsers.get(bits);
      if (first === undefined) firstUsers.set(bits, user);
      else collisions.set(bits, [...(collisions.get(bits) ?? [first]), user]);
    }
  }
  for (const [bits, users] of collisions) {
    findings.push({
      id: `collision|${bits}`,
      severity: 'refusal',
      deviceIds: [...new Set(users.map((u) => u.stream.senderDeviceId))],
      about: 'group-collision',
      groups: users.map(({ stream, leg, group }) => ({ streamId: stream.id, leg, group: formatAddress(group) })),
    });
  }
  return findings;
}

/** Streams for which no group is left in the pools. */
function groupsMissing(without: readonly Stream[]): FoundOfGroups[] {
  if (without.length === 0) return [];
  const streamIds = without.map((s) => s.id).sort();
  const deviceIds = [...new Set(without.map((s) => s.senderDeviceId))].sort();
  return [{ id: 'no-group-left', severity: 'refusal', deviceIds, about: 'no-group-left', streamIds }];
}

export const loadRule = rule({
  finds: LOAD_FINDS,
  reads: ['modelled', 'settings', 'topology', 'loadFrame', 'loads'],
  find: ({ modelled, settings, topology, loadFrame, loads }) =>
    loadFindings({ ...modelled, settings }, topology, loadFrame, loads),
});

export const groupRule = rule({
  finds: GROUP_FINDS,
  reads: ['streamsBySender', 'deviceIds', 'groups'],
  find: ({ streamsBySender, deviceIds, groups }) => [
    // Nearly always none is odd, and that is known from giving them out.
    ...(groups.isAnyOdd ? groupFindings(deviceIds, streamsBySender, groups.byStream) : []),
    ...groupsMissing(groups.without),
  ],
});
