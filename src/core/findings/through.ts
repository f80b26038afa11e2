import { rule } from './rule';
import { unitsBetween, passingUnits, unitUse, type ThroughTables } from '../signal/through';
import type { FindingAbout } from './finding';

const FINDS = ['past-the-unit', 'unit-passes-nothing', 'idle-passes'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** Systems in which everything passes through a processing unit: lanes that go past it, units that pass nothing, idle passes. */
export function throughFindings(plan: ThroughTables): Found[] {
  const units = passingUnits(plan);
  if (units.size === 0) return [];
  const findings: Found[] = [];
  for (const [receiverId, feeds] of plan.subscriptions) {
    const bySender = new Map<string, { unitIds: string[]; channels: number[] }>();
    for (const s of feeds.values()) {
      const unitIds = unitsBetween(plan, s.senderDeviceId, receiverId);
      if (unitIds.length === 0) continue;
      const known = bySender.get(s.senderDeviceId);
      if (known === undefined) bySender.set(s.senderDeviceId, { unitIds, channels: [s.receiverChannel] });
      else known.channels.push(s.receiverChannel);
    }
    for (const [senderId, { unitIds, channels }] of bySender) {
      findings.push({
        id: `past|${receiverId}|${senderId}`,
        severity: 'caution',
        deviceIds: [receiverId, senderId],
        about: 'past-the-unit',
        unitIds,
        channels: channels.sort((a, b) => a - b),
      });
    }
  }
  for (const unitId of units) {
    const { members, passes, fed, heard } = unitUse(plan, unitId);
    if (passes === 0) {
      findings.push({
        id: `passes-nothing|${unitId}`,
        severity: 'caution',
        deviceIds: [unitId, ...members],
        about: 'unit-passes-nothing',
      });
    }
    const idle = fed.filter((n) => !heard.includes(n));
    if (idle.length > 0) {
      findings.push({
        id: `idle-pass|${unitId}`,
        severity: 'note',
        deviceIds: [unitId],
        about: 'idle-passes',
        channels: idle,
      });
    }
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}

export const throughRule = rule({
  finds: FINDS,
  reads: ['gear', 'models', 'subscriptions', 'patches'],
  find: ({ gear, ...plan }) => throughFindings({ ...plan, devices: gear }),
});
