import type { PlanOf } from '../plan/plan';
import type { Reference } from './references-table';
import { ACCURACY_UNKNOWN } from './clock-ability';
import type { PlannedClock } from './clock-settings';

/** Why a reference is of no use to a clock. */
export type ReferenceProblem = 'not-fed' | 'lost' | 'giver-lost' | 'no-input' | 'wrong-rate' | 'loop' | 'giver-stopped';

/** Whether a reference is there at all, whoever listens. */
export interface ReferenceState {
  readonly reference: Reference;
  readonly problem: 'not-fed' | 'lost' | 'giver-lost' | null;
}

export function referenceStates(
  plan: PlanOf<'references'>,
  lostDevices: ReadonlySet<string>,
  lostReferences: ReadonlySet<string>,
): Map<string, ReferenceState> {
  const states = new Map<string, ReferenceState>();
  for (const reference of plan.references.values()) {
    const { id, fromDeviceId, isFed } = reference;
    const isGiverLost = fromDeviceId !== null && lostDevices.has(fromDeviceId);
    const problem = lostReferences.has(id) ? 'lost' : isGiverLost ? 'giver-lost' : isFed ? null : 'not-fed';
    states.set(id, { reference, problem });
  }
  return states;
}

/** The rates that have 44.1 kHz in them; the others have 48. */
const is44Family = (rateHz: number) => rateHz % 11_025 === 0;

/** Whether a clock makes its rate from a signal of another: multiples and parts within a family, across if the model can. */
export function derives(fromRateHz: number, rateHz: number, crossesFamilies: boolean): boolean {
  return crossesFamilies || is44Family(fromRateHz) === is44Family(rateHz);
}

/** What is wrong with a reference for one clock, before asking where the signal comes from. */
export function problemFor(
  { ability }: Pick<PlannedClock, 'ability'>,
  rateHz: number,
  state: ReferenceState,
): ReferenceProblem | null {
  if (state.problem !== null) return state.problem;
  const { kind, rateHz: given } = state.reference;
  if (!ability.referencesIn.includes(kind)) return 'no-input';
  if (given !== null && !derives(given, rateHz, ability.crossesRateFamilies)) return 'wrong-rate';
  return null;
}

/**
 * The clock accuracy that a device announces (table 6): that of its model while it is locked to a reference, or where it takes none. Without the
 * reference it is built for nobody says how far it has gone: unknown, in hold-over too.
 */
export function mediaAccuracy(
  { ability, settings }: Pick<PlannedClock, 'ability' | 'settings'>,
  references: ReadonlyMap<string, ReferenceState>,
): number {
  if (ability.referencesIn.length === 0) return ability.clockAccuracy;
  if (settings.mediaClock !== 'references') return ACCURACY_UNKNOWN;
  for (const id of settings.referenceIds) {
    const state = references.get(id);
    if (state === undefined || !ability.referencesIn.includes(state.reference.kind)) continue;
    if (state.problem === null) return ability.clockAccuracy;
    if (ability.whenReferenceLost !== 'next-reference') break;
  }
  return ACCURACY_UNKNOWN;
}

/**
 * The clock class that a device announces (IEEE 1588-2008 table 5): by the first of its references that is there. A master
 * clock that lost its reference and holds over says so in its class, and again when its time for that is over.
 */
export function mediaClasses(
  planned: Pick<PlannedClock, 'ability' | 'settings'>,
  references: ReadonlyMap<string, ReferenceState>,
  isHoldoverOver = false,
): number {
  const { ability, settings } = planned;
  if (settings.mediaClock !== 'references' || settings.referenceIds.length === 0) return ability.classFree;
  let wasFed = false;
  for (const id of settings.referenceIds) {
    const state = references.get(id);
    if (state === undefined) continue;
    const { kind } = state.reference;
    if (!ability.referencesIn.includes(kind)) continue;
    if (state.problem === null) return kind === 'gnss' ? ability.classPrimary : ability.classLocked;
    if (state.problem !== 'not-fed') wasFed = true;
    if (ability.whenReferenceLost !== 'next-reference') break;
  }
  if (!wasFed || ability.whenReferenceLost !== 'hold-over') return ability.classFree;
  return isHoldoverOver ? Math.max(ability.classHoldover, ability.classDegraded) : ability.classHoldover;
}
