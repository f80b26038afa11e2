import { rule } from './rule';
import { type PlanOf } from '../plan/plan';
import { longLabels } from '../edits/short-labels';
import type { FindingAbout } from './finding';

const FINDS = ['labels-too-long'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** Labels that are longer than their device holds. */
export function nameFindings(plan: PlanOf<'models' | 'devices' | 'labels'>): Found[] {
  const findings: Found[] = [];
  for (const deviceId of plan.labels.keys()) {
    for (const { side, isShort, limit, channels } of longLabels(plan, deviceId)) {
      findings.push({
        id: `labels|${deviceId}|${side}${isShort ? '|short' : ''}`,
        severity: 'caution',
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
  finds: FINDS,
  reads: ['devices', 'models', 'labels'],
  find: (plan) => nameFindings(plan),
});
