import type { PlanOf } from '../plan/plan';
import type { Finding } from './finding';

const DAY_MS = 24 * 60 * 60 * 1000;

/** Substitutions that have been in force for longer than a day. @param now milliseconds since 1970 */
export function substituteFindings({ substitutions }: PlanOf<'substitutions'>, now: number): Finding[] {
  return [...substitutions.values()]
    .flatMap(({ id, since, by, strips, lanes }): Finding[] => {
      if (since === null || now - since <= DAY_MS) return [];
      return [
        {
          id: `substitute|${id}`,
          severity: 'caution',
          area: 'patch',
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
