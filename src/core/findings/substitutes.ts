import type { PlanOf } from '../plan/plan';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'substitute-standing'>;

const DAY_MS = 24 * 60 * 60 * 1000;

/** Substitutions that have been in force for longer than a day. @param now milliseconds since 1970 */
export function substituteFindings({ substitutions }: PlanOf<'substitutions'>, now: number): Found[] {
  return [...substitutions.values()]
    .flatMap(({ id, since, by, strips, lanes }): Found[] => {
      if (since === null || now - since <= DAY_MS) return [];
      return [
        {
          id: `substitute|${id}`,
          severity: 'caution',
          deviceIds: [...new Set([...strips.map((s) => s.deviceId), ...lanes.map((l) => l.receiverDeviceId)])],
          about: 'substitute-standing',
          substitutionId: id,
          channelCount: strips.length + lanes.length,
          by,
          days: Math.floor((now - since) / DAY_MS),
        },
      ];
    })
    .sort((a, b) => (a.id < b.id ? -1 : 1));
}
