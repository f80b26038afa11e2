import { join } from 'node:path';
import { planOf } from '../core/plan/test-plan';
import { openDatabase } from './database';
import { EventStore, KEPT_MAX } from './event-store';
import { PlanStore } from './plan-store';

const db = openDatabase(':memory:', join(__dirname, 'migrations')).db;
const plans = new PlanStore(db);
const events = new EventStore(db);
for (const id of ['quay', 'pier', 'loose']) plans.create(id, planOf({}), 0);

describe('what happened in the field, in the database', () => {
  test('is told plan by plan, the newest first, and as it has grown', () => {
    const first = events.add('quay', { what: 'devices-gone', deviceIds: ['a'] }, 10);
    events.add('pier', { what: 'registry-back' }, 11);
    const second = events.add('quay', { what: 'devices-back', deviceIds: ['a'] }, 20);
    events.replace(first, { what: 'devices-gone', deviceIds: ['a', 'b'] });
    expect(events.latest('quay', 10)).toEqual([
      { id: second, planId: 'quay', at: 20, happening: { what: 'devices-back', deviceIds: ['a'] } },
      { id: first, planId: 'quay', at: 10, happening: { what: 'devices-gone', deviceIds: ['a', 'b'] } },
    ]);
    expect(events.latest('quay', 1).map((e) => e.id)).toEqual([second]);
  });

  test('a loose cable does not fill the disk: the newest ten thousand of a plan are kept, and those of others', () => {
    expect(KEPT_MAX).toBe(10_000);
    const few = new EventStore(db, 500);
    for (let n = 0; n < 1250; n += 1) few.add('loose', { what: 'cables-down', linkIds: ['l'] }, n);
    const kept = events.latest('loose', 20_000);
    expect(kept.length).toBeGreaterThanOrEqual(500);
    expect(kept.length).toBeLessThan(600);
    expect(kept[0]!.at).toBe(1249);
    expect(events.latest('quay', 10)).toHaveLength(2);
  });
});
