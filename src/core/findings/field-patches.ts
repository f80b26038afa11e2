import { patchDifferences, type FoundPatch, type PatchedTables } from '../patch/patch-in-field';
import type { Finding } from './finding';

/** Devices that lead their inputs to their outputs otherwise than planned. `byDevice` is what their channel maps (IS-08) show, by plan device. */
export function fieldPatchFindings(plan: PatchedTables, byDevice: ReadonlyMap<string, FoundPatch>): Finding[] {
  return [...byDevice]
    .flatMap(([deviceId, found]): Finding[] => {
      const differences = patchDifferences(plan, deviceId, found);
      if (differences.length === 0) return [];
      const base = {
        id: `patch-in-field|${deviceId}`,
        severity: 'caution',
        area: 'patch',
        deviceIds: [deviceId],
      } as const;
      return [{ ...base, about: 'patch-differs', differences }];
    })
    .sort((a, b) => (a.id < b.id ? -1 : 1));
}
