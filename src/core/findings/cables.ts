import { isSaidByStreams } from './paths';
import { rule } from './rule';
import { portNamed } from '../models/ports';
import { longestRunMetres } from '../network/cable';
import { feeds, powerOf } from '../network/power';
import { switchesInUse } from '../network/delivery';
import type { Topology } from '../network/topology';
import type { Trunk, VlanTree } from '../network/trunks';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { Link, LinkEnd } from '../network/links-table';
import { cablesOf } from '../plan/sockets';
import type { FindingAbout } from './finding';
import { CABLE_KINDS } from './areas';

type Found = FindingAbout<(typeof CABLE_KINDS)[number]>;

/** Sockets, cables, rings and power: what can be told from the drawing alone. */
function cableFindings(
  plan: ModelledDevices & PlanOf<'subnets' | 'links' | 'interfaces'>,
  topology: Topology,
): Found[] {
  return [
    ...socketFindings(plan),
    ...lengthsAndSpeeds(plan, topology.links),
    ...loopFindings(plan, topology),
    ...cutVlanFindings(plan, topology),
    ...unpluggedControl(plan),
    ...managementApart(plan, topology),
    ...powerFindings(plan),
  ];
}

function unpluggedControl(plan: ModelledDevices & PlanOf<'links' | 'interfaces'>): Found[] {
  const deviceIds: string[] = [];
  const subnetIds = new Set<string>();
  for (const [deviceId, owned] of plan.interfaces) {
    const own = owned.get('control');
    if (own?.address == null || own.subnetId === null) continue;
    const port = modelOf(plan, deviceId)?.ports.find((p) => p.role === 'control');
    if (port === undefined || cablesOf(plan, deviceId).has(port.name)) continue;
    deviceIds.push(deviceId);
    subnetIds.add(own.subnetId);
  }
  if (deviceIds.length === 0) return [];
  const base = { id: 'control-unplugged', severity: 'caution' } as const;
  return [{ ...base, deviceIds: deviceIds.sort(), about: 'control-unplugged', subnetIds: [...subnetIds].sort() }];
}

/** Switches are managed by an address without a socket of its own: the VLAN of its network has to lead there. */
function managementApart(plan: ModelledDevices & PlanOf<'subnets' | 'interfaces'>, topology: Topology): Found[] {
  const { indexOfSwitch, treeOf } = topology.network;
  const switchesOf = new Map<string, string[]>();
  for (const deviceId of indexOfSwitch.keys()) {
    const subnetId = plan.interfaces.get(deviceId)?.get('control')?.subnetId ?? null;
    if (subnetId !== null) switchesOf.set(subnetId, [...(switchesOf.get(subnetId) ?? []), deviceId]);
  }
  return [...switchesOf].flatMap(([subnetId, ids]): Found[] => {
    const { root } = treeOf(subnetId);
    const byRoot = new Map<number, string[]>();
    for (const id of ids) {
      const at = root[indexOfSwitch.get(id) as number] as number;
      byRoot.set(at, [...(byRoot.get(at) ?? []), id]);
    }
    const [, ...others] = [...byRoot.values()].sort(
      (a, b) => b.length - a.length || ((a[0] ?? '') < (b[0] ?? '') ? -1 : 1),
    );
    if (others.length === 0) return [];
    const base = { id: `management|${subnetId}`, severity: 'caution' } as const;
    return [{ ...base, deviceIds: others.flat().sort(), about: 'management-apart', subnetId }];
  });
}

function socketFindings(plan: ModelledDevices & PlanOf<'links'>): Found[] {
  const findings: Found[] = [];
  for (const deviceId of plan.devices.keys()) {
    cablesOf(plan, deviceId).forEach((links, port) => {
      if (links.length < 2) return;
      findings.push({
        id: `port|${deviceId}/${port}`,
        severity: 'refusal',
        deviceIds: [deviceId],
        about: 'port-twice',
        port,
        linkIds: links.map((l) => l.id),
      });
    });
  }
  return findings.sort((a, b) => ((a.deviceIds[0] as string) < (b.deviceIds[0] as string) ? -1 : 1));
}

function portSpeed(plan: ModelledDevices, end: LinkEnd): number {
  const model = modelOf(plan, end.deviceId);
  return (model && portNamed(model, end.port))?.bitsPerSecond ?? Infinity;
}

function lengthsAndSpeeds(plan: ModelledDevices, links: readonly Link[]): Found[] {
  const findings: Found[] = [];
  for (const link of links) findLengthAndSpeed(plan, link, findings);
  return findings;
}

function findLengthAndSpeed(plan: ModelledDevices, link: Link, findings: Found[]): void {
  const base = { deviceIds: [link.from.deviceId, link.to.deviceId] } as const;
  const limitMetres = link.cable === null ? Infinity : longestRunMetres(link.cable, link.bitsPerSecond);
  if (link.cable !== null && link.metres > limitMetres) {
    findings.push({
      id: `length|${link.id}`,
      severity: 'caution',
      ...base,
      about: 'cable-too-long',
      linkId: link.id,
      metres: link.metres,
      limitMetres,
      cable: link.cable,
    });
  }
  const portBitsPerSecond = Math.min(portSpeed(plan, link.from), portSpeed(plan, link.to));
  if (link.bitsPerSecond > portBitsPerSecond) {
    findings.push({
      id: `speed|${link.id}`,
      severity: 'caution',
      ...base,
      about: 'link-too-fast',
      linkId: link.id,
      bitsPerSecond: link.bitsPerSecond,
      portBitsPerSecond,
    });
  }
}

function legsAtOneSwitch(plan: ModelledDevices, topology: Topology): FindingAbout<'legs-at-one-switch'>[] {
  const findings: FindingAbout<'legs-at-one-switch'>[] = [];
  for (const device of plan.devices.values()) {
    const ports = plan.models.get(device.modelId)?.ports ?? [];
    const portA = ports.find((p) => p.role === 'A');
    const portB = ports.find((p) => p.role === 'B');
    if (!portA || !portB) continue;
    const a = topology.portLinkOf(device.id, portA.name);
    const b = topology.portLinkOf(device.id, portB.name);
    if (a === null || b === null || a.switchIndex < 0 || a.switchIndex !== b.switchIndex) continue;
    const switchId = (topology.network.bridges[a.switchIndex] as { deviceId: string }).deviceId;
    findings.push({
      id: `one-switch|${device.id}`,
      severity: 'caution',
      deviceIds: [device.id, switchId],
      about: 'legs-at-one-switch',
      switchId,
      linkIds: [a.link.id, b.link.id],
    });
  }
  return findings;
}

/** Rings in the network of any VLAN, where a switch of the ring does not run spanning tree. */
function loopFindings(plan: PlanOf<'subnets'>, topology: Topology): Found[] {
  const { network } = topology;
  const seen = new Set<number>();
  const findings: Found[] = [];
  for (const { id, from, to } of topology.links) {
    if (to.deviceId !== from.deviceId) continue;
    // Both ends in one switch: a ring of its own.
    const own = network.indexOfSwitch.get(from.deviceId);
    if (own === undefined || network.bridges[own]?.spanningTree) continue;
    findings.push(loopFinding([id], [from.deviceId]));
  }
  const subnetIds = plan.subnets.size > 0 ? [...plan.subnets.keys()].sort() : [''];
  for (const subnetId of subnetIds) {
    const tree = network.treeOf(subnetId);
    for (const trunk of tree.idle) {
      // One that is idle for the sake of other VLANs closes no ring in this one.
      if (seen.has(trunk.index) || tree.root[trunk.a] !== tree.root[trunk.b]) continue;
      seen.add(trunk.index);
      const ring = ringOf(tree, trunk.a, trunk.b);
      const without = ring.filter((s) => network.bridges[s]?.spanningTree === false);
      if (without.length === 0) continue;
      const ids = without.map((s) => network.bridges[s]?.deviceId as string);
      findings.push(
        loopFinding(
          trunk.links.map((l) => l.id),
          ids,
        ),
      );
    }
  }
  return findings;
}

/** VLANs with devices on both sides of a cable that one spanning tree for all VLANs leaves idle, where no other cable carries them. */
function cutVlanFindings(plan: ModelledDevices & PlanOf<'subnets' | 'interfaces'>, topology: Topology): Found[] {
  const { network } = topology;
  const inUse = switchesInUse(plan, topology);
  const cut = new Map<number, string[]>();
  for (const subnetId of [...plan.subnets.keys()].sort()) {
    const tree = network.treeOf(subnetId);
    for (const trunk of tree.idle) {
      const parts = new Set([...(inUse.get(subnetId) ?? [])].map((s) => tree.root[s]));
      const [a, b] = [tree.root[trunk.a], tree.root[trunk.b]];
      if (a === b || !parts.has(a) || !parts.has(b)) continue;
      cut.set(trunk.index, [...(cut.get(trunk.index) ?? []), subnetId]);
    }
  }
  return [...cut].map(([index, subnetIds]) => {
    const { links, a, b } = network.trunks[index] as Trunk;
    const ring = ringOf(network.common, a, b);
    const idOf = (s: number) => network.bridges[s]?.deviceId as string;
    const openLinkIds = network.trunks
      .filter((t) => ring.some((s) => network.common.via[s] === t.index) && ring.includes(t.a) && ring.includes(t.b))
      .flatMap((t) => t.links.map((l) => l.id));
    return {
      id: `cut|${links[0]?.id ?? ''}`,
      severity: 'refusal',
      deviceIds: [idOf(a), idOf(b)],
      about: 'vlan-cut',
      subnetIds,
      linkIds: links.map((l) => l.id),
      openLinkIds,
      oneTreeIds: [...network.bridges.keys()]
        .filter((s) => network.common.root[s] === network.common.root[a])
        .filter((s) => network.bridges[s]?.spanningTree && network.bridges[s].spanningTrees === 'one')
        .map(idOf),
    };
  });
}

function loopFinding(linkIds: readonly string[], switchIds: readonly string[]): Found {
  const id = `loop|${linkIds[0] ?? ''}`;
  return { id, severity: 'refusal', deviceIds: switchIds, about: 'loop', linkIds, switchIds };
}

function ringOf(tree: VlanTree, a: number, b: number): number[] {
  const up: number[] = [a];
  const down: number[] = [b];
  let x = a;
  let y = b;
  while (x !== y) {
    if ((tree.depth[x] as number) >= (tree.depth[y] as number)) {
      x = tree.parent[x] as number;
      up.push(x);
    } else {
      y = tree.parent[y] as number;
      down.push(y);
    }
  }
  return [...new Set([...up, ...down])];
}

function powerFindings(plan: ModelledDevices & PlanOf<'links'>): Found[] {
  const findings: Found[] = [];
  for (const { switchId, budgetW, reservedW, ports } of powerOf(plan).values()) {
    for (const port of ports) {
      if (feeds(port.givesClass, port.takesClass)) continue;
      findings.push({
        id: `poe-class|${port.linkId}`,
        severity: 'refusal',
        deviceIds: [port.deviceId, switchId],
        about: 'poe-class',
        linkId: port.linkId,
        takesClass: port.takesClass,
        givesClass: port.givesClass,
      });
    }
    if (budgetW === null || reservedW <= budgetW) continue;
    findings.push({
      id: `poe|${switchId}`,
      severity: 'refusal',
      deviceIds: [switchId],
      about: 'poe-budget',
      switchId,
      wantedW: reservedW,
      budgetW,
    });
  }
  return findings;
}

export const cableRule = rule({
  finds: CABLE_KINDS,
  reads: ['modelled', 'links', 'subnets', 'interfaces', 'topology'],
  find: ({ modelled, topology, ...plan }) => cableFindings({ ...modelled, ...plan }, topology),
});

export const oneSwitchRule = rule({
  finds: ['legs-at-one-switch'],
  reads: ['modelled', 'topology', 'pathFindings'],
  // What the streams of a device say with more detail is not said again.
  find: ({ modelled, topology, pathFindings }) =>
    legsAtOneSwitch(modelled, topology).filter((f) => !isSaidByStreams(f, pathFindings)),
});
