import { type ReportedClock } from './field-facts';
import type { TimeKeeping } from '../clocks/kept-time';
import type { PlanOf } from '../plan/plan';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'field-grandmaster' | 'field-two-grandmasters'>;

/** Grandmasters in the field that are not those of the plan, and more of them than one. Only known identities can differ. */
export function fieldClockFindings(
  plan: PlanOf<'clocks'>,
  time: Pick<TimeKeeping, 'byDevice'>,
  found: ReadonlyMap<string, ReportedClock>,
): Found[] {
  const idByIdentity = new Map<string, string>();
  for (const { id, clockIdentity } of plan.clocks.values())
    if (clockIdentity !== null) idByIdentity.set(clockIdentity, id);
  const devicesByMaster = new Map<string, string[]>();
  const other = new Map<string, { plannedId: string; gmid: string; deviceIds: string[] }>();
  for (const [deviceId, { gmid }] of [...found].sort((a, b) => (a[0] < b[0] ? -1 : 1))) {
    if (gmid === null) continue;
    devicesByMaster.set(gmid, [...(devicesByMaster.get(gmid) ?? []), deviceId]);
    const plannedId = time.byDevice.get(deviceId)?.grandmasterId ?? null;
    const planned = plannedId === null ? null : (plan.clocks.get(plannedId)?.clockIdentity ?? null);
    if (plannedId === null || planned === null || planned === gmid) continue;
    const key = `${plannedId}|${gmid}`;
    const known = other.get(key);
    if (known === undefined) other.set(key, { plannedId, gmid, deviceIds: [deviceId] });
    else known.deviceIds.push(deviceId);
  }
  const findings: Found[] = [...other].map(([key, { plannedId, gmid, deviceIds }]) => ({
    id: `field-grandmaster|${key}`,
    severity: 'caution',
    deviceIds,
    about: 'field-grandmaster',
    plannedId,
    foundGmid: gmid,
    foundId: idByIdentity.get(gmid) ?? null,
  }));
  if (devicesByMaster.size > 1) {
    const masters = [...devicesByMaster].sort((a, b) => b[1].length - a[1].length || (a[0] < b[0] ? -1 : 1));
    findings.unshift({
      id: 'field-grandmasters',
      severity: 'refusal',
      deviceIds: masters.slice(1).flatMap(([, ids]) => ids),
      about: 'field-two-grandmasters',
      masters: masters.map(([gmid, ids]) => ({ gmid, deviceId: idByIdentity.get(gmid) ?? null, devices: ids.length })),
    });
  }
  return findings;
}
