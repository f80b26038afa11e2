import { routingInForce } from '../network/routes';
import type { Topology } from '../network/topology';
import type { PlanOf, ModelledDevices } from '../plan/plan';
import { isRouted, type Interface } from '../network/interfaces-table';
import { clockPartsOf, type ClockParts } from './clock-parts';
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

interface NetworkClockPort {
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
  /** The ports by which it takes part. */
  readonly portsOf: ReadonlyMap<string, readonly PlacedPort[]>;
  readonly mains: MainParts;
  /** Clocks that ask others for time across routers, and those that they ask. */
  readonly unicastIds: ReadonlySet<string>;
}

/** By subnet: where most of it is. What is not drawn is taken to be there. */
type MainParts = ReadonlyMap<string, { readonly island: string; readonly part: string }>;

interface PlacedPort {
  readonly interface: string;
  readonly subnetId: string;
  /** The switches of its VLAN that cables join it to; null: not drawn. */
  readonly island: string | null;
  /** The part of those between boundary clocks; empty where there are none. */
  readonly part: string;
}

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
  for (const deviceId of [...plan.devices.keys()].sort()) {
    const found = plannedClock(plan, deviceId);
    if (found !== null && found.settings.runsPtp) planned.set(deviceId, found);
  }
  const portsOf = placedPorts(plan, topology, planned, cutSockets);
  const unicastIds = new Set<string>();
  for (const [id, { settings }] of planned) {
    if (settings.relay !== 'unicast') continue;
    unicastIds.add(id);
    for (const masterId of settings.unicastMasterIds) unicastIds.add(masterId);
  }
  return { planned, portsOf, mains: mainPartsOf(portsOf, NOBODY), unicastIds };
}

/** The sockets of devices first, which say where anyone is; then those of the boundary clocks between them. */
function placedPorts(
  plan: ModelledDevices & PlanOf<'settings' | 'switches' | 'interfaces'>,
  topology: Topology,
  planned: ClockFrame['planned'],
  cutSockets: ReadonlySet<string>,
): Map<string, PlacedPort[]> {
  const boundaries = boundariesByDomain(topology, planned);
  const partsByVlan = new Map<string, ClockParts>();
  const partsOf = (domain: number, subnetId: string) => {
    const key = `${domain} ${subnetId}`;
    let parts = partsByVlan.get(key);
    if (parts === undefined) {
      parts = clockPartsOf(topology, topology.network.treeOf(subnetId), boundaries.get(domain) ?? NO_SWITCHES);
      partsByVlan.set(key, parts);
    }
    return parts;
  };
  const portsOf = new Map<string, PlacedPort[]>();
  const between: { readonly switchId: string; readonly port: PlacedPort }[] = [];
  const inUse = new Map<string, { readonly domain: number; readonly subnetId: string; readonly parts: Set<string> }>();
  for (const [deviceId, { settings, model }] of planned) {
    const ports: PlacedPort[] = [];
    const domain = settings.domainNumber;
    for (const i of ownPorts(plan, deviceId, settings)) {
      const subnetId = i.subnetId as string;
      const parts = partsOf(domain, subnetId);
      const port = placedPort(i, subnetId, plan, topology, parts, model, cutSockets);
      ports.push(port);
      if (isRouted(i)) continue;
      const key = `${domain} ${subnetId}`;
      const used = inUse.get(key) ?? { domain, subnetId, parts: new Set<string>() };
      inUse.set(key, used);
      used.parts.add(port.part);
      const socket = model.ports.find((p) => p.role === i.name)?.name ?? '';
      const far = topology.portLinkOf(deviceId, socket);
      if (far === null || boundaries.get(domain)?.has(far.switchIndex) !== true) continue;
      const switchId = topology.network.bridges[far.switchIndex]?.deviceId as string;
      const { from, to } = far.link;
      between.push({ switchId, port: { ...port, interface: from.deviceId === switchId ? from.port : to.port } });
    }
    portsOf.set(deviceId, ports);
  }
  for (const { domain, subnetId, parts: used } of inUse.values()) {
    const { ports, islandOf } = partsOf(domain, subnetId);
    const timesFaced = new Map<string, number>();
    for (const { part } of ports) timesFaced.set(part, (timesFaced.get(part) ?? 0) + 1);
    for (const { switchId, socket, part } of ports) {
      // Nobody is there: no clock, and no other boundary clock.
      if (!used.has(part) && timesFaced.get(part) === 1) continue;
      const island = islandOf(topology.network.indexOfSwitch.get(switchId) as number);
      between.push({ switchId, port: { interface: socket, subnetId, island, part } });
    }
  }
  for (const { switchId, port } of between) portsOf.get(switchId)?.push(port);
  // The address of a router in a VLAN is no port beside its sockets there.
  for (const switchId of new Set(between.map((b) => b.switchId))) {
    const ports = portsOf.get(switchId) ?? [];
    const isAtSockets = new Set(ports.filter((p) => !isRouted({ name: p.interface })).map((p) => p.subnetId));
    portsOf.set(
      switchId,
      ports
        .filter((p) => !isRouted({ name: p.interface }) || !isAtSockets.has(p.subnetId))
        .sort((a, b) => compare(a.interface, b.interface) || compare(a.subnetId, b.subnetId)),
    );
  }
  return portsOf;
}

const NO_SWITCHES: ReadonlySet<number> = new Set();
const NOBODY: ReadonlySet<string> = new Set();
const compare = (a: string, b: string) => (a < b ? -1 : a > b ? 1 : 0);

/** By domain: the switches that are boundary clocks in it. Messages of other domains they pass on like any group. */
function boundariesByDomain(topology: Topology, planned: ClockFrame['planned']): Map<number, Set<number>> {
  const boundaries = new Map<number, Set<number>>();
  topology.network.bridges.forEach(({ deviceId }, index) => {
    const settings = planned.get(deviceId)?.settings;
    if (settings?.relay !== 'boundary') return;
    const known = boundaries.get(settings.domainNumber);
    if (known === undefined) boundaries.set(settings.domainNumber, new Set([index]));
    else known.add(index);
  });
  return boundaries;
}

/**
 * Clocks and the segments in which multicast PTP is received: the VLAN of a subnet, as far as cables join its switches and
 * up to the next boundary clock. Routers pass none on, unless they are boundary clocks.
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
    mains: lost.size === 0 ? frame.mains : mainPartsOf(frame.portsOf, lost),
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
  readonly mains: MainParts;
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

function networkClock(
  { frame, mains, grants, references, holdoverEnded }: Around,
  deviceId: string,
  found: PlannedClock,
): NetworkClock {
  const { settings, ability } = found;
  const ports: NetworkClockPort[] = [];
  const portKinds: PortKind[] = [];
  const addPort = (name: string, segment: string, subnetId: string | null, kind: PortKind) => {
    ports.push({ interface: name, segment, subnetId });
    portKinds.push(kind);
  };
  for (const port of frame.portsOf.get(deviceId) ?? [])
    addPort(port.interface, segmentOf(port, mains), port.subnetId, 'any');
  if (grants.has(deviceId)) addPort('unicast', `unicast:${deviceId}`, null, 'only-leads');
  if (settings.relay === 'unicast') {
    for (const masterId of settings.unicastMasterIds)
      if (grants.get(masterId)?.includes(deviceId) === true)
        addPort('unicast', `unicast:${masterId}`, null, 'only-follows');
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
    ports: ports.map((p) => p.segment),
    relays: settings.relay !== 'none',
    portKinds,
  };
  return { deviceId, planned: found, clock, ports };
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

function placedPort(
  i: Interface,
  subnetId: string,
  plan: PlanOf<'settings' | 'switches' | 'interfaces'> & ModelledDevices,
  { network, portLinkOf }: Topology,
  parts: ClockParts,
  model: PlannedClock['model'],
  cutSockets: ReadonlySet<string>,
): PlacedPort {
  const placed = (island: string | null, part = '') => ({ interface: i.name, subnetId, island, part });
  if (isRouted(i)) {
    const index = network.indexOfSwitch.get(i.deviceId);
    if (index === undefined || routingInForce(plan, i.deviceId) === 'none') return placed(null);
    return placed(parts.islandOf(index));
  }
  const port = model.ports.find((p) => p.role === i.name);
  const at = port === undefined ? null : portLinkOf(i.deviceId, port.name);
  if (at === null) return placed(cutSockets.has(`${i.deviceId} ${port?.name}`) ? `cut ${i.deviceId}` : null);
  if (at.switchIndex < 0) return placed(`link ${at.link.id}`);
  return placed(parts.islandOf(at.switchIndex), parts.partOf(at));
}

function mainPartsOf(portsOf: ClockFrame['portsOf'], lost: ReadonlySet<string>): MainParts {
  const islands = new Map<string, Map<string, number>>();
  const parts = new Map<string, Map<string, number>>();
  const countIn = (counts: Map<string, Map<string, number>>, key: string, of: string) => {
    let known = counts.get(key);
    if (known === undefined) counts.set(key, (known = new Map<string, number>()));
    known.set(of, (known.get(of) ?? 0) + 1);
  };
  for (const [deviceId, ports] of portsOf) {
    if (lost.has(deviceId)) continue;
    for (const { island, part, subnetId } of ports) {
      if (island === null) continue;
      countIn(islands, subnetId, island);
      countIn(parts, `${subnetId} ${island}`, part);
    }
  }
  const mostIn = (counts: ReadonlyMap<string, number> | undefined) =>
    [...(counts ?? [])].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))[0]?.[0] ?? '';
  return new Map(
    [...islands].map(([subnetId, counts]) => {
      const island = mostIn(counts);
      return [subnetId, { island, part: mostIn(parts.get(`${subnetId} ${island}`)) }];
    }),
  );
}

/** The id of the subnet for its main part. */
function segmentOf({ subnetId, island, part }: PlacedPort, mains: MainParts): string {
  const main = mains.get(subnetId);
  if (island === null || main === undefined) return subnetId;
  const own = island === main.island ? subnetId : `${subnetId}${CUT_OFF}${island}`;
  return part === '' || (island === main.island && part === main.part) ? own : `${own} ${part}`;
}

const CUT_OFF = ' | ';

/** Whether cables do not join a segment with most of its subnet. */
export const isCutOff = (segment: string): boolean => segment.includes(CUT_OFF);

/**
 * A network in which nothing has failed, without one of its clocks. Where no reference comes from it and most of its subnets is
 * where it was, only those that ask for time across routers, or are asked, can become otherwise.
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
  const mains = mainPartsOf(frame.portsOf, lost);
  const isMissed =
    [...references.values()].some((r) => r.reference.fromDeviceId === lostId) ||
    (frame.portsOf.get(lostId) ?? []).some(({ subnetId }) => {
      const [before, after] = [frame.mains.get(subnetId), mains.get(subnetId)];
      return before?.island !== after?.island || before?.part !== after?.part;
    });
  if (isMissed) return clockNetworkOf(frame, plan, topology, references, lost);
  const clocks = new Map(network.clocks);
  clocks.delete(lostId);
  if (frame.unicastIds.has(lostId)) {
    const around: Around = {
      frame,
      mains,
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
