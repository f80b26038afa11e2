import { patchDifferences, type FoundPatch, type PatchedTables } from '../patch/patch-in-field';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'patch-differs'>;

/** Devices that lead their inputs to their outputs otherwise than planned. `byDevice` is what their channel maps (IS-08) show, by plan device. */
export function fieldPatchFindings(plan: PatchedTables, byDevice: ReadonlyMap<string, FoundPatch>): Found[] {
  return [...byDevice]
    .flatMap(([deviceId, found]): Found[] => {
      const differences = patchDifferences(plan, deviceId, found);
      if (differences.length === 0) return [];
      const base = {
        id: `patch-in-field|${deviceId}`,
        severity: 'caution',
        deviceIds: [deviceId],
      } as const;
      return [{ ...base, about: 'patch-differs', differences }];
    })
    .sort((a, b) => (a.id < b.id ? -1 : 1));
}
