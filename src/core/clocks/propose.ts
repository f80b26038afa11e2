import type { DeviceKind } from '../models/models-table';
import type { Topology } from '../network/topology';
import type { Command } from '../plan/commands';
import { freeId } from '../edits/propose-devices';
import type { PlanOf } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import type { ClockGroup } from './clock-groups-table';
import type { ClockSettings } from './clocks-table';
import { CLOCK_PROFILES, type ClockProfile } from './clock-ability';
import { plannedClock, type PlannedClock } from './clock-settings';
import { canReach } from './network-clocks';
import { accepts, PROFILE_RULES } from './profiles';
import { mediaClasses, problemFor, referenceStates } from './reference-state';

/** Why a clock stands where it does in the order of those that may lead, the weightiest first. */
export type LeadReason = 'gnss' | 'locked' | 'dedicated' | 'console' | 'device' | 'endpoint';

/** What a proposal decided, with what decided it. The interface words it. */
export type ClockChoice =
  | {
      readonly what: 'grandmaster' | 'spare';
      readonly deviceId: string;
      readonly because: LeadReason;
      /** Legs on which it is heard. */
      readonly subnetIds: readonly string[];
      /** Set for a spare that could only be had in the same place. */
      readonly isBesideGrandmaster: boolean;
    }
  | { readonly what: 'no-grandmaster' }
  | { readonly what: 'no-spare' }
  | {
      readonly what: 'relay' | 'spare-relay';
      readonly subnetId: string;
      readonly deviceId: string;
      readonly by: 'boundary' | 'unicast';
    }
  | { readonly what: 'no-relay' | 'no-spare-relay'; readonly subnetId: string }
  | {
      readonly what: 'profile';
      readonly profile: ClockProfile;
      readonly domainNumber: number;
      readonly accept: number;
      /** Devices that accept nothing of it. */
      readonly refuse: readonly string[];
    }
  | { readonly what: 'followers'; readonly count: number }
  | {
      readonly what: 'authority';
      readonly groupId: string;
      readonly groupName: string;
      readonly rateHz: number;
      readonly authority: ClockGroup['authority'];
      readonly because: 'stated' | 'console' | 'player' | 'grandmaster' | 'only';
    };

export interface ClockProposal {
  readonly commands: readonly Command[];
  readonly choices: readonly ClockChoice[];
}

/**
 * Priority 1 of the grandmaster and its spare, which is one and the same, so that class decides as soon as one of them loses its reference; of a
 * spare that would lead by its figures although another is to lead; and of relays, which should lead only when both are gone.
 */
const PRIORITY_FIRST = 10;
const PRIORITY_SPARE = 20;
const PRIORITY_RELAY = 200;

const KIND_ORDER: Readonly<Record<DeviceKind, LeadReason>> = {
  clock: 'dedicated',
  console: 'console',
  processor: 'device',
  player: 'device',
  converter: 'device',
  'stage-box': 'device',
  switch: 'device',
  recorder: 'endpoint',
  amplifier: 'endpoint',
  wireless: 'endpoint',
  endpoint: 'endpoint',
};
const REASON_ORDER: readonly LeadReason[] = ['gnss', 'locked', 'dedicated', 'console', 'device', 'endpoint'];

interface Candidate {
  readonly deviceId: string;
  readonly planned: PlannedClock;
  readonly because: LeadReason;
  readonly subnetIds: readonly string[];
}

/**
 * A clock plan for the whole network as one batch: grandmaster and spare, a relay and its spare for every subnet that the
 * grandmaster is not in, priorities without ties, one profile and interval set, and who decides the rate. Everything that
 * it decides it also explains. The same plan gives the same proposal.
 */
export function proposeClocks(
  plan: PlanOf<'models' | 'devices' | 'references' | 'clockGroups' | 'clocks' | 'interfaces'>,
  topology: Topology,
): ClockProposal {
  const planned = new Map<string, PlannedClock>();
  for (const id of [...plan.devices.keys()].sort()) {
    const found = plannedClock(plan, id);
    if (found !== null) planned.set(id, found);
  }
  const choices: ClockChoice[] = [];
  const settings = new Map<string, ClockSettings>();
  const set = (id: string, change: Partial<ClockSettings>) => {
    const known = settings.get(id) ?? planned.get(id)?.settings;
    if (known !== undefined) settings.set(id, { ...known, ...change });
  };
  for (const [id, { settings: own, model }] of planned) {
    if (model.switching === null || own.runsPtp) set(id, { runsPtp: true, relay: 'none', unicastMasterIds: [] });
  }

  const profile = profileFor(planned, settings);
  choices.push(profile);
  for (const id of settings.keys()) {
    set(id, { profile: profile.profile, domainNumber: profile.domainNumber, ...PROFILE_RULES[profile.profile].usual });
  }

  const candidates = candidatesOf(plan, planned);
  const first = candidates[0];
  const spare = spareFor(plan, candidates);
  choices.push(
    first === undefined ? { what: 'no-grandmaster' } : leadChoice('grandmaster', first, false),
    ...(first === undefined
      ? []
      : [spare === null ? { what: 'no-spare' as const } : leadChoice('spare', spare.candidate, spare.isBeside)]),
  );
  const masters = [first, spare?.candidate].filter((c): c is Candidate => c !== undefined);
  for (const id of settings.keys()) set(id, { clientOnly: true, priority1: 255, priority2: 255 });
  const isByClass = first !== undefined && spare !== null && leadsByFigures(first, spare.candidate, plan, planned);
  masters.forEach(({ deviceId }, n) => {
    const priority1 = n === 0 || isByClass ? PRIORITY_FIRST : PRIORITY_SPARE;
    set(deviceId, { clientOnly: false, priority1, priority2: n + 1, ...listening(deviceId, planned) });
  });

  const relays = relaysFor(plan, topology, planned, masters);
  choices.push(...relays.choices);
  let next = 1;
  for (const [deviceId, { relay, masterIds }] of relays.byDevice) {
    const isMaster = masters.some((m) => m.deviceId === deviceId);
    const priorities = isMaster ? {} : { clientOnly: false, priority1: PRIORITY_RELAY, priority2: next };
    set(deviceId, { runsPtp: true, relay, unicastMasterIds: masterIds, ...priorities });
    if (!isMaster) next += 1;
  }
  choices.push({ what: 'followers', count: settings.size - masters.length - (next - 1) });

  const rates = ratesFor(plan, planned, first ?? null);
  choices.push(...rates.choices);
  for (const [id, groupId] of rates.groupByDevice) set(id, { groupId });
  const commands: Command[] = [...rates.commands];
  for (const [id, wanted] of settings) {
    if (!sameValue(plan.clocks.get(id), wanted)) commands.push({ kind: 'put-clock', settings: wanted });
  }
  return { commands, choices };
}

/** The first profile that all accept: the common subset takes over quickest among those that AES67 devices keep. */
function profileFor(
  planned: ReadonlyMap<string, PlannedClock>,
  used: ReadonlyMap<string, ClockSettings>,
): Extract<ClockChoice, { what: 'profile' }> {
  const counts = CLOCK_PROFILES.map((profile) => {
    const refuse: string[] = [];
    for (const [id, { ability }] of planned) {
      if (used.has(id) && !accepts(ability, PROFILE_RULES[profile].usual)) refuse.push(id);
    }
    return { profile, refuse };
  });
  const order: readonly ClockProfile[] = ['common', 'aes67', 'st2059'];
  const best = counts.sort(
    (a, b) => a.refuse.length - b.refuse.length || order.indexOf(a.profile) - order.indexOf(b.profile),
  )[0] as (typeof counts)[number];
  // One domain: the one in which most devices are already.
  const domains = new Map<number, number>();
  for (const { domainNumber } of used.values()) domains.set(domainNumber, (domains.get(domainNumber) ?? 0) + 1);
  const domainNumber = [...domains].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0]?.[0] ?? 0;
  return {
    what: 'profile',
    profile: best.profile,
    domainNumber,
    accept: used.size - best.refuse.length,
    refuse: best.refuse,
  };
}

function mediaSubnetsOf(plan: PlanOf<'interfaces'>, deviceId: string): string[] {
  const ids = new Set<string>();
  for (const i of plan.interfaces.get(deviceId)?.values() ?? []) {
    if ((i.name === 'A' || i.name === 'B') && i.subnetId !== null && i.address !== null) ids.add(i.subnetId);
  }
  return [...ids].sort();
}

function candidatesOf(
  plan: PlanOf<'devices' | 'references' | 'interfaces'>,
  planned: ReadonlyMap<string, PlannedClock>,
): Candidate[] {
  const references = referenceStates(plan, new Set(), new Set());
  const candidates: Candidate[] = [];
  for (const [deviceId, found] of planned) {
    const { ability, settings, model } = found;
    if (!ability.mayLead || ability.isBattery || !ability.ptpVersions.includes(2) || model.switching !== null) continue;
    const subnetIds = mediaSubnetsOf(plan, deviceId);
    if (subnetIds.length === 0) continue;
    const fed = settings.referenceIds.flatMap((id) => {
      const state = references.get(id);
      const rateHz = plan.devices.get(deviceId)?.rateHz ?? 48_000;
      return state !== undefined && problemFor(found, rateHz, state) === null ? [state.reference.kind] : [];
    });
    const isBetter = (kind: boolean) => kind && ability.classLocked < 128;
    const because = isBetter(fed.includes('gnss'))
      ? 'gnss'
      : isBetter(fed.length > 0)
        ? 'locked'
        : KIND_ORDER[model.kind];
    candidates.push({ deviceId, planned: found, because, subnetIds });
  }
  return candidates.sort(
    (a, b) =>
      REASON_ORDER.indexOf(a.because) - REASON_ORDER.indexOf(b.because) ||
      // A dedicated clock before others that are locked as well.
      Number(b.planned.model.kind === 'clock') - Number(a.planned.model.kind === 'clock') ||
      a.planned.ability.clockAccuracy - b.planned.ability.clockAccuracy ||
      b.subnetIds.length - a.subnetIds.length ||
      (a.deviceId < b.deviceId ? -1 : 1),
  );
}

/** Whether the first leads with the same priority 1, priority 2 deciding only between equals. */
function leadsByFigures(
  first: Candidate,
  spare: Candidate,
  plan: PlanOf<'references'>,
  planned: ReadonlyMap<string, PlannedClock>,
): boolean {
  const references = referenceStates(plan, new Set(), new Set());
  const figures = ({ deviceId, planned: { ability, settings } }: Candidate) => [
    mediaClasses({ ability, settings: { ...settings, ...listening(deviceId, planned) } }, references),
    ability.clockAccuracy,
    ability.offsetScaledLogVariance,
  ];
  const own = figures(first);
  const others = figures(spare);
  const differing = own.findIndex((figure, n) => figure !== others[n]);
  return differing < 0 || (own[differing] as number) < (others[differing] as number);
}

/** The next best, in another place if there is one of the same rank: what takes the first out must not take its spare. */
function spareFor(
  plan: PlanOf<'devices'>,
  candidates: readonly Candidate[],
): { candidate: Candidate; isBeside: boolean } | null {
  const [first, ...rest] = candidates;
  const second = rest[0];
  if (first === undefined || second === undefined) return null;
  const placeOf = (c: Candidate) => plan.devices.get(c.deviceId)?.placeId ?? null;
  const isDedicated = (c: Candidate) => c.planned.model.kind === 'clock';
  const apart = rest.find((c) => placeOf(c) !== placeOf(first) && isDedicated(c) === isDedicated(second));
  const candidate = apart ?? second;
  return { candidate, isBeside: placeOf(candidate) !== null && placeOf(candidate) === placeOf(first) };
}

const leadChoice = (what: 'grandmaster' | 'spare', c: Candidate, isBesideGrandmaster: boolean): ClockChoice => ({
  what,
  deviceId: c.deviceId,
  because: c.because,
  subnetIds: c.subnetIds,
  isBesideGrandmaster,
});

/** A grandmaster with references listens to them; one without keeps its own time. */
function listening(deviceId: string, planned: ReadonlyMap<string, PlannedClock>): Partial<ClockSettings> {
  const found = planned.get(deviceId);
  if (found === undefined || found.model.kind !== 'clock') return {};
  return found.settings.referenceIds.length > 0 ? { mediaClock: 'references' } : {};
}

function relaysFor(
  plan: PlanOf<'interfaces'>,
  topology: Topology,
  planned: ReadonlyMap<string, PlannedClock>,
  masters: readonly Candidate[],
): {
  choices: ClockChoice[];
  byDevice: Map<string, { relay: 'boundary' | 'unicast'; masterIds: readonly string[] }>;
} {
  const choices: ClockChoice[] = [];
  const byDevice = new Map<string, { relay: 'boundary' | 'unicast'; masterIds: readonly string[] }>();
  const [grandmaster] = masters;
  if (grandmaster === undefined) return { choices, byDevice };
  const membersBySubnet = new Map<string, string[]>();
  for (const id of planned.keys()) {
    for (const subnetId of mediaSubnetsOf(plan, id)) {
      membersBySubnet.set(subnetId, [...(membersBySubnet.get(subnetId) ?? []), id]);
    }
  }
  const masterIds = masters.map((m) => m.deviceId);
  for (const subnetId of [...membersBySubnet.keys()].sort()) {
    if (grandmaster.subnetIds.includes(subnetId)) continue;
    const routers = topology.routes.routersOf(subnetId).filter((id) => {
      const found = planned.get(id);
      return found?.ability.relays === 'boundary' && canReach(plan, topology, id, grandmaster.deviceId);
    });
    const asking = (membersBySubnet.get(subnetId) ?? []).filter(
      (id) =>
        planned.get(id)?.ability.relays === 'unicast' &&
        !masterIds.includes(id) &&
        canReach(plan, topology, id, grandmaster.deviceId),
    );
    const found = [
      ...routers.map((deviceId) => ({ deviceId, by: 'boundary' as const })),
      ...asking.map((deviceId) => ({ deviceId, by: 'unicast' as const })),
    ];
    // The spare grandmaster stands in for a relay where it is itself: it takes time from nobody, but gives it.
    const [main, second] = found;
    if (main === undefined) {
      choices.push({ what: 'no-relay', subnetId });
      continue;
    }
    choices.push({ what: 'relay', subnetId, ...main });
    choices.push(
      second === undefined ? { what: 'no-spare-relay', subnetId } : { what: 'spare-relay', subnetId, ...second },
    );
    for (const { deviceId, by } of [main, second].filter((r) => r !== undefined)) {
      const reachable = masterIds.filter((id) => id !== deviceId && canReach(plan, topology, deviceId, id));
      byDevice.set(deviceId, { relay: by, masterIds: by === 'unicast' ? reachable : [] });
    }
  }
  // When the spare leads, time has to get back into the subnets of the first.
  const spare = masters[1];
  for (const subnetId of spare === undefined ? [] : grandmaster.subnetIds) {
    if (spare?.subnetIds.includes(subnetId)) continue;
    const back = topology.routes.routersOf(subnetId).find((id) => planned.get(id)?.ability.relays === 'boundary');
    if (back !== undefined && !byDevice.has(back)) byDevice.set(back, { relay: 'boundary', masterIds: [] });
  }
  return { choices, byDevice };
}

/** Groups by the rates that devices run at, and an authority for each that has none. */
function ratesFor(
  plan: PlanOf<'devices' | 'clockGroups'>,
  planned: ReadonlyMap<string, PlannedClock>,
  grandmaster: Candidate | null,
) {
  const commands: Command[] = [];
  const choices: ClockChoice[] = [];
  const groupByDevice = new Map<string, string>();
  const groups = new Map<string, ClockGroup>(plan.clockGroups);
  const membersByGroup = new Map<string, string[]>();
  for (const [id, { settings, model }] of planned) {
    const device = plan.devices.get(id);
    if (device === undefined || model.ratesHz.length === 0) continue;
    let groupId = settings.groupId;
    if (groupId === null) {
      const fitting = [...groups.values()].filter((g) => g.rateHz === device.rateHz);
      groupId = fitting.sort((a, b) => (a.id < b.id ? -1 : 1))[0]?.id ?? null;
      if (groupId === null) {
        const name = `${device.rateHz / 1000} kHz`;
        groupId = freeId(`rate-${device.rateHz}`, groups);
        groups.set(groupId, { id: groupId, name, rateHz: device.rateHz, authority: null });
      }
      groupByDevice.set(id, groupId);
    }
    membersByGroup.set(groupId, [...(membersByGroup.get(groupId) ?? []), id]);
  }
  for (const [id, group] of [...groups].sort((a, b) => (a[0] < b[0] ? -1 : 1))) {
    const members = membersByGroup.get(id) ?? [];
    const ofKind = (kind: DeviceKind) => members.find((m) => planned.get(m)?.model.kind === kind);
    const pick = (deviceId: string | undefined, because: 'console' | 'player' | 'grandmaster' | 'only') =>
      deviceId === undefined ? null : { authority: { kind: 'device' as const, id: deviceId }, because };
    const chosen =
      group.authority !== null
        ? { authority: group.authority, because: 'stated' as const }
        : (pick(ofKind('console'), 'console') ??
          pick(ofKind('player'), 'player') ??
          pick(members.length > 0 ? grandmaster?.deviceId : undefined, 'grandmaster') ??
          pick(members[0], 'only'));
    if (chosen === null) continue;
    const wanted = { ...group, authority: chosen.authority };
    const known = plan.clockGroups.get(id);
    if (known === undefined || known.authority === null) commands.push({ kind: 'put-clock-group', group: wanted });
    choices.push({
      what: 'authority',
      groupId: id,
      groupName: group.name,
      rateHz: group.rateHz,
      authority: chosen.authority,
      because: chosen.because,
    });
  }
  return { commands, choices, groupByDevice };
}
