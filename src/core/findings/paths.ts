import type { Loads } from '../network/loads';
import type { Hops, Topology } from '../network/topology';
import { vlanTree } from '../network/trunks';
import type { ModelledDevices } from '../plan/plan';
import type { Facts } from '../reckon/facts';
import type { Reception } from '../reckon/lane';
import { wireBytesOf } from '../streams/wire';
import type { FindingAbout, PathFinding } from './finding';
import { rule } from './rule';

/** Nanoseconds that a packet may wait on its way behind one packet of every other media stream that leaves by the same ports. */
function queueingNs(topology: Topology, loads: Loads, hops: Hops, packetBits: number): number {
  let ns = 0;
  hops.directed.forEach((directed, n) => {
    const others = Math.max(0, (loads.packetBits[directed] as number) - packetBits);
    ns += (others * 1e9) / (hops.links[n] as { bitsPerSecond: number }).bitsPerSecond;
  });
  return ns;
}

/** The most that any packet can wait at one port: what the sum over a way cannot exceed per hop. */
function longestQueueNs(topology: Topology, loads: Loads): number {
  let most = 0;
  for (let d = 0; d < loads.packetBits.length; d += 1) {
    const speed = (topology.links[d >> 1] as { bitsPerSecond: number }).bitsPerSecond;
    most = Math.max(most, ((loads.packetBits[d] as number) * 1e9) / speed);
  }
  return most;
}

/** Two legs that share a switch or a cable, packets that come too late when all others go first, discovery that stays behind. */
export function pathFindings({
  settings,
  topology,
  loads,
  lanesByReceiver,
  doLegsMeet: mayShare,
}: Pick<Facts, 'settings' | 'topology' | 'loads' | 'lanesByReceiver' | 'doLegsMeet'>): PathFinding[] {
  const bySwitch = new Map<string, Set<string>>();
  const byCable = new Map<string, Set<string>>();
  const routed = new Map<string, { subnetIds: readonly string[]; lanes: number }>();
  const late: PathFinding[] = [];
  const longestNs = longestQueueNs(topology, loads);
  const isLocal = settings.discovery === 'local';
  for (const [receiverDeviceId, { receptions, carriedBy }] of lanesByReceiver) {
    for (let h = 0; h < receptions.length; h += 1) {
      const lanes = carriedBy[h] as number;
      if (lanes === 0) continue;
      const { stream, offset, pair } = receptions[h] as Reception;
      if (mayShare) {
        const { wayA, wayB } = pair;
        if (wayA !== null && wayB !== null) noteShared(stream.id, wayA.hops(), wayB.hops(), bySwitch, byCable);
      }
      if (isLocal && pair.betweenSubnets !== null) {
        const key = pair.betweenSubnets.join();
        const known = routed.get(key);
        if (known === undefined) routed.set(key, { subnetIds: pair.betweenSubnets, lanes });
        else known.lanes += lanes;
      }
      const { offsetNs, neededNs, marginNs } = offset;
      if (marginNs < 0 || marginNs >= longestNs * pair.mostLinks) continue;
      let queueNs = 0;
      const packetBits = wireBytesOf(stream.width, stream.format, settings.vlanTagged) * 8;
      for (const way of [pair.wayA, pair.wayB]) {
        if (way !== null) queueNs = Math.max(queueNs, queueingNs(topology, loads, way.hops(), packetBits));
      }
      if (queueNs <= marginNs) continue;
      late.push({
        id: `late|${receiverDeviceId}|${stream.id}`,
        severity: 'caution',
        deviceIds: [receiverDeviceId, stream.senderDeviceId],
        about: 'late-by-queueing',
        receiverDeviceId,
        senderDeviceId: stream.senderDeviceId,
        neededNs,
        queueNs: Math.round(queueNs),
        offsetNs,
      });
    }
  }
  const findings: PathFinding[] = [];
  const base = { severity: 'caution' } as const;
  for (const [switchId, streams] of [...bySwitch].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const streamIds = [...streams].sort();
    const deviceIds = [switchId, ...new Set(streamIds.map((id) => id.slice(0, id.lastIndexOf('/'))))];
    findings.push({ id: `share|${switchId}`, ...base, deviceIds, about: 'legs-share-switch', switchId, streamIds });
  }
  for (const [linkId, streams] of [...byCable].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const streamIds = [...streams].sort();
    const deviceIds = [...new Set(streamIds.map((id) => id.slice(0, id.lastIndexOf('/'))))];
    findings.push({ id: `share-cable|${linkId}`, ...base, deviceIds, about: 'legs-share-cable', linkId, streamIds });
  }
  for (const [key, { subnetIds, lanes }] of routed) {
    findings.push({ id: `discovery|${key}`, ...base, deviceIds: [], about: 'discovery-local', subnetIds, lanes });
  }
  return [...findings, ...late];
}

/** Whether leg A and leg B are plugged into switches that cables join: where they are not, no two legs can share anything. */
export function doLegsMeet(plan: ModelledDevices, topology: Topology): boolean {
  const { root } = vlanTree(topology.network.bridges, topology.network.trunks);
  const parts = { A: new Set<number>(), B: new Set<number>() };
  for (const device of plan.devices.values()) {
    for (const port of plan.models.get(device.modelId)?.ports ?? []) {
      if (port.role !== 'A' && port.role !== 'B') continue;
      const at = topology.portLinkOf(device.id, port.name);
      if (at !== null) parts[port.role].add(at.switchIndex < 0 ? -1 : (root[at.switchIndex] as number));
    }
  }
  return [...parts.A].some((part) => parts.B.has(part));
}

function noteShared(
  streamId: string,
  a: Hops,
  b: Hops,
  bySwitch: Map<string, Set<string>>,
  byCable: Map<string, Set<string>>,
): void {
  const note = (map: Map<string, Set<string>>, id: string) => {
    const set = map.get(id);
    if (set === undefined) map.set(id, new Set([streamId]));
    else set.add(streamId);
  };
  for (const id of a.switchIds) if (b.switchIds.includes(id)) note(bySwitch, id);
  for (const link of a.links) if (b.links.includes(link)) note(byCable, link.id);
}

/** Both plugs of a device in one switch, where the streams it sends say the same with more detail. */
export function isSaidByStreams(finding: FindingAbout<'legs-at-one-switch'>, paths: readonly PathFinding[]): boolean {
  return paths.some(
    (p) =>
      p.about === 'legs-share-switch' &&
      p.switchId === finding.switchId &&
      p.deviceIds.includes(finding.deviceIds[0] ?? ''),
  );
}

export const pathRule = rule({
  finds: ['legs-share-switch', 'legs-share-cable', 'discovery-local', 'late-by-queueing'],
  reads: ['pathFindings'],
  find: ({ pathFindings: found }) => found,
});
