import { rule } from './rule';
import { leadersWithout, type Clocks } from '../clocks/clocks';
import { COMPARED_FIELDS } from '../clocks/dataset';
import type { ClockAbility } from '../clocks/clock-ability';
import { PRIORITY_DEFAULT, type PlannedClock } from '../clocks/clock-settings';
import { followsAt, INTERVAL_FIELDS, intervalsOf } from '../clocks/profiles';
import type { TimeKeeping, TimeSegment } from '../clocks/kept-time';
import { isCutOff, type NetworkClock } from '../clocks/network-clocks';
import type { Topology } from '../network/topology';
import type { PlanOf, ModelledDevices } from '../plan/plan';
import type { FindingAbout } from './finding';
import { TIME_KINDS } from './areas';

type Found = FindingAbout<(typeof TIME_KINDS)[number]>;

/** Who keeps time: grandmasters, ties, relays and their spares, profiles and domains. */
function clockFindings(
  plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'switches' | 'references' | 'clocks' | 'interfaces'>,
  topology: Topology,
  clocks: Clocks,
): Found[] {
  return [
    ...grandmasterFindings(plan, topology, clocks),
    ...priorityFindings(clocks),
    ...relayFindings(plan, topology, clocks),
    ...settingFindings(clocks),
    ...domainFindings(clocks),
  ];
}

const finding = (found: Found): Found => found;

function followersOf({ time }: Clocks, masterId: string): string[] {
  const ids: string[] = [];
  for (const k of time.byDevice.values()) {
    if (k.grandmasterId === masterId && k.deviceId !== masterId) ids.push(k.deviceId);
  }
  return ids;
}

const isMedia = (plan: PlanOf<'subnets'>, subnetId: string | null) => {
  const role = subnetId === null ? null : plan.subnets.get(subnetId)?.role;
  return role === 'A' || role === 'B';
};

function grandmasterFindings(
  plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'switches' | 'references' | 'clocks' | 'interfaces'>,
  topology: Topology,
  clocks: Clocks,
): Found[] {
  const findings: Found[] = [];
  const { time, media, network } = clocks;
  const followed = time.grandmasterIds
    .map((id) => ({ id, followers: followersOf(clocks, id) }))
    .filter((m) => m.followers.length > 0);
  // Where a grandmaster could be heard if relays passed its time on: the routed networks that it and its followers are in.
  const routedDomains = (ids: readonly string[]) =>
    new Set(
      ids.flatMap((id) =>
        (time.byDevice.get(id)?.ports ?? []).flatMap((p) =>
          p.subnetId === null ? [] : [topology.routes.domainOf('unicast', p.subnetId)],
        ),
      ),
    );
  for (const [n, first] of followed.entries()) {
    for (const second of followed.slice(n + 1)) {
      const kept = time.byDevice.get(second.id);
      if (kept === undefined || kept.domainNumber !== time.byDevice.get(first.id)?.domainNumber) continue;
      const domains = routedDomains([first.id, ...first.followers]);
      if (![...routedDomains([second.id, ...second.followers])].some((d) => domains.has(d))) continue;
      const subnetIds = new Set<string>();
      for (const id of second.followers) {
        const segment = time.byDevice.get(id)?.segment;
        const subnetId = segment == null ? null : time.segments.get(segment)?.subnetId;
        if (subnetId != null) subnetIds.add(subnetId);
      }
      const areSynchronous = media.get(first.id)?.originKey === media.get(second.id)?.originKey;
      findings.push(
        finding({
          id: `grandmasters|${[first.id, second.id].sort().join('|')}`,
          severity: areSynchronous ? 'caution' : 'refusal',
          deviceIds: [second.id, first.id],
          about: 'two-grandmasters',
          domainNumber: kept.domainNumber,
          grandmasterIds: [first.id, second.id],
          subnetIds: [...subnetIds].sort(),
          areSynchronous,
        }),
      );
    }
  }
  for (const { id, followers } of followed) {
    if (network.clocks.get(id)?.planned.ability.isBattery === true) {
      findings.push(
        finding({
          id: `battery|${id}`,
          severity: 'caution',
          deviceIds: [id],
          about: 'battery-grandmaster',
          followers: followers.length,
        }),
      );
    }
    findings.push(...spareFindings(plan, topology, clocks, id, followers));
  }
  return findings;
}

/** A spare is one whom the plan has told to come next; whoever happens to come next is none. */
function spareFindings(
  plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'switches' | 'references' | 'clocks' | 'interfaces'>,
  topology: Topology,
  clocks: Clocks,
  masterId: string,
  followers: readonly string[],
): Found[] {
  const isTold = (id: string) => {
    const planned = clocks.network.clocks.get(id)?.planned;
    return planned !== undefined && planned.isStated && planned.settings.priority1 < PRIORITY_DEFAULT;
  };
  if (!isTold(masterId)) return []; // nobody has decided anything yet: that is another finding
  const after = leadersWithout(clocks.network, plan, topology, masterId);
  const without = followers.filter((id) => (after.grandmasterOf.get(id) ?? null) === null);
  const next = after.grandmasterIds.find((id) => followers.some((f) => after.grandmasterOf.get(f) === id));
  if (without.length === 0 && next !== undefined && isTold(next)) return [];
  const own = clocks.time.byDevice.get(masterId);
  const roles = new Set((own?.ports ?? []).map((p) => plan.subnets.get(p.subnetId ?? '')?.role));
  return [
    finding({
      id: `spare|${masterId}`,
      severity: 'caution',
      deviceIds: [masterId],
      about: 'grandmaster-no-spare',
      isOnBothLegs: roles.has('A') && roles.has('B'),
      nextId: next ?? null,
      devicesWithoutTime: without.length,
    }),
  ];
}

/** Whether only the identity tells two clocks apart. */
function areTied(a: NetworkClock, b: NetworkClock): boolean {
  return COMPARED_FIELDS.every((f) => f === 'clockIdentity' || a.clock[f] === b.clock[f]);
}

function priorityFindings({ network, time }: Clocks): Found[] {
  const findings: Found[] = [];
  for (const { planned, deviceId } of network.clocks.values()) {
    const { settings, ability, isStated } = planned;
    if (!settings.clientOnly && ability.mayLead) continue;
    const ignoresId = time.byDevice.get(deviceId)?.ignoresId ?? null;
    if (ignoresId === null && (!isStated || settings.priority1 >= PRIORITY_DEFAULT)) continue;
    findings.push(
      finding({
        id: `only-follows|${deviceId}`,
        severity: ignoresId === null ? 'caution' : 'refusal',
        deviceIds: [deviceId],
        about: 'leader-only-follows',
        priority1: settings.priority1,
        canLead: ability.mayLead,
        ignoresId,
      }),
    );
  }
  for (const winnerId of time.grandmasterIds) {
    const winner = network.clocks.get(winnerId);
    if (winner === undefined) continue;
    const rivals: NetworkClock[] = [];
    for (const other of network.clocks.values()) {
      const kept = time.byDevice.get(other.deviceId);
      if (other.deviceId === winnerId || other.clock.clientOnly || other.clock.clockClass === 255) continue;
      if (kept?.grandmasterId === winnerId) rivals.push(other);
    }
    if (rivals.length === 0) continue;
    const all = [winner, ...rivals];
    const isDefault = ({ clock }: NetworkClock) =>
      clock.priority1 === PRIORITY_DEFAULT && clock.priority2 === PRIORITY_DEFAULT;
    if (all.every(isDefault)) {
      findings.push(
        finding({
          id: `default|${winner.clock.domainNumber}|${winnerId}`,
          severity: 'caution',
          deviceIds: all.map((c) => c.deviceId),
          about: 'priorities-default',
          count: all.length,
          winnerId,
        }),
      );
      continue;
    }
    const tied = rivals.filter((r) => areTied(winner, r));
    if (tied.length === 0) continue;
    findings.push(
      finding({
        id: `tie|${winnerId}`,
        severity: 'caution',
        deviceIds: [winnerId, ...tied.map((c) => c.deviceId)],
        about: 'clock-tie',
        winnerId,
        isIdentityKnown: [winner, ...tied].every((c) => c.planned.settings.clockIdentity !== null),
      }),
    );
  }
  return findings;
}

function relayFindings(
  plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'switches' | 'references' | 'clocks' | 'interfaces'>,
  topology: Topology,
  clocks: Clocks,
): Found[] {
  const { network, time } = clocks;
  const findings: Found[] = network.unreachable.map(({ relayId, masterId }) =>
    finding({
      id: `unreachable|${relayId}|${masterId}`,
      severity: 'caution',
      deviceIds: [relayId],
      about: 'relay-unreachable',
      relayId,
      masterId,
    }),
  );
  const isTimeElsewhere = time.grandmasterIds.length > 0;
  const relays = new Map<string, { subnetId: string; deviceIds: readonly string[] }[]>();
  for (const { id, subnetId, segments } of bySubnet(time)) {
    if (!isMedia(plan, subnetId)) continue;
    const devicesWhere = (isMeant: (segment: TimeSegment, deviceId: string) => boolean) => [
      ...new Set(segments.flatMap((s) => s.deviceIds.filter((deviceId) => isMeant(s, deviceId)))),
    ];
    const isWaiting = (deviceId: string) => time.byDevice.get(deviceId)?.grandmasterId === null;
    const hasVersion2 = (deviceId: string) =>
      network.clocks.get(deviceId)?.planned.ability.ptpVersions.includes(2) === true;
    const version1 = devicesWhere((_, deviceId) => isWaiting(deviceId) && !hasVersion2(deviceId));
    if (version1.length > 0) {
      findings.push(
        finding({
          id: `version-1|${id}`,
          severity: 'refusal',
          deviceIds: version1,
          about: 'version-1-alone',
          subnetId,
        }),
      );
    }
    const version2 = devicesWhere(
      (s, deviceId) => s.leaderIds.length === 0 && isWaiting(deviceId) && hasVersion2(deviceId),
    );
    if (version2.length > 0) {
      findings.push(
        finding({
          id: `no-time|${id}`,
          severity: isTimeElsewhere ? 'refusal' : 'caution',
          deviceIds: version2,
          about: 'subnet-no-time',
          subnetId,
          devices: version2.length,
          isTimeElsewhere,
        }),
      );
    }
    for (const leaderId of new Set(segments.flatMap((s) => s.leaderIds))) {
      const leader = time.byDevice.get(leaderId);
      // What a switch passes on within a subnet goes with the switch itself, time or not.
      const isWithinSubnet = time.segments.get(leader?.segment ?? '')?.subnetId === subnetId;
      if (leader?.isRelaying !== true || isWithinSubnet) continue;
      const fed = devicesWhere((s, deviceId) => {
        const kept = time.byDevice.get(deviceId);
        return kept?.parentId === leaderId && kept.segment === s.id;
      });
      if (fed.length > 0) relays.set(leaderId, [...(relays.get(leaderId) ?? []), { subnetId, deviceIds: fed }]);
    }
  }
  for (const [relayId, subnets] of [...relays].sort((a, b) => (a[0] < b[0] ? -1 : 1))) {
    const after = leadersWithout(network, plan, topology, relayId);
    for (const { subnetId, deviceIds } of subnets) {
      const lost = deviceIds.filter((id) => after.grandmasterOf.get(id) !== time.byDevice.get(id)?.grandmasterId);
      if (lost.length === 0) continue;
      findings.push(
        finding({
          id: `relay-spare|${subnetId}|${relayId}`,
          severity: 'caution',
          deviceIds: [relayId, ...lost],
          about: 'relay-no-spare',
          subnetId,
          relayId,
          devices: lost.length,
        }),
      );
    }
  }
  return findings;
}

/** Whether a clock can follow a leader. Asked by thousands of a few abilities, one after another: the last answer for an ability is kept. */
function followingKnown(): (own: PlannedClock, leader: PlannedClock) => boolean {
  const known = new Map<ClockAbility, { leader: PlannedClock; announceTimeout: number; does: boolean }>();
  return (own, leader) => {
    const { announceTimeout } = own.settings;
    const last = known.get(own.ability);
    if (last?.leader === leader && last.announceTimeout === announceTimeout) return last.does;
    const does = followsAt(own.ability, intervalsOf(leader.settings), announceTimeout);
    known.set(own.ability, { leader, announceTimeout, does });
    return does;
  };
}

/** Profiles and intervals that do not meet, told once for each leader. */
function settingFindings({ network, time }: Clocks): Found[] {
  const unmet = new Map<string, string[]>();
  const differing = new Map<string, { ids: string[]; values: Set<number> }>();
  const doesFollow = followingKnown();
  for (const kept of time.byDevice.values()) {
    if (kept.parentId === null) continue;
    const own = network.clocks.get(kept.deviceId)?.planned;
    const leader = network.clocks.get(kept.parentId)?.planned;
    if (own === undefined || leader === undefined || !own.ability.ptpVersions.includes(2)) continue;
    if (!doesFollow(own, leader)) {
      const ids = unmet.get(kept.parentId);
      if (ids === undefined) unmet.set(kept.parentId, [kept.deviceId]);
      else ids.push(kept.deviceId);
      continue;
    }
    for (const field of INTERVAL_FIELDS) {
      if (field === 'announceTimeout') continue;
      if (own.settings[field] === leader.settings[field]) continue;
      const key = `${kept.parentId}|${field}`;
      const known = differing.get(key) ?? { ids: [], values: new Set() };
      known.ids.push(kept.deviceId);
      known.values.add(own.settings[field]);
      differing.set(key, known);
    }
  }
  const findings: Found[] = [];
  for (const [leaderId, ids] of unmet) {
    findings.push(
      finding({ id: `profile|${leaderId}`, severity: 'refusal', deviceIds: ids, about: 'profile-unmet', leaderId }),
    );
  }
  for (const [key, { ids, values }] of differing) {
    const [leaderId, field] = key.split('|') as [string, (typeof INTERVAL_FIELDS)[number]];
    findings.push(
      finding({
        id: `intervals|${key}`,
        severity: 'caution',
        deviceIds: ids,
        about: 'intervals-differ',
        leaderId,
        field,
        leaderValue: network.clocks.get(leaderId)?.planned.settings[field] ?? 0,
        values: [...values].sort((a, b) => a - b),
      }),
    );
  }
  return findings;
}

/** Boundary clocks divide a subnet into many segments: what is said of it is said once. What cables do not join is apart. */
function bySubnet(time: TimeKeeping): { id: string; subnetId: string; segments: TimeSegment[] }[] {
  const groups = new Map<string, { id: string; subnetId: string; segments: TimeSegment[] }>();
  for (const segment of time.segments.values()) {
    const { subnetId } = segment;
    if (subnetId === null) continue;
    const id = isCutOff(segment.id) ? segment.id : subnetId;
    const group = groups.get(id);
    if (group === undefined) groups.set(id, { id, subnetId, segments: [segment] });
    else group.segments.push(segment);
  }
  return [...groups.values()];
}

function domainFindings({ network, time }: Clocks): Found[] {
  const findings: Found[] = [];
  const domains = new Set<number>();
  for (const { clock } of network.clocks.values()) domains.add(clock.domainNumber);
  if (domains.size < 2) return findings;
  for (const { id, subnetId, segments } of bySubnet(time)) {
    const byDomain = new Map<number, string[]>();
    for (const deviceId of new Set(segments.flatMap((s) => s.deviceIds))) {
      const domainNumber = network.clocks.get(deviceId)?.clock.domainNumber ?? 0;
      const ids = byDomain.get(domainNumber);
      if (ids === undefined) byDomain.set(domainNumber, [deviceId]);
      else ids.push(deviceId);
    }
    const [usual, ...others] = [...byDomain].sort((a, b) => b[1].length - a[1].length || a[0] - b[0]);
    if (usual === undefined) continue;
    for (const [domainNumber, ids] of others) {
      findings.push(
        finding({
          id: `domain|${id}|${domainNumber}`,
          severity: 'caution',
          deviceIds: ids,
          about: 'domains-differ',
          subnetId,
          domainNumber,
          usualDomain: usual[0],
        }),
      );
    }
  }
  return findings;
}

export const clockRule = rule({
  finds: TIME_KINDS,
  reads: ['modelled', 'settings', 'subnets', 'switches', 'references', 'clocks', 'interfaces', 'topology', 'clockwork'],
  find: ({ modelled, topology, clockwork, ...plan }) => clockFindings({ ...modelled, ...plan }, topology, clockwork),
});
