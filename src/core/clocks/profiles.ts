import type { ClockSettings } from './clocks-table';
import type { ClockAbility, ClockProfile } from './clock-ability';

export const INTERVAL_FIELDS = [
  'logAnnounceInterval',
  'logSyncInterval',
  'logDelayRequestInterval',
  'announceTimeout',
] as const;
export type IntervalField = (typeof INTERVAL_FIELDS)[number];
type Intervals = Readonly<Record<IntervalField, number>>;

interface ProfileRules {
  readonly usual: Intervals;
  readonly domainNumber: number;
  readonly from: Intervals;
  readonly to: Intervals;
}

/**
 * AES67-2018 annex A, ST 2059-2 and AES-R16. The delay request interval of ST 2059-2 runs from the sync interval to five
 * above it; the bounds here are those of its widest.
 */
export const PROFILE_RULES: Readonly<Record<ClockProfile, ProfileRules>> = {
  aes67: {
    domainNumber: 0,
    usual: { logAnnounceInterval: 1, logSyncInterval: -3, logDelayRequestInterval: 0, announceTimeout: 3 },
    from: { logAnnounceInterval: 0, logSyncInterval: -4, logDelayRequestInterval: -3, announceTimeout: 2 },
    to: { logAnnounceInterval: 4, logSyncInterval: 1, logDelayRequestInterval: 5, announceTimeout: 10 },
  },
  st2059: {
    domainNumber: 127,
    usual: { logAnnounceInterval: -2, logSyncInterval: -3, logDelayRequestInterval: -3, announceTimeout: 3 },
    from: { logAnnounceInterval: -3, logSyncInterval: -7, logDelayRequestInterval: -7, announceTimeout: 2 },
    to: { logAnnounceInterval: 1, logSyncInterval: -1, logDelayRequestInterval: 4, announceTimeout: 10 },
  },
  common: {
    domainNumber: 0,
    usual: { logAnnounceInterval: 0, logSyncInterval: -3, logDelayRequestInterval: 0, announceTimeout: 3 },
    from: { logAnnounceInterval: 0, logSyncInterval: -3, logDelayRequestInterval: -3, announceTimeout: 3 },
    to: { logAnnounceInterval: 0, logSyncInterval: -3, logDelayRequestInterval: 0, announceTimeout: 3 },
  },
};

/** Whether intervals keep a profile: each within its bounds, and for ST 2059-2 the delay requests tied to the syncs. */
export function keepsProfile(intervals: Intervals, profile: ClockProfile): boolean {
  const { from, to } = PROFILE_RULES[profile];
  if (!INTERVAL_FIELDS.every((f) => intervals[f] >= from[f] && intervals[f] <= to[f])) return false;
  const above = intervals.logDelayRequestInterval - intervals.logSyncInterval;
  return profile !== 'st2059' || (above >= 0 && above <= 5);
}

/** Whether a model can live with these intervals: they keep one of its profiles. */
export function accepts(ability: ClockAbility, intervals: Intervals): boolean {
  return ability.profiles.some((p) => keepsProfile(intervals, p));
}

/**
 * Whether a model can live with a leader that sends so: how long it waits for announces is a matter of its own (IEEE 1588-2008 clause
 * 8.2.5.4.2), whatever the leader is set to.
 */
export function followsAt(ability: ClockAbility, leader: Intervals, ownAnnounceTimeout: number): boolean {
  return accepts(ability, { ...leader, announceTimeout: ownAnnounceTimeout });
}

/** A profile that a device is put on when nobody says otherwise. */
export function usualProfile(ability: ClockAbility): ClockProfile {
  return ability.profiles.includes('aes67') ? 'aes67' : (ability.profiles[0] ?? 'aes67');
}

export function intervalsOf(settings: ClockSettings): Intervals {
  const { logAnnounceInterval, logSyncInterval, logDelayRequestInterval, announceTimeout } = settings;
  return { logAnnounceInterval, logSyncInterval, logDelayRequestInterval, announceTimeout };
}
