import {
  CLOCK_PROFILES,
  PLAIN_CLOCK,
  REFERENCE_KINDS,
  RELAY_KINDS,
  SRC_PLACES,
  WHEN_REFERENCE_LOST,
} from '@/core/clocks/clock-ability';
import { PROFILE_WORDS, REFERENCE_WORDS, RELAY_WORDS, WHEN_LOST_WORDS } from './clock-words';
import { type FigureSection, always, some, flag, one, whole, scaled, UNKNOWN } from './figure-shape';

const SRC_WORDS = { none: 'none', inputs: 'on network inputs', between: 'between its two sides' } as const;

/** What a model’s clock can do. */
export const CLOCK_FIGURES: FigureSection = {
  id: 'clock',
  title: 'Clock',
  isFor: always,
  record: {
    path: 'clock',
    without:
      'Not stated: a device with a media port counts as an ordinary PTP clock at the defaults, a switch with boundary time stamping as a boundary clock',
    plain: PLAIN_CLOCK,
  },
  figures: [
    {
      path: 'clock.ptpVersions',
      label: 'PTP versions',
      use: 'Versions do not interwork',
      input: some([1, 2] as const, (v) => (v === 1 ? '1 (IEEE 1588-2002)' : '2 (2008, 2019)')),
    },
    { path: 'clock.mayLead', label: 'Can lead', use: 'May become grandmaster', input: flag },
    {
      path: 'clock.relays',
      label: 'Relays time into subnets',
      use: 'Where multicast PTP does not reach',
      input: one(RELAY_KINDS, (r) => RELAY_WORDS[r]),
    },
    {
      path: 'clock.profiles',
      label: 'PTP profiles',
      use: 'Which intervals it accepts',
      input: some(CLOCK_PROFILES, (p) => PROFILE_WORDS[p]),
    },
    { path: 'clock.classPrimary', label: 'Class with GNSS', use: 'Best master election', input: whole(0, 255) },
    {
      path: 'clock.classLocked',
      label: 'Class with another reference',
      use: 'Best master election',
      input: whole(0, 255),
    },
    { path: 'clock.classHoldover', label: 'Class in hold-over', use: 'Best master election', input: whole(0, 255) },
    {
      path: 'clock.classDegraded',
      label: 'Class after hold-over',
      use: 'Best master election, once hold-over has ended',
      input: whole(0, 255),
    },
    { path: 'clock.classFree', label: 'Class free running', use: 'Best master election', input: whole(0, 255) },
    {
      path: 'clock.clockAccuracy',
      label: 'Clock accuracy',
      use: 'As announced; 254 is unknown',
      input: whole(0, 255),
    },
    {
      path: 'clock.offsetScaledLogVariance',
      label: 'Offset variance',
      use: 'As announced; 65535 is unknown',
      input: whole(0, 65_535),
    },
    {
      path: 'clock.referencesIn',
      label: 'References in',
      use: 'What it can lock to',
      input: some(REFERENCE_KINDS, (r) => REFERENCE_WORDS[r]),
    },
    {
      path: 'clock.referencesOut',
      label: 'References out',
      use: 'What it outputs',
      input: some(REFERENCE_KINDS, (r) => REFERENCE_WORDS[r]),
    },
    {
      path: 'clock.whenReferenceLost',
      label: 'If the reference is lost',
      use: 'Drills, media clock',
      input: one(WHEN_REFERENCE_LOST, (w) => WHEN_LOST_WORDS[w]),
    },
    {
      path: 'clock.holdoverSeconds',
      label: 'Hold-over',
      unit: 's',
      use: 'How long it stays accurate',
      input: scaled(1, 1e9, UNKNOWN),
    },
    {
      path: 'clock.relockMs',
      label: 'Locks within',
      unit: 'ms',
      use: 'Take-over time',
      input: scaled(1, 1e9, UNKNOWN),
    },
    {
      path: 'clock.freePpm',
      label: 'Free-run accuracy',
      unit: 'ppm',
      use: 'How often samples slip',
      input: scaled(1, 1e6, UNKNOWN),
    },
    {
      path: 'clock.src',
      label: 'Sample-rate converter',
      use: 'Where rates may differ',
      input: one(SRC_PLACES, (s) => SRC_WORDS[s]),
    },
    {
      path: 'clock.clockGroups',
      label: 'Clock groups',
      use: 'Two: its other side may have its own clock',
      input: one([1, 2] as const, (n) => String(n)),
    },
    {
      path: 'clock.crossesRateFamilies',
      label: '44.1 from 48 kHz',
      use: 'Makes one rate family from a reference of the other',
      input: flag,
    },
    { path: 'clock.isBattery', label: 'Runs on a battery', use: 'No grandmaster for long', input: flag },
  ],
};
