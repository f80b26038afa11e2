import type { Command } from '../plan/commands';
import { modelOf, type PlanOf } from '../plan/plan';
import type { RateHz } from '../streams/format';
import { plannedClock } from './clock-settings';

/** Devices whose network side is in a clock group, in the order of ids. */
export function membersOfGroup(plan: PlanOf<'clocks'>, groupId: string): string[] {
  const ids: string[] = [];
  for (const clock of plan.clocks.values()) if (clock.groupId === groupId) ids.push(clock.id);
  return ids.sort();
}

interface GroupRateChange {
  readonly commands: readonly Command[];
  /** Members that change over. */
  readonly changes: readonly string[];
  /** Members whose model has no such rate: they stay as they are. */
  readonly cannot: readonly string[];
}

/** Another rate for a clock group and for all of its members that can run at it, as one batch. */
export function changeGroupRate(
  plan: PlanOf<'models' | 'devices' | 'references' | 'clockGroups' | 'clocks'>,
  groupId: string,
  rateHz: RateHz,
): GroupRateChange {
  const group = plan.clockGroups.get(groupId);
  if (group === undefined) return { commands: [], changes: [], cannot: [] };
  const commands: Command[] = group.rateHz === rateHz ? [] : [{ kind: 'put-clock-group', group: { ...group, rateHz } }];
  const changes: string[] = [];
  const cannot: string[] = [];
  for (const deviceId of membersOfGroup(plan, groupId)) {
    const device = plan.devices.get(deviceId);
    const model = modelOf(plan, deviceId);
    if (device === undefined || model === undefined || model.ratesHz.length === 0) continue;
    if (!model.ratesHz.includes(rateHz)) cannot.push(deviceId);
    else if (device.rateHz !== rateHz) {
      changes.push(deviceId);
      commands.push({ kind: 'change-device', deviceId, change: { rateHz } });
    }
  }
  // References that the authority gives at the group's rate follow it.
  const { authority } = group;
  for (const reference of plan.references.values()) {
    const isOfAuthority = authority?.kind === 'device' && reference.fromDeviceId === authority.id;
    if (!isOfAuthority || reference.rateHz !== group.rateHz || !plannedClock(plan, authority.id)) continue;
    commands.push({ kind: 'put-reference', reference: { ...reference, rateHz } });
  }
  return { commands, changes, cannot };
}
