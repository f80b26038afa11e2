import { eq, isNull } from 'drizzle-orm';
import type { PlanRef } from '../core/plan/plan-ref';
import type { TableName } from '../core/plan/tables';
import type { Db } from './database';
import { deviceRuns, plans, records } from './schema';

/** Which plan runs each device of the field. */
export class DeviceRunStore {
  constructor(private readonly db: Db) {}

  /** By the id of the IS-04 device. Plans that were put away run nothing. */
  all(): Map<string, PlanRef> {
    const names = new Map(
      this.db
        .select({ id: records.planId, value: records.value })
        .from(records)
        .where(eq(records.table, 'settings' satisfies TableName))
        .all()
        .map(({ id, value }) => [id, String(value['name'] ?? '')]),
    );
    const rows = this.db
      .select({ nodeDeviceId: deviceRuns.nodeDeviceId, planId: deviceRuns.planId })
      .from(deviceRuns)
      .innerJoin(plans, eq(plans.id, deviceRuns.planId))
      .where(isNull(plans.removedAt))
      .all();
    return new Map(rows.map((r) => [r.nodeDeviceId, { planId: r.planId, name: names.get(r.planId) ?? '' }]));
  }

  /** These devices are run by this plan from now on. */
  put(planId: string, nodeDeviceIds: readonly string[], at: number): void {
    this.db.isStillThere();
    this.db.transaction((tx) => {
      for (const nodeDeviceId of nodeDeviceIds) {
        const row = { nodeDeviceId, planId, at };
        tx.insert(deviceRuns).values(row).onConflictDoUpdate({ target: deviceRuns.nodeDeviceId, set: row }).run();
      }
    });
  }
}
