import { rule } from './rule';
import type { Clocks } from '../clocks/clocks';
import { plannedClock } from '../clocks/clock-settings';
import { membersOfGroup } from '../clocks/group-rate';
import { areLocked, differencePpm, type MediaClock } from '../clocks/media-clock';
import { slipIntervalSeconds } from '../clocks/timing';
import type { PlanOf, ModelledDevices } from '../plan/plan';
import type { ClockGroup } from '../clocks/clock-groups-table';
import type { Slip, Slips } from '../reckon/slips';
import type { FindingAbout } from './finding';
import { RATE_KINDS } from './areas';

type FoundOfRates = FindingAbout<(typeof RATE_KINDS)[number]>;

/** References, rates and groups: what samples are paced by, as far as lanes do not matter. */
function rateFindings(
  plan: ModelledDevices & PlanOf<'references' | 'clockGroups' | 'clocks'>,
  clocks: Clocks,
): FoundOfRates[] {
  const findings: FoundOfRates[] = [];
  /** By group and rate: members that run at another rate than their group. */
  const astray = new Map<string, { group: ClockGroup; rateHz: number; deviceIds: string[] }>();
  for (const deviceId of [...clocks.media.keys()].sort()) {
    const own = clocks.media.get(deviceId) as MediaClock;
    const planned = plannedClock(plan, deviceId);
    if (planned === null) continue;
    const { settings } = planned;
    findings.push(...referenceFindings(plan, clocks, own));
    const group = settings.groupId === null ? undefined : plan.clockGroups.get(settings.groupId);
    if (group !== undefined && planned.model.ratesHz.length > 0 && group.rateHz !== own.rateHz) {
      const key = `${group.id}|${own.rateHz}`;
      const known = astray.get(key);
      if (known === undefined) astray.set(key, { group, rateHz: own.rateHz, deviceIds: [deviceId] });
      else known.deviceIds.push(deviceId);
    }
    const far = settings.secondGroupId === null ? undefined : plan.clockGroups.get(settings.secondGroupId);
    if (far !== undefined && planned.ability.src === 'none') {
      const side = paceOfGroup(plan, clocks, far.id);
      if (side !== null && (!areLocked(own, side) || far.rateHz !== own.rateHz)) {
        const partsPerMillion = Math.max(differencePpm(own, side), 0.001);
        findings.push({
          id: `sides|${deviceId}`,
          severity: 'caution',
          deviceIds: [deviceId],
          about: 'free-running-sides',
          groupId: far.id,
          partsPerMillion,
          rateHz: own.rateHz,
          slipSeconds: slipIntervalSeconds(own.rateHz, partsPerMillion),
        });
      }
    }
  }
  for (const [key, { group, rateHz, deviceIds }] of [...astray].sort((a, b) => (a[0] < b[0] ? -1 : 1))) {
    findings.push({
      id: `group-rate|${key}`,
      severity: 'caution',
      deviceIds,
      about: 'rate-not-of-group',
      groupId: group.id,
      groupRateHz: group.rateHz,
      rateHz,
    });
  }
  for (const group of [...plan.clockGroups.values()].sort((a, b) => (a.id < b.id ? -1 : 1))) {
    const members = membersOfGroup(plan, group.id);
    if (group.authority === null && members.length > 0) {
      findings.push({
        id: `authority|${group.id}`,
        severity: 'note',
        deviceIds: members.slice(0, 1),
        about: 'group-no-authority',
        groupId: group.id,
        members: members.length,
      });
    }
  }
  return findings;
}

function referenceFindings(
  plan: ModelledDevices & PlanOf<'references' | 'clocks'>,
  { time }: Clocks,
  own: MediaClock,
): FoundOfRates[] {
  const planned = plannedClock(plan, own.deviceId);
  if (planned === null || planned.settings.mediaClock !== 'references') return [];
  const { deviceId, tried } = own;
  const base = { severity: 'caution', deviceIds: [deviceId] } as const;
  const findings: FoundOfRates[] = [];
  for (const { referenceId, problem } of tried) {
    const reference = plan.references.get(referenceId);
    if (problem !== 'wrong-rate' || reference?.rateHz == null) continue;
    findings.push({
      ...base,
      id: `reference-rate|${deviceId}|${referenceId}`,
      about: 'reference-rate',
      referenceId,
      referenceRateHz: reference.rateHz,
      wantedRateHz: own.rateHz,
    });
  }
  const isOnlyRate = tried.length > 0 && tried.every((t) => t.problem === 'wrong-rate');
  if (own.state !== 'reference' && own.state !== 'network' && own.state !== 'own' && !isOnlyRate) {
    findings.push({
      ...base,
      id: `reference|${deviceId}`,
      severity: own.state === 'stopped' ? 'refusal' : 'caution',
      about: 'reference-missing',
      leads: time.byDevice.get(deviceId)?.grandmasterId === deviceId || !planned.settings.clientOnly,
      tried,
      state: own.state,
    });
  }
  return findings;
}

/** What the authority of a clock group is paced by; null where nobody decides. */
export function paceOfGroup(
  plan: PlanOf<'references' | 'clockGroups'>,
  clocks: Pick<Clocks, 'media'>,
  groupId: string,
): MediaClock | null {
  const group = plan.clockGroups.get(groupId);
  const authority = group?.authority;
  if (group === undefined || authority == null) return null;
  if (authority.kind === 'device') return clocks.media.get(authority.id) ?? null;
  const reference = plan.references.get(authority.id);
  if (reference === undefined) return null;
  const giver = reference.fromDeviceId === null ? undefined : clocks.media.get(reference.fromDeviceId);
  if (giver !== undefined) return giver;
  const isGnss = reference.kind === 'gnss';
  return {
    deviceId: '',
    origin: isGnss ? { kind: 'gnss' } : { kind: 'reference', referenceId: reference.id },
    originKey: isGnss ? 'gnss' : `reference ${reference.id}`,
    state: 'reference',
    referenceId: reference.id,
    tried: [],
    partsPerMillion: isGnss ? 0 : 10,
    rateHz: group.rateHz,
  };
}

/**
 * Lanes between devices whose samples are paced by different oscillators, with no SRC on the receiver's inputs: told once
 * for each two origins, with how often a sample is dropped or repeated.
 */
function freeRunningFindings(slips: Slips): FindingAbout<'free-running'>[] {
  const found = new Map<
    string,
    { pairs: Slip['pair'][]; partsPerMillion: number; rateHz: number; isStopped: boolean }
  >();
  for (const own of slips.values()) {
    for (const { key, pair, partsPerMillion, rateHz, isStopped } of own) {
      const known = found.get(key);
      if (known === undefined) found.set(key, { pairs: [pair], partsPerMillion, rateHz, isStopped });
      else {
        known.pairs.push(pair);
        known.partsPerMillion = Math.max(known.partsPerMillion, partsPerMillion);
        // At the highest rate samples slip most often.
        known.rateHz = Math.max(known.rateHz, rateHz);
      }
    }
  }
  return [...found]
    .sort((a, b) => (a[0] < b[0] ? -1 : 1))
    .map(([key, { pairs, partsPerMillion, rateHz, isStopped }]) => {
      pairs.sort((a, b) => (a.senderId + a.receiverId < b.senderId + b.receiverId ? -1 : 1));
      return {
        id: `free-running|${key}`,
        severity: 'caution',
        deviceIds: [...new Set(pairs.flatMap((p) => [p.receiverId, p.senderId]))],
        about: 'free-running',
        pairs,
        partsPerMillion,
        rateHz,
        slipSeconds: slipIntervalSeconds(rateHz, Math.max(partsPerMillion, 0.001)),
        isStopped,
      } satisfies FindingAbout<'free-running'>;
    });
}

export const rateRule = rule({
  finds: RATE_KINDS,
  reads: ['modelled', 'references', 'clockGroups', 'clocks', 'clockwork'],
  find: ({ modelled, clockwork, ...plan }) => rateFindings({ ...modelled, ...plan }, clockwork),
});

export const freeRunningRule = rule({
  finds: ['free-running'],
  reads: ['slips'],
  find: ({ slips }) => freeRunningFindings(slips),
});
