import { and, asc, desc, eq, getTableColumns, gt, sql, type SQL } from 'drizzle-orm';
import type { SQLiteColumn, SQLiteTable } from 'drizzle-orm/sqlite-core';
import { applyChanges, changesOfPlan, TABLE_NAMES, type RecordChange, type TableName } from '../core/plan/changes';
import { recordProblem } from '../core/formats/plan-file';
import type { Command } from '../core/plan/commands';
import { emptyPlan, type Plan } from '../core/plan/plan';
import type { Db } from './database';
import * as schema from './schema';

/** The SQLite table of each table of a plan, and the columns that make its key within the plan. */
const TABLES: Readonly<Record<TableName, { table: SQLiteTable; key: readonly string[] }>> = {
  settings: { table: schema.settings, key: [] },
  places: { table: schema.places, key: ['id'] },
  models: { table: schema.models, key: ['id'] },
  subnets: { table: schema.subnets, key: ['id'] },
  devices: { table: schema.devices, key: ['id'] },
  links: { table: schema.links, key: ['id'] },
  switches: { table: schema.switches, key: ['id'] },
  references: { table: schema.references, key: ['id'] },
  clockGroups: { table: schema.clockGroups, key: ['id'] },
  slotBuses: { table: schema.slotBuses, key: ['id'] },
  slotUnits: { table: schema.slotUnits, key: ['id'] },
  clocks: { table: schema.clocks, key: ['id'] },
  interfaces: { table: schema.interfaces, key: ['deviceId', 'name'] },
  labels: { table: schema.labels, key: ['deviceId', 'side', 'channel'] },
  subscriptions: { table: schema.subscriptions, key: ['receiverDeviceId', 'receiverChannel'] },
  sentStreams: { table: schema.sentStreams, key: ['senderDeviceId', 'slot'] },
  groupChoices: { table: schema.groupChoices, key: ['senderDeviceId', 'slot'] },
  layouts: { table: schema.streamLayouts, key: ['senderDeviceId', 'slot'] },
};

export interface PlanSummary {
  readonly id: string;
  readonly name: string;
  readonly revision: number;
  readonly createdAt: number;
  readonly changedAt: number;
  readonly removedAt: number | null;
}

export type JournalRow = typeof schema.journal.$inferSelect;

export interface NewEntry {
  readonly kind: 'do' | 'undo' | 'redo';
  readonly isUndoable: boolean;
  readonly ofEntryId: number | null;
  readonly authorId: string;
  readonly authorName: string;
  readonly title: string;
  readonly commands: readonly Command[];
  readonly changes: readonly RecordChange[];
}

function column(table: SQLiteTable, name: string): SQLiteColumn {
  return getTableColumns(table)[name] as SQLiteColumn;
}

/** Plans and their journal in SQLite. Everything that belongs together is one transaction. */
export class PlanStore {
  constructor(private readonly db: Db) {}

  list(): PlanSummary[] {
    const rows = this.db
      .select({ plan: schema.plans, name: schema.settings.name })
      .from(schema.plans)
      .innerJoin(schema.settings, eq(schema.settings.planId, schema.plans.id))
      .orderBy(desc(schema.plans.changedAt))
      .all();
    return rows.map(({ plan, name }) => ({ ...plan, name }));
  }

  find(id: string): PlanSummary | null {
    return this.list().find((p) => p.id === id) ?? null;
  }

  create(id: string, plan: Plan, now: number): void {
    this.db.transaction((tx) => {
      tx.insert(schema.plans).values({ id, revision: 0, createdAt: now, changedAt: now, removedAt: null }).run();
      this.write(tx as unknown as Db, id, changesOfPlan(plan));
    });
  }

  setRemoved(id: string, removedAt: number | null): void {
    this.db.update(schema.plans).set({ removedAt }).where(eq(schema.plans.id, id)).run();
  }

  load(id: string): { plan: Plan; revision: number } | null {
    const row = this.db.select().from(schema.plans).where(eq(schema.plans.id, id)).get();
    if (row === undefined) return null;
    const changes: RecordChange[] = [];
    for (const name of TABLE_NAMES) {
      const { table } = TABLES[name];
      const rows = this.db
        .select()
        .from(table)
        .where(eq(column(table, 'planId'), id))
        .all() as Record<string, unknown>[];
      for (const { planId: _planId, ...record } of rows) {
        // Models are kept as JSON: one that was written before a field existed gets the field's default.
        if (name === 'models') recordProblem('models', record);
        changes.push({ table: name, before: null, after: record } as unknown as RecordChange);
      }
    }
    return { plan: applyChanges(emptyPlan(''), changes), revision: row.revision };
  }

  /** Applies a batch's changes and enters it in the journal, all in one transaction. Returns the new entry. */
  append(planId: string, revision: number, entry: NewEntry, now: number): JournalRow {
    return this.db.transaction((tx) => {
      this.write(tx as unknown as Db, planId, entry.changes);
      tx.update(schema.plans).set({ revision, changedAt: now }).where(eq(schema.plans.id, planId)).run();
      if (entry.ofEntryId !== null) {
        // An undo spends the entry it takes back; a redo makes it whole again and spends the undo.
        const isUndo = entry.kind === 'undo';
        tx.update(schema.journal).set({ isSpent: isUndo }).where(eq(schema.journal.id, entry.ofEntryId)).run();
        if (!isUndo) {
          tx.update(schema.journal)
            .set({ isSpent: true })
            .where(and(eq(schema.journal.kind, 'undo'), eq(schema.journal.ofEntryId, entry.ofEntryId)))
            .run();
        }
      }
      return tx
        .insert(schema.journal)
        .values({ ...entry, planId, revision, at: now, isSpent: false })
        .returning()
        .get();
    });
  }

  entriesSince(planId: string, revision: number): JournalRow[] {
    return this.db
      .select()
      .from(schema.journal)
      .where(and(eq(schema.journal.planId, planId), gt(schema.journal.revision, revision)))
      .orderBy(asc(schema.journal.revision))
      .all();
  }

  entry(id: number): JournalRow | null {
    return this.db.select().from(schema.journal).where(eq(schema.journal.id, id)).get() ?? null;
  }

  /** What this author would undo next: the newest of their entries that stands. */
  undoable(planId: string, authorId: string): JournalRow | null {
    return this.newest(planId, authorId, eq(schema.journal.kind, 'do'));
  }

  /** What this author would redo next: the newest of their undos, unless they did something else since. */
  redoable(planId: string, authorId: string): JournalRow | null {
    const undo = this.newest(planId, authorId, eq(schema.journal.kind, 'undo'));
    const latest = this.newest(planId, authorId, eq(schema.journal.kind, 'do'));
    return undo && (latest === null || latest.id < undo.id) ? undo : null;
  }

  private newest(planId: string, authorId: string, condition: SQL): JournalRow | null {
    const { journal } = schema;
    return (
      this.db
        .select()
        .from(journal)
        .where(
          and(
            eq(journal.planId, planId),
            eq(journal.authorId, authorId),
            eq(journal.isUndoable, true),
            eq(journal.isSpent, false),
            condition,
          ),
        )
        .orderBy(desc(journal.id))
        .limit(1)
        .get() ?? null
    );
  }

  private write(tx: Db, planId: string, changes: readonly RecordChange[]): void {
    for (const run of runsOfOneKind(changes)) {
      const { table: name, after } = run[0] as RecordChange;
      const { table, key } = TABLES[name];
      const keyColumns = [column(table, 'planId'), ...key.map((k) => column(table, k))];
      if (after === null) {
        for (const { before } of run) {
          if (before === null) continue;
          const record = before as unknown as Record<string, unknown>;
          const values = [planId, ...key.map((k) => record[k])];
          tx.delete(table)
            .where(and(...keyColumns.map((c, i) => eq(c, values[i]))))
            .run();
        }
      } else {
        const records = run.map((c) => ({ planId, ...(c.after as object) }));
        const set = Object.fromEntries(
          Object.entries(getTableColumns(table)).map(([field, c]) => [field, sql.raw(`excluded."${c.name}"`)]),
        );
        tx.insert(table).values(records).onConflictDoUpdate({ target: keyColumns, set }).run();
      }
    }
  }
}

/** SQLite takes 32 766 values in a statement; the widest table has 20 columns. */
const ROWS_PER_STATEMENT = 500;

/** Neighbouring changes of one table that all put or all remove, so that they can be written in one statement. */
function* runsOfOneKind(changes: readonly RecordChange[]): Iterable<RecordChange[]> {
  let run: RecordChange[] = [];
  for (const change of changes) {
    const first = run[0];
    const isLike =
      first !== undefined && first.table === change.table && (first.after === null) === (change.after === null);
    if (run.length > 0 && (!isLike || run.length >= ROWS_PER_STATEMENT)) {
      yield run;
      run = [];
    }
    run.push(change);
  }
  if (run.length > 0) yield run;
}
