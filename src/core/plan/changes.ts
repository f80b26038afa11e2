import { declarationOf, TABLE_NAMES, type RecordOfTable, type TableName } from './tables';
import type { Plan } from './plan';
import { sameValue } from './same-value';

export type { RecordOfTable, TableName } from './tables';

/** One record replaced: `before` null when it is new, `after` null when it is removed. */
export type RecordChange = {
  [T in TableName]: {
    readonly table: T;
    readonly before: RecordOfTable[T] | null;
    readonly after: RecordOfTable[T] | null;
  };
}[TableName];

export type AnyRecord = Readonly<Record<string, unknown>>;
type AnyTable = ReadonlyMap<string, unknown>;
export type AnyOwnedTable = ReadonlyMap<string, ReadonlyMap<string | number, unknown>>;

/** Where a record stands in its table. A record without an owner has its id as the key. */
export interface RecordPlace {
  readonly owner: string | null;
  readonly key: string | number;
}

const placeOf = Object.fromEntries(
  TABLE_NAMES.map((table): [TableName, (record: AnyRecord) => RecordPlace] => {
    const { owner, key } = declarationOf(table);
    const [only = 'id', ...more] = key;
    const keyOf =
      more.length === 0
        ? (r: AnyRecord) => r[only] as string | number
        : (r: AnyRecord) => key.map((field) => r[field]).join('/');
    return [table, (r) => ({ owner: owner === null ? null : (r[owner] as string), key: keyOf(r) })];
  }),
) as unknown as Readonly<Record<TableName, (record: AnyRecord) => RecordPlace>>;

export function recordPlace(table: TableName, record: unknown): RecordPlace {
  return placeOf[table](record as AnyRecord);
}

const textOfPlace = ({ owner, key }: RecordPlace): string => (owner === null ? String(key) : `${owner}/${key}`);

/** The record's key within its table, as text: what names a conflict, e.g. `dome-amp-1/5`. */
export function recordKey(table: TableName, record: unknown): string {
  return textOfPlace(recordPlace(table, record));
}

/** Table and key of the record that a change touches. */
export function touchedKey(change: RecordChange): string {
  const record = change.after ?? change.before;
  return record === null ? change.table : `${change.table}:${recordKey(change.table, record)}`;
}

/** The fields of a record in which it differs before and after; null: it came or went as a whole. */
export function changedFields({ before, after }: RecordChange): ReadonlySet<string> | null {
  if (before === null || after === null) return null;
  const [was, is] = [before as unknown as AnyRecord, after as unknown as AnyRecord];
  const fields = new Set([...Object.keys(was), ...Object.keys(is)]);
  return new Set([...fields].filter((field) => !sameValue(was[field], is[field])));
}

/** The changes that take everything back, in the order in which they must be applied. */
export function inverseOf(changes: readonly RecordChange[]): RecordChange[] {
  return changes.map((c) => ({ table: c.table, before: c.after, after: c.before }) as RecordChange).reverse();
}

/** Applies changes without asking what was there before. Untouched tables and owners keep their identity. */
export function applyChanges(plan: Plan, changes: readonly RecordChange[]): Plan {
  if (changes.length === 0) return plan;
  const writer = new PlanWriter(plan);
  for (const { table, before, after } of changes) {
    const record = after ?? before;
    if (record !== null) writer.set(table, recordPlace(table, record), after);
  }
  return writer.plan();
}

/** A plan being changed: each table and owner that is touched is copied once, the others are shared. */
export class PlanWriter {
  private readonly tables = new Map<TableName, Map<string, unknown>>();
  private readonly openOwners = new Set<unknown>();
  private settings: unknown;

  constructor(private readonly base: Plan) {
    this.settings = base.settings;
  }

  get(table: TableName, { owner, key }: RecordPlace): unknown {
    if (table === 'settings') return this.settings;
    const records = this.table(table);
    if (owner === null) return records.get(key as string) ?? null;
    return (records.get(owner) as ReadonlyMap<string | number, unknown> | undefined)?.get(key) ?? null;
  }

  /** A table as it stands. It is still written to: ask it, and do not keep it. */
  table(table: TableName): AnyTable {
    return this.tables.get(table) ?? (this.base[table] as AnyTable);
  }

  set(table: TableName, { owner, key }: RecordPlace, record: unknown): void {
    if (table === 'settings') {
      if (record !== null) this.settings = record;
      return;
    }
    let records = this.tables.get(table);
    if (records === undefined) this.tables.set(table, (records = new Map(this.base[table] as AnyTable)));
    if (owner === null) {
      if (record === null) records.delete(key as string);
      else records.set(key as string, record);
      return;
    }
    let own = records.get(owner) as Map<string | number, unknown> | undefined;
    if (own === undefined || !this.openOwners.has(own)) {
      own = new Map(own ?? []);
      this.openOwners.add(own);
      records.set(owner, own);
    }
    if (record === null) own.delete(key);
    else own.set(key, record);
    if (own.size === 0) records.delete(owner);
  }

  plan(): Plan {
    return { ...this.base, settings: this.settings, ...Object.fromEntries(this.tables) } as Plan;
  }
}

/** Every record of a table of a plan. */
export function* recordsIn(table: TableName, value: unknown): Iterable<AnyRecord> {
  if (table === 'settings') yield value as AnyRecord;
  else if (declarationOf(table).owner === null) yield* (value as ReadonlyMap<string, AnyRecord>).values();
  else for (const own of (value as AnyOwnedTable).values()) yield* own.values() as Iterable<AnyRecord>;
}

/** Every record of a plan as a change that adds it to an empty one. */
export function changesOfPlan(plan: Plan): RecordChange[] {
  const changes: RecordChange[] = [];
  for (const table of TABLE_NAMES) {
    for (const after of recordsIn(table, plan[table])) {
      changes.push({ table, before: null, after } as unknown as RecordChange);
    }
  }
  return changes;
}

/** The record that a change to the same key would replace. */
export function recordAt(plan: Plan, { table, before, after }: RecordChange): unknown {
  const record = after ?? before;
  if (table === 'settings' || record === null) return plan.settings;
  const { owner, key } = recordPlace(table, record);
  if (owner === null) return (plan[table] as AnyTable).get(key as string) ?? null;
  return (plan[table] as AnyOwnedTable).get(owner)?.get(key) ?? null;
}
