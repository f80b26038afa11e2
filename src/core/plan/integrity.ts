import { mendPlan } from './apply-commands';
import { applyChanges, changesOfPlan, recordKey, type AnyRecord, type RecordChange } from './changes';
import { atOnce, type InSteps } from './in-steps';
import { emptyPlan, type Plan } from './plan';
import { firstTarget, POINTERS_FROM } from './points-to';
import { declarationOf, TABLE_NAMES, type TableName } from './tables';

/** What of a list of records does not hold together, by the declarations of the tables. */

export interface IntegrityProblem {
  readonly table: TableName;
  /** The place in the list of the table's records. */
  readonly index: number;
  /** Field within the record; empty: the record itself. */
  readonly path: string;
  readonly is: 'twice' | 'dangling' | 'unfit';
  readonly value: string;
  readonly limit?: string;
}

export type Records = Readonly<Record<TableName, readonly AnyRecord[]>>;

/** Every problem, the first `most` of them. Pointers that came after `version` are not looked at: see `soundPlan`. */
export function integrityProblems(records: Records, version: number, most = 100): IntegrityProblem[] {
  const problems: IntegrityProblem[] = [];
  const keys = {} as Record<TableName, Set<string>>;
  for (const table of TABLE_NAMES) {
    const seen = new Set<string>();
    for (const [index, record] of records[table].entries()) {
      const key = recordKey(table, record);
      if (seen.has(key)) {
        const path = declarationOf(table).owner === null ? 'id' : '';
        problems.push({ table, index, path, is: 'twice', value: key.replaceAll('/', ' ') });
      }
      seen.add(key);
    }
    keys[table] = seen;
  }
  const plan = planOfRecords(records);
  for (const table of TABLE_NAMES) {
    const { problem, fits } = declarationOf(table);
    const pointers = POINTERS_FROM[table].filter((r) => r.since <= version);
    for (const [index, record] of records[table].entries()) {
      if (problems.length >= most) return problems.slice(0, most);
      let isDangling = false;
      for (const pointer of pointers) {
        const target = firstTarget(pointer, record, (t) => !keys[pointer.to].has(t));
        if (target === null) continue;
        isDangling = true;
        problems.push({ table, index, path: pointer.fieldOf(record, target), is: 'dangling', value: target });
      }
      const own = problem?.(record) ?? (isDangling ? null : fits?.problem(record, plan)) ?? null;
      if (own === null) continue;
      const { path, value, limit } = own;
      problems.push({ table, index, path, is: 'unfit', value, ...(limit === undefined ? {} : { limit }) });
    }
  }
  return problems.slice(0, most);
}

export function planOfRecords(records: Records): Plan {
  const changes = TABLE_NAMES.flatMap((table) =>
    records[table].map((after) => ({ table, before: null, after }) as unknown as RecordChange),
  );
  return applyChanges(emptyPlan(''), changes);
}

export interface SoundPlan {
  readonly plan: Plan;
  readonly changes: readonly RecordChange[];
}

/**
 * The plan with everything in it sound, and the changes that this took: none for a plan that keeps its promises. Plans kept by
 * earlier versions may hold what points at nothing.
 */
export const soundPlan = (plan: Plan): SoundPlan => atOnce(soundPlanInSteps(plan));

export function* soundPlanInSteps(plan: Plan): InSteps<SoundPlan> {
  const mended = yield* mendPlan(plan, emptyPlan(''), changesOfPlan(plan));
  return mended.ok ? mended : { plan, changes: [] };
}
