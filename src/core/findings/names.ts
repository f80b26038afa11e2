import { LANE_AND_GEAR_WAYS } from './lane-and-gear-fixes';
import { fieldRule } from './field-facts';
import { rule, waysOf } from './rule';
import { modelOf, subscriptionsOf, type PlanOf } from '../plan/plan';
import { longLabels } from '../edits/short-labels';
import type { Finding } from './finding';

/** Labels that are longer than their device holds. */
export function nameFindings(plan: PlanOf<'models' | 'devices' | 'labels'>): Finding[] {
  const findings: Finding[] = [];
  for (const deviceId of plan.labels.keys()) {
    for (const { side, isShort, limit, channels } of longLabels(plan, deviceId)) {
      findings.push({
        id: `labels|${deviceId}|${side}${isShort ? '|short' : ''}`,
        severity: 'caution',
        area: 'gear',
        deviceIds: [deviceId],
        about: 'labels-too-long',
        side,
        isShort,
        limit,
        channels,
      });
    }
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}

/** Receivers that hear this device and keep its name, not its id. */
export function hearersByName(plan: PlanOf<'models' | 'devices' | 'subscriptions'>, senderId: string): string[] {
  return [...plan.devices.keys()].filter(
    (id) =>
      modelOf(plan, id)?.naming?.subscribesByName === true &&
      [...subscriptionsOf(plan, id).values()].some((s) => s.senderDeviceId === senderId),
  );
}

/**
 * Devices that call themselves otherwise than the plan does, where others hear them by name: those look for a name that nobody
 * has. `labels` is what devices report, by plan device.
 */
export function fieldNameFindings(
  plan: PlanOf<'models' | 'devices' | 'subscriptions'>,
  labels: ReadonlyMap<string, string>,
): Finding[] {
  const findings: Finding[] = [];
  for (const [deviceId, found] of labels) {
    const planned = plan.devices.get(deviceId)?.name;
    if (planned === undefined || planned === found || found === '') continue;
    const hearers = hearersByName(plan, deviceId);
    if (hearers.length === 0) continue;
    findings.push({
      id: `by-name|${deviceId}`,
      severity: 'caution',
      area: 'gear',
      deviceIds: [deviceId, ...hearers],
      about: 'heard-by-old-name',
      planned,
      found,
    });
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}

export const labelRule = rule({
  finds: waysOf(LANE_AND_GEAR_WAYS, 'labels-too-long'),
  reads: ['devices', 'models', 'labels'],
  find: (plan) => nameFindings(plan),
});

export const fieldNameRule = fieldRule({
  finds: waysOf(LANE_AND_GEAR_WAYS, 'heard-by-old-name'),
  reads: ['devices', 'models', 'subscriptions', 'foundNames'],
  find: ({ foundNames, ...plan }) => fieldNameFindings(plan, foundNames),
});
