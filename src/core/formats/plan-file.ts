import type { AnyRecord } from '../plan/changes';
import { planOfRecords, type Records } from '../plan/integrity';
import type { Plan } from '../plan/plan';
import { PLAN_FILE_VERSION, type PlanFileVersion } from '../plan/plan-file-version';
import { declarationOf, TABLE_NAMES, type RecordOfTable, type TableName } from '../plan/tables';

/** The whole plan as one JSON document. */
export type PlanFile = {
  readonly format: 'jade-lane-plan';
  readonly version: PlanFileVersion;
} & { readonly [T in TableName]: T extends 'settings' ? RecordOfTable[T] : readonly RecordOfTable[T][] };

/** A plan of 100 000 subscriptions is 12 MB. */
export const PLAN_FILE_MAX_BYTES = 60_000_000;

/** The records of a file, table by table. */
export function recordsOfFile(file: PlanFile): Records {
  return Object.fromEntries(
    TABLE_NAMES.map((table) => [table, table === 'settings' ? [file.settings] : file[table]]),
  ) as unknown as Records;
}

type Tables = Omit<PlanFile, 'format' | 'version'>;

/** A file with these records in it, and nothing in the other tables. */
export function planFileOf(tables: Pick<Tables, 'settings'> & Partial<Tables>): PlanFile {
  const all = TABLE_NAMES.map((table) => [table, tables[table] ?? []]);
  return { format: 'jade-lane-plan', version: PLAN_FILE_VERSION, ...Object.fromEntries(all) } as PlanFile;
}

/** The plan of a file that is known to be sound, such as one that the server itself wrote. */
export function planOfFile(file: PlanFile): Plan {
  return planOfRecords(recordsOfFile(file));
}

/** The file of a plan. Records are sorted by their keys, so that equal plans give equal files. */
export function fileOfPlan(plan: Plan): PlanFile {
  const tables = TABLE_NAMES.map((table) => [table, table === 'settings' ? plan.settings : inOrder(plan, table)]);
  return planFileOf(Object.fromEntries(tables) as Tables);
}

const RECORDS_IN_A_PIECE = 5_000;

/** The JSON of a plan's file piece by piece, a record on a line: of a large plan it is tens of megabytes. */
export function* planFileText(plan: Plan): Generator<string, undefined, undefined> {
  yield `{"format":"jade-lane-plan","version":${PLAN_FILE_VERSION}`;
  for (const table of TABLE_NAMES) {
    if (table === 'settings') {
      yield `,\n"settings":${JSON.stringify(plan.settings)}`;
      continue;
    }
    const lines = inOrder(plan, table);
    yield `,\n"${table}":[`;
    for (let at = 0; at < lines.length; at += RECORDS_IN_A_PIECE) {
      const piece = lines.slice(at, at + RECORDS_IN_A_PIECE).map((record) => `\n${JSON.stringify(record)}`);
      yield `${at === 0 ? '' : ','}${piece.join(',')}`;
    }
    yield ']';
  }
  yield '}\n';
}

function inOrder(plan: Plan, table: TableName): readonly AnyRecord[] {
  if (declarationOf(table).owner === null) {
    return sortedByKey(plan[table] as unknown as ReadonlyMap<string, AnyRecord>).map(([, r]) => r);
  }
  const owned = plan[table] as unknown as ReadonlyMap<string, ReadonlyMap<string | number, AnyRecord>>;
  return sortedByKey(owned).flatMap(([, own]) => sortedByKey(own).map(([, r]) => r));
}

function sortedByKey<K extends string | number, T>(table: ReadonlyMap<K, T>): [K, T][] {
  return [...table.entries()].sort(([a], [b]) => (a < b ? -1 : 1));
}
