import { defaulted, flag, list, nullable, number, oneOf, record, whole, type Described } from '../plan/shape';

export const RELAY_KINDS = ['none', 'boundary', 'unicast'] as const;
export type RelayKind = (typeof RELAY_KINDS)[number];
/** The AES67 media profile, ST 2059-2, and the settings that both accept (AES-R16). */
export const CLOCK_PROFILES = ['aes67', 'st2059', 'common'] as const;
export type ClockProfile = (typeof CLOCK_PROFILES)[number];
export const REFERENCE_KINDS = ['gnss', 'word-clock', 'aes3', 'madi', 'black-burst'] as const;
export type ReferenceKind = (typeof REFERENCE_KINDS)[number];
export const WHEN_REFERENCE_LOST = ['hold-over', 'next-reference', 'run-free', 'stop'] as const;
export type WhenReferenceLost = (typeof WHEN_REFERENCE_LOST)[number];
export const SRC_PLACES = ['none', 'inputs', 'between'] as const;
const PTP_VERSIONS = [1, 2] as const;

export const octet = whole(0, 255);

export const clockAbility = record({
  /** 1: IEEE 1588-2002, 2: IEEE 1588-2008 and -2019. The two do not hear each other; a device with both joins them. */
  ptpVersions: list(oneOf(PTP_VERSIONS), 2),
  mayLead: flag,
  /** `boundary`: a port in each subnet. `unicast`: asks a clock across a router. */
  relays: oneOf(RELAY_KINDS),
  /** Profiles whose intervals it accepts. Whoever accepts one of the two accepts the common subset. */
  profiles: list(oneOf(CLOCK_PROFILES), 3),
  /** The clock class that it announces: locked to GNSS, locked to another reference, in hold-over, on its own. */
  classPrimary: octet,
  classLocked: octet,
  classHoldover: octet,
  /** After hold-over: degraded by alternative A (52, 58) or B (187, 193) of IEEE 1588-2008 table 5. Never better than in hold-over. */
  classDegraded: defaulted(octet, 187),
  classFree: octet,
  clockAccuracy: octet,
  offsetScaledLogVariance: whole(0, 65_535),
  referencesIn: list(oneOf(REFERENCE_KINDS), 8),
  referencesOut: list(oneOf(REFERENCE_KINDS), 8),
  whenReferenceLost: oneOf(WHEN_REFERENCE_LOST),
  /** How long it stays accurate without its reference. Null: not known. */
  holdoverSeconds: nullable(number(0)),
  /** From the first sync of a new master until it calls itself locked, in milliseconds. Null: not known. */
  relockMs: nullable(number(0)),
  /** How far its own oscillator may be off, in parts per million (AES11 grade 2: 10). Null: not known. */
  freePpm: nullable(number(0)),
  /** Where it has sample-rate converters: on its network inputs, between its two sides, or nowhere. */
  src: oneOf(SRC_PLACES),
  /** Two: its other side may have its own clock. */
  clockGroups: oneOf([1, 2]),
  /** Whether it makes 44.1 kHz rates from a 48 kHz reference, and the other way round. */
  crossesRateFamilies: flag,
  isBattery: flag,
});
/** What a model can do as a clock, and what it does when its reference is lost. */
export type ClockAbility = Described<typeof clockAbility>;

/** IEEE 1588-2008 table 5: the default of a clock with no better to say. */
const CLASS_DEFAULT = 248;
/** Table 6: the accuracy is unknown. */
export const ACCURACY_UNKNOWN = 0xfe;
/** Clause 7.6.3.3: the variance is unknown. */
const VARIANCE_UNKNOWN = 0xffff;

/** A device of which nothing is stated: an ordinary clock on the network's time that may lead at the defaults. */
export const PLAIN_CLOCK: ClockAbility = {
  ptpVersions: [2],
  mayLead: true,
  relays: 'none',
  profiles: ['aes67', 'common'],
  classPrimary: CLASS_DEFAULT,
  classLocked: CLASS_DEFAULT,
  classHoldover: CLASS_DEFAULT,
  classDegraded: CLASS_DEFAULT,
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
