import { onceFor, onceWith } from '../plan/once-for';
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

const statedClock = onceWith((settings: ClockSettings, model: Model): PlannedClock | null => {
  const ability = abilityOf(model);
  if (ability === null) return null;
  const identity = settings.clockIdentity ?? `~${settings.id}`;
  return { settings, ability, model, isStated: true, identity };
});
/** By device: how one without settings of its own is planned. */
const usualClocks = onceFor((_: Model) => new Map<string, PlannedClock | null>());

/** How a device of the plan is set as a clock; null for what is none. The same for the same model and settings. */
export function plannedClock(plan: ModelledDevices & PlanOf<'clocks'>, deviceId: string): PlannedClock | null {
  const model = modelOf(plan, deviceId);
  if (model === undefined) return null;
  const stated = plan.clocks.get(deviceId);
  if (stated !== undefined) return statedClock(stated, model);
  const usual = usualClocks(model);
  let planned = usual.get(deviceId);
  if (planned === undefined) {
    const ability = abilityOf(model);
    planned =
      ability === null
        ? null
        : {
            settings: usualClockSettings(deviceId, model, ability),
            ability,
            model,
            isStated: false,
            identity: `~${deviceId}`,
          };
    usual.set(deviceId, planned);
  }
  return planned;
}
