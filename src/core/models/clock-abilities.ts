import { PLAIN_CLOCK, type ClockAbility } from '../clocks/clock-ability';

/** What the models of the catalogue do as clocks. Figures are of the size that real devices of the kind have. */

const BOTH: Pick<ClockAbility, 'profiles'> = { profiles: ['aes67', 'st2059', 'common'] };
const FOLLOWER: ClockAbility = { ...PLAIN_CLOCK, mayLead: false, classFree: 255, freePpm: 25 };

/** A console, processor or host: may lead when nothing better is there, and takes a studio reference. */
const STUDIO: ClockAbility = {
  ...PLAIN_CLOCK,
  ...BOTH,
  clockAccuracy: 0x25,
  referencesIn: ['word-clock', 'aes3'],
  referencesOut: ['word-clock'],
  whenReferenceLost: 'next-reference',
};

const MASTER: ClockAbility = {
  ...PLAIN_CLOCK,
  ...BOTH,
  classPrimary: 6,
  classLocked: 13,
  classHoldover: 7,
  classDegraded: 187,
  classFree: 187,
  clockAccuracy: 0x21,
  offsetScaledLogVariance: 0x4e5d,
  referencesIn: ['gnss', 'black-burst', 'word-clock'],
  referencesOut: ['word-clock', 'black-burst', 'aes3'],
  whenReferenceLost: 'hold-over',
  holdoverSeconds: 86_400,
  relockMs: 30_000,
  freePpm: 0.1,
  crossesRateFamilies: true,
};

const ABILITIES: Readonly<Record<string, ClockAbility>> = {
  'console-72': STUDIO,
  'renderer-48': {
    ...STUDIO,
    mayLead: false,
    classFree: 255,
    whenReferenceLost: 'hold-over',
    holdoverSeconds: 30,
    src: 'inputs',
  },
  'processor-64': { ...STUDIO, relays: 'unicast', whenReferenceLost: 'hold-over', holdoverSeconds: 120 },
  'reverb-16': FOLLOWER,
  'amp-8': { ...FOLLOWER, ...BOTH },
  'stage-box-24': STUDIO,
  'wireless-4': { ...FOLLOWER, ...BOTH },
  'endpoint-2': { ...FOLLOWER, freePpm: 50 },
  'player-48': { ...STUDIO, whenReferenceLost: 'run-free' },
  'recorder-96': { ...STUDIO, mayLead: false, classFree: 255, whenReferenceLost: 'stop' },
  'recorder-16': { ...FOLLOWER, ...BOTH, whenReferenceLost: 'stop' },
  'converter-64': {
    ...STUDIO,
    referencesIn: ['word-clock', 'aes3', 'madi'],
    referencesOut: ['word-clock', 'aes3', 'madi'],
    src: 'between',
    clockGroups: 2,
    crossesRateFamilies: true,
  },
  'converter-32': {
    ...STUDIO,
    relays: 'unicast',
    referencesIn: ['word-clock', 'madi'],
    referencesOut: ['word-clock', 'madi'],
    src: 'between',
    clockGroups: 2,
    crossesRateFamilies: true,
  },
  'expander-8': { ...FOLLOWER, ...BOTH, referencesIn: ['word-clock'], clockGroups: 2 },
  'embedder-16': { ...FOLLOWER, ...BOTH, referencesIn: ['black-burst'], whenReferenceLost: 'hold-over' },
  'intercom-1': FOLLOWER,
  'master-clock': MASTER,
};

/** Null where the model's ports and switching say enough. */
export function clockAbilityFor(modelId: string): ClockAbility | null {
  return ABILITIES[modelId] ?? null;
}
