import { mayLead, restOf, type ClockState, type PortState, type Rest } from './best-master';
import { ClocksByIdentity } from './identities';
import type { ClockNetwork, NetworkClock } from './network-clocks';

/** Whose time a device keeps, and by which way it gets it. */
export interface KeptTime {
  readonly deviceId: string;
  readonly domainNumber: number;
  /** Itself where it leads its part of the network; null where it hears nobody and may not lead. */
  readonly grandmasterId: string | null;
  /** The clock that it hears; null for a grandmaster and for whoever hears nobody. */
  readonly parentId: string | null;
  readonly stepsRemoved: number | null;
  /** The grandmaster that it hears and does not follow: it may not lead, and its own data set is better. */
  readonly ignoresId: string | null;
  readonly clockClass: number;
  /** The segment in which it hears its parent. */
  readonly segment: string | null;
  readonly ports: readonly KeptPort[];
  /** Gives time in some segment although it is no grandmaster. */
  readonly isRelaying: boolean;
  /** Relays or would lead, and stands by for whoever does. */
  readonly isStandingBy: boolean;
}

interface KeptPort {
  readonly interface: string;
  readonly segment: string;
  readonly subnetId: string | null;
  readonly state: PortState;
}

export interface TimeSegment {
  readonly id: string;
  readonly subnetId: string | null;
  readonly deviceIds: readonly string[];
  /** Who leads there, one for each PTP domain in use, in the order of domains. */
  readonly leaderIds: readonly string[];
}

export interface TimeKeeping {
  readonly byDevice: ReadonlyMap<string, KeptTime>;
  readonly segments: ReadonlyMap<string, TimeSegment>;
  /** Those who are followed by someone first, most followers first. */
  readonly grandmasterIds: readonly string[];
}

/** Lets the clocks of a network come to rest and says who keeps whose time. */
export function keepTime(network: ClockNetwork): TimeKeeping {
  const { rest, idByIdentity } = atRest(network);
  const byDevice = new Map<string, KeptTime>();
  let isAnyVersion1 = false;
  for (const found of network.clocks.values()) {
    if (!hearsVersion2(found)) isAnyVersion1 = true;
    else byDevice.set(found.deviceId, keptBy(found, stateOf(rest, found), idByIdentity));
  }
  if (isAnyVersion1) {
    for (const found of network.clocks.values())
      if (!byDevice.has(found.deviceId)) byDevice.set(found.deviceId, keptByVersion1(found, network, byDevice));
  }
  const followers = new Followers();
  for (const { deviceId, grandmasterId, ports } of byDevice.values())
    followers.add(deviceId, grandmasterId, ports.length > 0);
  return { byDevice, segments: segmentsOf(network, byDevice), grandmasterIds: followers.inOrder() };
}

const hearsVersion2 = ({ planned }: NetworkClock) => planned.ability.ptpVersions.includes(2);

const stateOf = ({ speakers, stateOf: ofListener }: Rest, { deviceId, clock }: NetworkClock): ClockState =>
  speakers.get(deviceId) ?? ofListener(clock);

function atRest(network: ClockNetwork): { readonly rest: Rest; readonly idByIdentity: ClocksByIdentity } {
  const clocks: NetworkClock['clock'][] = [];
  const idByIdentity = new ClocksByIdentity();
  for (const found of network.clocks.values()) {
    if (hearsVersion2(found)) clocks.push(found.clock);
    idByIdentity.set(found.clock.domainNumber, found.clock.clockIdentity, found.deviceId);
  }
  return { rest: restOf(clocks), idByIdentity };
}

/** Who leads whom, and nothing else: what drills ask, again and again. It is what `keepTime` says of grandmasters. */
export function leadersOf(network: ClockNetwork): {
  readonly grandmasterOf: ReadonlyMap<string, string | null>;
  readonly grandmasterIds: readonly string[];
} {
  for (const found of network.clocks.values()) {
    if (hearsVersion2(found)) continue;
    const { byDevice, grandmasterIds } = keepTime(network);
    return { grandmasterOf: new Map([...byDevice].map(([id, k]) => [id, k.grandmasterId])), grandmasterIds };
  }
  const { rest, idByIdentity } = atRest(network);
  const grandmasterOf = new Map<string, string | null>();
  const followers = new Followers();
  for (const found of network.clocks.values()) {
    const { deviceId, clock, ports } = found;
    const speaker = rest.speakers.get(deviceId);
    const grandmasterId =
      speaker === undefined
        ? otherThan(deviceId, idByIdentity.get(clock.domainNumber, rest.sourceOf(clock)))
        : leadOf(found, speaker, idByIdentity).grandmasterId;
    grandmasterOf.set(deviceId, grandmasterId);
    followers.add(deviceId, grandmasterId, ports.length > 0);
  }
  return { grandmasterOf, grandmasterIds: followers.inOrder() };
}

/** One that never leads and names itself keeps nobody's time. */
const otherThan = (deviceId: string, named: string | null) => (named === deviceId ? null : named);

function leadOf({ clock, deviceId, ports }: NetworkClock, state: ClockState, idByIdentity: ClocksByIdentity) {
  const named = idByIdentity.get(clock.domainNumber, state.grandmasterIdentity);
  const { portStates } = state;
  const isBeaten = portStates.includes('passive');
  // Answering who asks it across routers makes no grandmaster of one that is beaten where it is.
  const leads = portStates.some((s, n) => s === 'leads' && (ports[n]?.subnetId !== null || !isBeaten));
  const isGrandmaster = named === deviceId && leads;
  // One that is locked to a primary reference and beaten keeps that reference's time: here it is nobody's follower.
  return { grandmasterId: isGrandmaster ? named : otherThan(deviceId, named), leads, isBeaten, isGrandmaster };
}

function keptBy(found: NetworkClock, state: ClockState, idByIdentity: ClocksByIdentity): KeptTime {
  const { clock, deviceId } = found;
  const { grandmasterId, leads, isBeaten, isGrandmaster } = leadOf(found, state, idByIdentity);
  const ports = found.ports.map((port, n): KeptPort => ({ ...port, state: state.portStates[n] as PortState }));
  return {
    deviceId,
    domainNumber: clock.domainNumber,
    grandmasterId,
    parentId: state.parent,
    // One that may not lead and follows nobody names itself, and keeps nobody's time.
    stepsRemoved: mayLead(clock) || state.follows !== null ? state.stepsRemoved : null,
    ignoresId: state.ignores ? idByIdentity.get(clock.domainNumber, state.ignores.grandmaster.clockIdentity) : null,
    clockClass: clock.clockClass,
    segment: ports.find((p) => p.state === 'follows')?.segment ?? null,
    ports,
    isRelaying: leads && !isGrandmaster,
    isStandingBy: !leads && isBeaten,
  };
}

/** IEEE 1588-2002 devices hear only those that speak both: they follow the first of them in their segments. */
function keptByVersion1(found: NetworkClock, network: ClockNetwork, byDevice: ReadonlyMap<string, KeptTime>): KeptTime {
  const { deviceId, clock } = found;
  for (const port of found.ports) {
    for (const otherId of network.membersBySegment.get(port.segment) ?? []) {
      const versions = network.clocks.get(otherId)?.planned.ability.ptpVersions ?? [];
      const other = byDevice.get(otherId);
      if (other === undefined || !versions.includes(1) || !versions.includes(2) || other.grandmasterId === null)
        continue;
      return {
        deviceId,
        domainNumber: clock.domainNumber,
        grandmasterId: other.grandmasterId,
        parentId: otherId,
        stepsRemoved: (other.stepsRemoved ?? 0) + 1,
        ignoresId: null,
        clockClass: clock.clockClass,
        segment: port.segment,
        ports: found.ports.map((p) => ({ ...p, state: p === port ? 'follows' : 'listening' })),
        isRelaying: false,
        isStandingBy: false,
      };
    }
  }
  return {
    deviceId,
    domainNumber: clock.domainNumber,
    grandmasterId: null,
    parentId: null,
    stepsRemoved: null,
    ignoresId: null,
    clockClass: clock.clockClass,
    segment: null,
    ports: found.ports.map((p) => ({ ...p, state: 'listening' })),
    isRelaying: false,
    isStandingBy: false,
  };
}

function segmentsOf(network: ClockNetwork, byDevice: ReadonlyMap<string, KeptTime>): Map<string, TimeSegment> {
  const segments = new Map<string, TimeSegment>();
  const leaders = new Map<string, { id: string; domainNumber: number }[]>();
  const subnets = new Map<string, string | null>();
  for (const kept of byDevice.values()) {
    for (const p of kept.ports) {
      subnets.set(p.segment, p.subnetId);
      if (p.state !== 'leads') continue;
      const list = leaders.get(p.segment);
      const leader = { id: kept.deviceId, domainNumber: kept.domainNumber };
      if (list === undefined) leaders.set(p.segment, [leader]);
      else list.push(leader);
    }
  }
  for (const [id, deviceIds] of [...network.membersBySegment].sort((a, b) => (a[0] < b[0] ? -1 : 1))) {
    const leading = (leaders.get(id) ?? []).sort((a, b) => a.domainNumber - b.domainNumber);
    segments.set(id, { id, subnetId: subnets.get(id) ?? null, deviceIds, leaderIds: leading.map((l) => l.id) });
  }
  return segments;
}

/** How many follow each of those who lead themselves. */
class Followers {
  private readonly counts = new Map<string, number>();

  add(deviceId: string, grandmasterId: string | null, hasPorts: boolean): void {
    if (grandmasterId === null) return;
    const { counts } = this;
    if (grandmasterId !== deviceId) counts.set(grandmasterId, (counts.get(grandmasterId) ?? 0) + 1);
    else if (hasPorts) counts.set(deviceId, counts.get(deviceId) ?? 0);
  }

  /** With most followers first. */
  inOrder(): string[] {
    return [...this.counts].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).map(([id]) => id);
  }
}
