import { LANE_AND_GEAR_WAYS } from './lane-and-gear-fixes';
import { rule, waysOf } from './rule';
import { type PlanOf } from '../plan/plan';
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

export const labelRule = rule({
  finds: waysOf(LANE_AND_GEAR_WAYS, 'labels-too-long'),
  reads: ['devices', 'models', 'labels'],
  find: (plan) => nameFindings(plan),
});
