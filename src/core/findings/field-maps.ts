import type { MapLimits } from '../models/models-table';
import { modelOf, type PlanOf } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import type { Finding } from './finding';

/**
 * Devices whose channel maps (IS-08) are limited otherwise than their model says: the plan would refuse what they can do, or send
 * what they refuse. `found` is what devices tell of the maps of their receivers, by plan device.
 */
export function fieldMapFindings(
  plan: PlanOf<'models' | 'devices'>,
  found: ReadonlyMap<string, MapLimits | null>,
): Finding[] {
  const findings: Finding[] = [];
  for (const [deviceId, limits] of found) {
    const model = modelOf(plan, deviceId);
    if (model === undefined || sameValue(model.receiveMap, limits)) continue;
    findings.push({
      id: `map|${deviceId}`,
      severity: 'caution',
      area: 'gear',
      deviceIds: [deviceId],
      about: 'map-limits-differ',
      planned: model.receiveMap,
      found: limits,
    });
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}
