import { routingInForce } from '../network/routes';
import type { Topology } from '../network/topology';
import type { PlanOf, ModelledDevices } from '../plan/plan';
import { isRouted, type Interface } from '../network/interfaces-table';
import type { ClockSettings } from './clocks-table';
import type { Clock, PortKind } from './best-master';
import { plannedClock, type PlannedClock } from './clock-settings';
import { mediaAccuracy, mediaClasses, type ReferenceState } from './reference-state';

/** A device of the plan as a clock with ports. */
export interface NetworkClock {
  readonly deviceId: string;
  readonly planned: PlannedClock;
  readonly clock: Clock;
  readonly ports: readonly NetworkClockPort[];
}

export interface NetworkClockPort {
  /** The interface's name; `unicast` for time asked for or given across routers. */
  readonly interface: string;
  readonly segment: string;
  /** Null for unicast. */
  readonly subnetId: string | null;
}

/**
 * What clocks are as the plan stands, before anything fails but cables: the same for every drill that takes devices or
 * references away.
 */
export interface ClockFrame {
  /** Every device that runs PTP, in the order of ids. */
  readonly planned: ReadonlyMap<string, PlannedClock>;
  /** The interfaces with which it takes part, in the order of names. */
  readonly interfacesOf: ReadonlyMap<string, readonly RootedInterface[]>;
  /** By subnet: in how many interfaces each part of its VLAN is met. */
  readonly countsBySubnet: CountsBySubnet;
  /** Clocks that ask others for time across routers, and those that they ask. */
  readonly unicastIds: ReadonlySet<string>;
  /** Subnets whose VLAN is in several parts: where most of one is depends on who is there. */
  readonly subnetsInParts: ReadonlySet<string>;
}

interface RootedInterface {
  readonly interface: Interface;
  readonly subnetId: string;
  /** The part of its VLAN that cables join it to; null: not drawn. */
  readonly root: string | null;
}

type CountsBySubnet = ReadonlyMap<string, ReadonlyMap<string, number>>;

export interface ClockNetwork {
  readonly frame: ClockFrame;
  /** By device: every one that runs PTP, whether anyone hears it or not. */
  readonly clocks: ReadonlyMap<string, NetworkClock>;
  /** Clocks by segment, in the order of device ids. */
  readonly membersBySegment: ReadonlyMap<string, readonly string[]>;
  /** Unicast relays that cannot get to a clock that they ask. */
  readonly unreachable: readonly { readonly relayId: string; readonly masterId: string }[];
}

/** What takes part in PTP: media legs, and the routed interfaces of what relays between subnets. */
function isClockPort(i: Interface, settings: ClockSettings): boolean {
  if (i.subnetId === null || i.address === null) return false;
  return i.name === 'A' || i.name === 'B' || (isRouted(i) && settings.relay === 'boundary');
}

export function clockFrameOf(
  plan: ModelledDevices & PlanOf<'settings' | 'switches' | 'clocks' | 'interfaces'>,
  topology: Topology,
  cutSockets: ReadonlySet<string>,
): ClockFrame {
  const planned = new Map<string, PlannedClock>();
  const interfacesOf = new Map<string, readonly RootedInterface[]>();
  for (const deviceId of [...plan.devices.keys()].sort()) {
    const found = plannedClock(plan, deviceId);
    if (found === null || !found.settings.runsPtp) continue;
    planned.set(deviceId, found);
    const own = ownPorts(plan, deviceId, found.settings);
    interfacesOf.set(
      deviceId,
      own.map((i) => ({
        interface: i,
        subnetId: i.subnetId as string,
        root: rootFor(i, plan, topology, found.model, cutSockets),
      })),
    );
  }
  const countsBySubnet = countByRoot(interfacesOf, planned.keys());
  const subnetsInParts = new Set<string>();
  for (const [subnetId, counts] of countsBySubnet) if (counts.size > 1) subnetsInParts.add(subnetId);
  const unicastIds = new Set<string>();
  for (const [id, { settings }] of planned) {
    if (settings.relay !== 'unicast') continue;
    unicastIds.add(id);
    for (const masterId of settings.unicastMasterIds) unicastIds.add(masterId);
  }
  return { planned, interfacesOf, countsBySubnet, unicastIds, subnetsInParts };
}

/**
 * Clocks and the segments in which multicast PTP is heard: the VLAN of a subnet, as far as cables join its switches. Switches
 * within a VLAN pass PTP on (as transparent clocks where they can); routers do not, unless they are boundary clocks.
 * A socket without a cable in the drawing is taken to be where most of its subnet is.
 */
export function clockNetworkOf(
  frame: ClockFrame,
  plan: PlanOf<'interfaces'>,
  topology: Topology,
  references: ReadonlyMap<string, ReferenceState>,
  lost: ReadonlySet<string>,
  holdoverEnded: ReadonlySet<string> = lost,
): ClockNetwork {
  const planned = lost.size === 0 ? frame.planned : new Map([...frame.planned].filter(([id]) => !lost.has(id)));
  const around: Around = {
    frame,
    segmentOf: segmentsOf(lost.size === 0 ? frame.countsBySubnet : countByRoot(frame.interfacesOf, planned.keys())),
    portLists: new PortLists(),
    ...grantsIn(frame, plan, topology, lost),
    references,
    holdoverEnded,
  };
  const clocks = new Map<string, NetworkClock>();
  for (const [deviceId, found] of planned) clocks.set(deviceId, networkClock(around, deviceId, found));
  return { frame, clocks, membersBySegment: membersOf(clocks), unreachable: around.unreachable };
}

/** What a clock of a network depends on beside itself. */
interface Around {
  readonly frame: ClockFrame;
  readonly segmentOf: (i: RootedInterface) => string;
  readonly portLists: PortLists;
  /** By clock: who asks it for time across routers and can get there. */
  readonly grants: ReadonlyMap<string, readonly string[]>;
  readonly unreachable: ClockNetwork['unreachable'];
  readonly references: ReadonlyMap<string, ReferenceState>;
  readonly holdoverEnded: ReadonlySet<string>;
}

function grantsIn(
  { planned }: ClockFrame,
  plan: PlanOf<'interfaces'>,
  topology: Topology,
  lost: ReadonlySet<string>,
): Pick<Around, 'grants' | 'unreachable'> {
  const grants = new Map<string, string[]>();
  const unreachable: { relayId: string; masterId: string }[] = [];
  for (const [deviceId, { settings }] of planned) {
    if (settings.relay !== 'unicast' || lost.has(deviceId)) continue;
    for (const masterId of settings.unicastMasterIds) {
      if (masterId === deviceId) continue;
      if (lost.has(masterId)) continue;
      if (!planned.has(masterId) || !canReach(plan, topology, deviceId, masterId)) {
        unreachable.push({ relayId: deviceId, masterId });
      } else grants.set(masterId, [...(grants.get(masterId) ?? []), deviceId]);
    }
  }
  return { grants, unreachable };
}

/** The ports of a clock: what the plan calls them, and what the best-master comparison knows of them. */
interface PortList {
  readonly ports: readonly NetworkClockPort[];
  readonly segments: readonly string[];
  readonly kinds: readonly PortKind[];
}

/** Thousands of clocks have the same few lists of ports: they share them. */
class PortLists {
  private readonly first: PortList = { ports: [], segments: [], kinds: [] };
  /** By list and segment: those that are one port longer. */
  private readonly longer = new Map<PortList, Map<string, PortList[]>>();

  /** The list of the ports in the interfaces of a clock. */
  ofInterfaces(interfaces: readonly RootedInterface[], segmentOf: (i: RootedInterface) => string): PortList {
    let list = this.first;
    for (let n = 0; n < interfaces.length; n += 1) {
      const i = interfaces[n] as RootedInterface;
      list = this.withPort(list, i.interface.name, segmentOf(i), i.subnetId, 'any');
    }
    return list;
  }

  withPort(list: PortList, interfaceName: string, segment: string, subnetId: string | null, kind: PortKind): PortList {
    let bySegment = this.longer.get(list);
    if (bySegment === undefined) this.longer.set(list, (bySegment = new Map<string, PortList[]>()));
    let there = bySegment.get(segment);
    if (there === undefined) bySegment.set(segment, (there = []));
    const last = list.ports.length;
    for (let n = 0; n < there.length; n += 1) {
      const known = there[n] as PortList;
      const port = known.ports[last] as NetworkClockPort;
      if (port.interface === interfaceName && port.subnetId === subnetId && known.kinds[last] === kind) return known;
    }
    const longer = {
      ports: [...list.ports, { interface: interfaceName, segment, subnetId }],
      segments: [...list.segments, segment],
      kinds: [...list.kinds, kind],
    };
    there.push(longer);
    return longer;
  }
}

function networkClock(
  { frame, segmentOf, portLists, grants, references, holdoverEnded }: Around,
  deviceId: string,
  found: PlannedClock,
): NetworkClock {
  const { settings, ability } = found;
  let list = portLists.ofInterfaces(frame.interfacesOf.get(deviceId) ?? [], segmentOf);
  const withUnicast = (askedId: string, kind: PortKind) => {
    list = portLists.withPort(list, 'unicast', `unicast:${askedId}`, null, kind);
  };
  if (grants.has(deviceId)) withUnicast(deviceId, 'only-leads');
  if (settings.relay === 'unicast') {
    for (const masterId of settings.unicastMasterIds)
      if (grants.get(masterId)?.includes(deviceId) === true) withUnicast(masterId, 'only-follows');
  }
  const clientOnly = settings.clientOnly || !ability.mayLead || !ability.ptpVersions.includes(2);
  // The class of a clock that only follows (IEEE 1588 clause 7.6.2.4).
  const clockClass = clientOnly ? 255 : mediaClasses(found, references, holdoverEnded.has(deviceId));
  const clock: Clock = {
    id: deviceId,
    clockIdentity: found.identity,
    priority1: settings.priority1,
    clockClass,
    clockAccuracy: mediaAccuracy(found, references),
    offsetScaledLogVariance: ability.offsetScaledLogVariance,
    priority2: settings.priority2,
    domainNumber: settings.domainNumber,
    clientOnly,
    ports: list.segments,
    relays: settings.relay !== 'none',
    portKinds: list.kinds,
  };
  return { deviceId, planned: found, clock, ports: list.ports };
}

function membersOf(clocks: ReadonlyMap<string, NetworkClock>): Map<string, string[]> {
  const membersBySegment = new Map<string, string[]>();
  for (const { deviceId, ports } of clocks.values()) {
    for (const { segment } of ports) {
      const members = membersBySegment.get(segment);
      if (members === undefined) membersBySegment.set(segment, [deviceId]);
      else if (members[members.length - 1] !== deviceId) members.push(deviceId);
    }
  }
  return membersBySegment;
}

function ownPorts(plan: PlanOf<'interfaces'>, deviceId: string, settings: ClockSettings): Interface[] {
  const own: Interface[] = [];
  for (const i of plan.interfaces.get(deviceId)?.values() ?? []) if (isClockPort(i, settings)) own.push(i);
  const isInOrder = own.every((i, n) => n === 0 || (own[n - 1] as Interface).name < i.name);
  return isInOrder ? own : own.sort((a, b) => (a.name < b.name ? -1 : 1));
}

/** Whether packets to one host get from one clock to another, in either direction of asking. */
export function canReach(plan: PlanOf<'interfaces'>, topology: Topology, fromId: string, toId: string): boolean {
  const subnets = (id: string) =>
    [...(plan.interfaces.get(id)?.values() ?? [])].flatMap((i) =>
      i.subnetId !== null && i.address !== null && (i.name === 'A' || i.name === 'B' || isRouted(i))
        ? [i.subnetId]
        : [],
    );
  const there = subnets(toId).map((id) => topology.routes.domainOf('unicast', id));
  return subnets(fromId).some((id) => there.includes(topology.routes.domainOf('unicast', id)));
}

function rootFor(
  i: Interface,
  plan: PlanOf<'settings' | 'switches' | 'interfaces'> & ModelledDevices,
  topology: Topology,
  model: PlannedClock['model'],
  cutSockets: ReadonlySet<string>,
): string | null {
  const { network } = topology;
  const subnetId = i.subnetId as string;
  if (isRouted(i)) {
    const index = network.indexOfSwitch.get(i.deviceId);
    if (index === undefined || routingInForce(plan, i.deviceId) === 'none') return null;
    return String(network.treeOf(subnetId).root[index]);
  }
  const port = model.ports.find((p) => p.role === i.name);
  const at = port === undefined ? null : topology.portLinkOf(i.deviceId, port.name);
  if (at === null) return cutSockets.has(`${i.deviceId} ${port?.name}`) ? `cut ${i.deviceId}` : null;
  if (at.switchIndex < 0) return `link ${at.link.id}`;
  return String(network.treeOf(subnetId).root[at.switchIndex]);
}

/** By subnet: how many interfaces of these devices are in each part of its VLAN. */
function countByRoot(interfacesOf: ClockFrame['interfacesOf'], deviceIds: Iterable<string>): CountsBySubnet {
  const countBySubnet = new Map<string, Map<string, number>>();
  for (const deviceId of deviceIds) {
    for (const { root, subnetId } of interfacesOf.get(deviceId) ?? []) {
      if (root === null) continue;
      let counts = countBySubnet.get(subnetId);
      if (counts === undefined) countBySubnet.set(subnetId, (counts = new Map()));
      counts.set(root, (counts.get(root) ?? 0) + 1);
    }
  }
  return countBySubnet;
}

/** The segment of each interface, as far as those devices are there that were counted. */
function segmentsOf(countsBySubnet: CountsBySubnet): (i: RootedInterface) => string {
  const mainRoot = new Map<string, string>();
  for (const [subnetId, counts] of countsBySubnet) {
    const [first] = [...counts].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1));
    if (first) mainRoot.set(subnetId, first[0]);
  }
  return ({ subnetId, root }) => {
    return root === null || root === mainRoot.get(subnetId) ? subnetId : `${subnetId} ${root}`;
  };
}

/**
 * A network in which nothing has failed, without one of its clocks. Where no reference comes from it and its subnets are in one part each, only
 * those that ask for time across routers, or are asked, can become otherwise.
 */
export function networkWithout(
  network: ClockNetwork,
  plan: PlanOf<'interfaces'>,
  topology: Topology,
  references: ReadonlyMap<string, ReferenceState>,
  lostId: string,
): ClockNetwork {
  const { frame } = network;
  const lost = new Set([lostId]);
  const isMissed =
    [...references.values()].some((r) => r.reference.fromDeviceId === lostId) ||
    (frame.interfacesOf.get(lostId) ?? []).some((i) => frame.subnetsInParts.has(i.subnetId));
  if (isMissed) return clockNetworkOf(frame, plan, topology, references, lost);
  const clocks = new Map(network.clocks);
  clocks.delete(lostId);
  if (frame.unicastIds.has(lostId)) {
    const segmentOf = segmentsOf(frame.countsBySubnet);
    const around: Around = {
      frame,
      segmentOf,
      portLists: new PortLists(),
      ...grantsIn(frame, plan, topology, lost),
      references,
      holdoverEnded: lost,
    };
    for (const id of frame.unicastIds) {
      const found = id === lostId ? undefined : frame.planned.get(id);
      if (found !== undefined) clocks.set(id, networkClock(around, id, found));
    }
    return { frame, clocks, membersBySegment: membersOf(clocks), unreachable: around.unreachable };
  }
  const membersBySegment = new Map(network.membersBySegment);
  for (const { segment } of network.clocks.get(lostId)?.ports ?? []) {
    const others = membersBySegment.get(segment)?.filter((id) => id !== lostId) ?? [];
    if (others.length === 0) membersBySegment.delete(segment);
    else membersBySegment.set(segment, others);
  }
  return { ...network, clocks, membersBySegment };
}
