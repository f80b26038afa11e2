import { emptyPlan, type Plan } from '../plan/plan';
import { declarationOf, TABLE_NAMES } from '../plan/tables';

/** A copy under a new name: everything but what a copy carries nothing of (what was sent to devices). */
export function copyOfPlan(plan: Plan, name: string): Plan {
  const empty = emptyPlan(name);
  const tables = TABLE_NAMES.map((table) => [table, (declarationOf(table).copies === 'never' ? empty : plan)[table]]);
  return { ...Object.fromEntries(tables), settings: { ...plan.settings, name } } as Plan;
}
