import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { ClockSettings } from './clocks-table';
import type { Model } from '../models/models-table';
import { abilityOf } from './ability';
import type { ClockAbility } from './clock-ability';
import { PROFILE_RULES, usualProfile } from './profiles';

/** AES67 media profile and IEEE 1588 clause 8.2.1.4.1. */
export const PRIORITY_DEFAULT = 128;

/**
 * A device as it comes out of its box: the defaults of its profile, leading if it can; switches that are boundary clocks
 * run as such. Master clocks listen to their references.
 */
export function usualClockSettings(id: string, model: Model, ability: ClockAbility): ClockSettings {
  const profile = usualProfile(ability);
  const { usual, domainNumber } = PROFILE_RULES[profile];
  return {
    id,
    runsPtp: model.switching === null || ability.relays === 'boundary',
    clientOnly: !ability.mayLead,
    domainNumber,
    profile,
    priority1: PRIORITY_DEFAULT,
    priority2: PRIORITY_DEFAULT,
    ...usual,
    clockIdentity: null,
    relay: model.switching !== null && ability.relays === 'boundary' ? 'boundary' : 'none',
    unicastMasterIds: [],
    mediaClock: 'ptp',
    referenceIds: [],
    groupId: null,
    secondGroupId: null,
  };
}

export interface PlannedClock {
  readonly settings: ClockSettings;
  readonly ability: ClockAbility;
  readonly model: Model;
  /** Whether the plan says so, or only the model's defaults. */
  readonly isStated: boolean;
  /** As the best-master comparison sees it: unknown identities come after all known ones, in the order of device ids. */
  readonly identity: string;
}

/** By model and device: how a device without settings of its own is planned. */
const usualByModel = new WeakMap<Model, Map<string, PlannedClock>>();
/** By settings, for the model that they were last looked at with. */
const statedBySettings = new WeakMap<ClockSettings, PlannedClock>();

/** How a device of the plan is set as a clock; null for what is none. The same for the same model and settings. */
export function plannedClock(plan: ModelledDevices & PlanOf<'clocks'>, deviceId: string): PlannedClock | null {
  const model = modelOf(plan, deviceId);
  if (model === undefined) return null;
  const stated = plan.clocks.get(deviceId);
  if (stated !== undefined) {
    const known = statedBySettings.get(stated);
    if (known?.model === model) return known;
    const ability = abilityOf(model);
    if (ability === null) return null;
    const identity = stated.clockIdentity ?? `~${deviceId}`;
    const planned: PlannedClock = { settings: stated, ability, model, isStated: true, identity };
    statedBySettings.set(stated, planned);
    return planned;
  }
  let usual = usualByModel.get(model);
  if (usual === undefined) usualByModel.set(model, (usual = new Map()));
  const known = usual.get(deviceId);
  if (known !== undefined) return known;
  const ability = abilityOf(model);
  if (ability === null) return null;
  const settings = usualClockSettings(deviceId, model, ability);
  const planned: PlannedClock = { settings, ability, model, isStated: false, identity: `~${deviceId}` };
  usual.set(deviceId, planned);
  return planned;
}
