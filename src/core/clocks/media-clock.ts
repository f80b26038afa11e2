import { ASSUMED } from '../models/unknown-figures';
import { modelOf, type GearTable, type PlanOf } from '../plan/plan';
import type { PlannedClock } from './clock-settings';
import { plannedClock } from './clock-settings';
import type { TimeKeeping } from './kept-time';
import { problemFor, type ReferenceProblem, type ReferenceState } from './reference-state';

/** What a device's samples are paced by in the end. Two devices with the same origin never slip against each other. */
export type Origin =
  /** GNSS: every receiver has the same second. */
  | { readonly kind: 'gnss' }
  /** A signal from outside the plan. */
  | { readonly kind: 'reference'; readonly referenceId: string }
  /** A device's own oscillator. */
  | { readonly kind: 'oscillator'; readonly deviceId: string }
  | { readonly kind: 'stopped' };

/** How the device comes by it. */
export type MediaClockState = 'network' | 'reference' | 'hold-over' | 'own' | 'free' | 'stopped';

export interface MediaClock {
  readonly deviceId: string;
  readonly origin: Origin;
  readonly originKey: string;
  readonly state: MediaClockState;
  /** The reference that it is locked to. */
  readonly referenceId: string | null;
  /** References that it tried before, and why they would not do. */
  readonly tried: readonly { readonly referenceId: string; readonly problem: ReferenceProblem }[];
  /** How far its pace may be off true, in parts per million: that of whose oscillator it is. */
  readonly partsPerMillion: number;
  readonly rateHz: number;
}

export function originKey(origin: Origin): string {
  switch (origin.kind) {
    case 'gnss':
    case 'stopped':
      return origin.kind;
    case 'reference':
      return `reference ${origin.referenceId}`;
    case 'oscillator':
      return `oscillator ${origin.deviceId}`;
  }
}

/** AES11 grade 2: what an outside generator of unknown make may be off. */
const REFERENCE_PPM = 10;

/**
 * What every device's media clock follows, through grandmasters and references to where the pace comes from. A clock that
 * loses what it follows does as its model does: holds over, tries the next reference, runs free or stops.
 */
export function mediaClocks(
  plan: PlanOf<'models' | 'clocks'> & GearTable,
  time: TimeKeeping,
  references: ReadonlyMap<string, ReferenceState>,
  lost: ReadonlySet<string>,
): Map<string, MediaClock> {
  const found = new Map<string, MediaClock>();
  const open = new Set<string>();

  const own = (deviceId: string, ppm: number, rateHz: number, state: MediaClockState): MediaClock =>
    made(deviceId, { kind: 'oscillator', deviceId }, state, null, [], ppm, rateHz);

  const resolve = (deviceId: string): MediaClock | null => {
    const known = found.get(deviceId);
    if (known !== undefined) return known;
    if (open.has(deviceId) || lost.has(deviceId)) return null;
    const planned = plannedClock(plan, deviceId);
    const device = plan.devices.get(deviceId);
    if (planned === null || device === undefined) return null;
    open.add(deviceId);
    const clock = resolved(planned, device.rateHz);
    open.delete(deviceId);
    found.set(deviceId, clock);
    return clock;
  };

  const resolved = (planned: PlannedClock, rateHz: number): MediaClock => {
    const { settings, ability } = planned;
    const deviceId = settings.id;
    if (settings.mediaClock === 'own') return own(deviceId, ability.freePpm ?? ASSUMED.freePpm, rateHz, 'own');
    if (settings.mediaClock === 'references') return byReferences(planned, rateHz, []);
    const kept = time.byDevice.get(deviceId);
    if (kept !== undefined && kept.grandmasterId === deviceId)
      return own(deviceId, ability.freePpm ?? ASSUMED.freePpm, rateHz, 'own');
    if (kept?.grandmasterId != null) {
      const master = resolve(kept.grandmasterId);
      // A grandmaster that waits for this very device has no one's pace but its own.
      if (master === null) {
        const origin = { kind: 'oscillator', deviceId: kept.grandmasterId } as const;
        return made(deviceId, origin, 'network', null, [], ability.freePpm ?? ASSUMED.freePpm, rateHz);
      }
      const { origin, originKey: key, partsPerMillion } = master;
      return made(deviceId, origin, 'network', null, NOTHING_TRIED, partsPerMillion, rateHz, key);
    }
    if (ability.whenReferenceLost === 'next-reference' && settings.referenceIds.length > 0) {
      return byReferences(planned, rateHz, []);
    }
    return withoutReference(planned, rateHz, []);
  };

  const byReferences = (planned: PlannedClock, rateHz: number, before: MediaClock['tried']): MediaClock => {
    const { settings, ability } = planned;
    const tried = [...before];
    for (const referenceId of settings.referenceIds) {
      const state = references.get(referenceId);
      if (state === undefined) continue;
      let problem = problemFor(planned, rateHz, state);
      const { fromDeviceId, kind } = state.reference;
      if (problem === null && fromDeviceId !== null) {
        const giver = resolve(fromDeviceId);
        if (giver === null) problem = 'loop';
        else if (giver.origin.kind === 'stopped') problem = 'giver-stopped';
        else if (kind !== 'gnss') {
          return made(settings.id, giver.origin, 'reference', referenceId, tried, giver.partsPerMillion, rateHz);
        }
      }
      if (problem === null) {
        const origin: Origin = kind === 'gnss' ? { kind: 'gnss' } : { kind: 'reference', referenceId };
        const ppm = kind === 'gnss' ? 0 : REFERENCE_PPM;
        return made(settings.id, origin, 'reference', referenceId, tried, ppm, rateHz);
      }
      tried.push({ referenceId, problem });
      if (ability.whenReferenceLost !== 'next-reference') break;
    }
    return withoutReference(planned, rateHz, tried);
  };

  const withoutReference = (planned: PlannedClock, rateHz: number, tried: MediaClock['tried']): MediaClock => {
    const { settings, ability } = planned;
    const { id } = settings;
    const origin: Origin = { kind: 'oscillator', deviceId: id };
    if (ability.whenReferenceLost === 'stop') return made(id, { kind: 'stopped' }, 'stopped', null, tried, 0, rateHz);
    const state = ability.whenReferenceLost === 'hold-over' ? 'hold-over' : 'free';
    return made(id, origin, state, null, tried, ability.freePpm ?? ASSUMED.freePpm, rateHz);
  };

  for (const deviceId of [...plan.devices.keys()].sort()) if (modelOf(plan, deviceId)) resolve(deviceId);
  return found;
}

const NOTHING_TRIED: MediaClock['tried'] = [];

function made(
  deviceId: string,
  origin: Origin,
  state: MediaClockState,
  referenceId: string | null,
  tried: MediaClock['tried'],
  partsPerMillion: number,
  rateHz: number,
  key = originKey(origin),
): MediaClock {
  return { deviceId, origin, originKey: key, state, referenceId, tried, partsPerMillion, rateHz };
}

/** Whether two media clocks never slip against each other. */
export function areLocked(a: MediaClock, b: MediaClock): boolean {
  return a.origin.kind !== 'stopped' && a.originKey === b.originKey;
}

/** By how much two unlocked clocks may differ, in parts per million. */
export function differencePpm(a: MediaClock, b: MediaClock): number {
  return a.partsPerMillion + b.partsPerMillion;
}
