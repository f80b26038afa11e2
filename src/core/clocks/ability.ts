import type { Model } from '../models/model';

/** What a model can do as a clock, and what it does when its reference is lost. */
export interface ClockAbility {
  /** 1: IEEE 1588-2002, 2: IEEE 1588-2008 and -2019. The two do not hear each other; a device with both joins them. */
  readonly ptpVersions: readonly PtpVersion[];
  readonly mayLead: boolean;
  /** `boundary`: a port in each subnet. `unicast`: asks a clock across a router. */
  readonly relays: RelayKind;
  /** Profiles whose intervals it accepts. Whoever accepts one of the two accepts the common subset. */
  readonly profiles: readonly ClockProfile[];
  /** The clock class that it announces: locked to GNSS, locked to another reference, in hold-over, on its own. */
  readonly classPrimary: number;
  readonly classLocked: number;
  readonly classHoldover: number;
  readonly classFree: number;
  readonly clockAccuracy: number;
  readonly offsetScaledLogVariance: number;
  readonly referencesIn: readonly ReferenceKind[];
  readonly referencesOut: readonly ReferenceKind[];
  readonly whenReferenceLost: WhenReferenceLost;
  readonly holdoverSeconds: number;
  /** From the first sync of a new master until it calls itself locked, in milliseconds. */
  readonly relockMs: number;
  /** How far its own oscillator may be off, in parts per million (AES11 grade 2: 10). */
  readonly freePpm: number;
  /** Where it has sample-rate converters: on its network inputs, between its two sides, or nowhere. */
  readonly src: SrcPlace;
  /** Two: its other side may have a clock of its own. */
  readonly clockGroups: 1 | 2;
  /** Whether it makes 44.1 kHz rates from a 48 kHz reference, and the other way round. */
  readonly crossesRateFamilies: boolean;
  readonly isBattery: boolean;
}

export type PtpVersion = 1 | 2;
export const RELAY_KINDS = ['none', 'boundary', 'unicast'] as const;
export type RelayKind = (typeof RELAY_KINDS)[number];
export const CLOCK_PROFILES = ['aes67', 'st2059', 'common'] as const;
/** The AES67 media profile, ST 2059-2, and the settings that both accept (AES-R16). */
export type ClockProfile = (typeof CLOCK_PROFILES)[number];
export const REFERENCE_KINDS = ['gnss', 'word-clock', 'aes3', 'madi', 'black-burst'] as const;
export type ReferenceKind = (typeof REFERENCE_KINDS)[number];
export const WHEN_REFERENCE_LOST = ['hold-over', 'next-reference', 'run-free', 'stop'] as const;
export type WhenReferenceLost = (typeof WHEN_REFERENCE_LOST)[number];
export const SRC_PLACES = ['none', 'inputs', 'between'] as const;
export type SrcPlace = (typeof SRC_PLACES)[number];

/** IEEE 1588-2008 table 5: the default of a clock with no better to say. */
export const CLASS_DEFAULT = 248;
/** Table 6: the accuracy is unknown. */
export const ACCURACY_UNKNOWN = 0xfe;
/** Clause 7.6.3.3: the variance is unknown. */
export const VARIANCE_UNKNOWN = 0xffff;

/** A device of which nothing is stated: an ordinary clock on the network's time that may lead at the defaults. */
export const PLAIN_CLOCK: ClockAbility = {
  ptpVersions: [2],
  mayLead: true,
  relays: 'none',
  profiles: ['aes67', 'common'],
  classPrimary: CLASS_DEFAULT,
  classLocked: CLASS_DEFAULT,
  classHoldover: CLASS_DEFAULT,
  classFree: CLASS_DEFAULT,
  clockAccuracy: ACCURACY_UNKNOWN,
  offsetScaledLogVariance: VARIANCE_UNKNOWN,
  referencesIn: [],
  referencesOut: [],
  whenReferenceLost: 'run-free',
  holdoverSeconds: 0,
  relockMs: 5_000,
  freePpm: 10,
  src: 'none',
  clockGroups: 1,
  crossesRateFamilies: false,
  isBattery: false,
};

/** A switch that takes part in PTP: it follows and passes on, and seldom should lead. */
const SWITCH_CLOCK: ClockAbility = {
  ...PLAIN_CLOCK,
  relays: 'boundary',
  profiles: ['aes67', 'st2059', 'common'],
  clockAccuracy: 0x25,
  whenReferenceLost: 'hold-over',
  holdoverSeconds: 60,
  relockMs: 2_000,
};

/** What a model does as a clock; null for one that keeps no PTP time (a switch that is no clock, a box with no media port). */
export function abilityOf(model: Model): ClockAbility | null {
  if (model.clock !== null) return model.clock;
  if (model.switching) return model.switching.timestamping === 'boundary' ? SWITCH_CLOCK : null;
  return model.ports.some((p) => p.role === 'A' || p.role === 'B') ? PLAIN_CLOCK : null;
}
