import type { Statement } from 'better-sqlite3';
import { and, asc, desc, eq, getTableColumns, gt, inArray, isNull, lt, sql } from 'drizzle-orm';
import { recordProblem } from '../core/formats/read-plan-file';
import { applyChanges, changesOfPlan, recordPlace, type RecordChange } from '../core/plan/changes';
import type { Command } from '../core/plan/commands';
import { emptyPlan, type Plan } from '../core/plan/plan';
import { TABLE_NAMES, type TableName } from '../core/plan/tables';
import { makeVisible } from '../core/plan/visible-text';
import type { Db } from './database';
import * as schema from './schema';

export interface PlanSummary {
  readonly id: string;
  readonly name: string;
  readonly revision: number;
  readonly createdAt: number;
  readonly changedAt: number;
  readonly removedAt: number | null;
}

export type JournalRow = typeof schema.journal.$inferSelect;

/** Which entry of the journal, and how it is called. */
export type EntryTitle = Pick<JournalRow, 'id' | 'title'>;

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

/** Somebody else wrote this revision of the plan. */
export class RevisionTaken extends Error {
  constructor(
    readonly planId: string,
    readonly revision: number,
  ) {
    super(`revision ${revision} of ${planId} was written by another process`);
  }
}

/** Plans and their journal in SQLite. Everything that belongs together is one transaction. */
const PASSED_OVER_MAX = 100;
const PASSED_OVER_OCTETS = 200_000;

export class PlanStore {
  // Statements of every edit are made ready once. There is one connection: they run within its transactions. Those of records are given their values by
  // the driver itself: Drizzle looks at each value for what it could be, which takes as long as writing it.
  private readonly newest: ReturnType<PlanStore['newestOfAuthor']>;
  private readonly put: Statement<[...Place, value: string]>;
  private readonly remove: Statement<Place>;

  constructor(private readonly db: Db) {
    this.newest = this.newestOfAuthor();
    this.put = db.$client.prepare(this.putRecord().toSQL().sql);
    this.remove = db.$client.prepare(this.removeRecord().toSQL().sql);
  }

  list(): PlanSummary[] {
    return this.summaries().orderBy(desc(schema.plans.changedAt)).all();
  }

  find(id: string): PlanSummary | null {
    return this.summaries().where(eq(schema.plans.id, id)).get() ?? null;
  }

  private summaries() {
    const { plans, records } = schema;
    return this.db
      .select({ ...getTableColumns(plans), name: sql<string>`json_extract(${records.value}, '$.name')` })
      .from(plans)
      .innerJoin(records, and(eq(records.planId, plans.id), eq(records.table, 'settings')));
  }

  create(id: string, plan: Plan, now: number): void {
    this.db.transaction((tx) => {
      tx.insert(schema.plans).values({ id, revision: 0, createdAt: now, changedAt: now, removedAt: null }).run();
      this.write(id, changesOfPlan(plan));
    });
  }

  /** Plans that have any record in a table, those that were put away left out. */
  plansWith(table: TableName): string[] {
    const { plans, records } = schema;
    return this.db
      .selectDistinct({ id: plans.id })
      .from(plans)
      .innerJoin(records, and(eq(records.planId, plans.id), eq(records.table, table)))
      .where(isNull(plans.removedAt))
      .all()
      .map((row) => row.id);
  }

  setRemoved(id: string, removedAt: number | null): void {
    this.db.update(schema.plans).set({ removedAt }).where(eq(schema.plans.id, id)).run();
  }

  load(id: string): { plan: Plan; revision: number } | null {
    const row = this.db.select().from(schema.plans).where(eq(schema.plans.id, id)).get();
    if (row === undefined) return null;
    const { records } = schema;
    const changes: RecordChange[] = [];
    for (const { table, value } of this.db.select().from(records).where(eq(records.planId, id)).all()) {
      // A table that this version does not know was written by a newer one: it is left where it is.
      if (!TABLE_NAMES.includes(table)) continue;
      // Characters that cannot be seen were once taken: signs stand for them.
      makeVisible(value);
      // A record that was written before a field existed gets the field's default.
      const problem = recordProblem(table, value);
      // Addresses that cannot be were once taken: such a one is none.
      if (problem?.at === '/address') (value as { address: string | null }).address = null;
      changes.push({ table, before: null, after: value } as unknown as RecordChange);
    }
    return { plan: applyChanges(emptyPlan(''), changes), revision: row.revision };
  }

  /**
   * Applies a batch's changes and enters it in the journal, all in one transaction. Returns the new entry. Throws `RevisionTaken`, and
   * writes nothing, unless the plan is at the revision before.
   */
  append(planId: string, revision: number, entry: NewEntry, now: number): JournalRow {
    const { plans } = schema;
    return this.db.transaction((tx) => {
      const isNext = and(eq(plans.id, planId), eq(plans.revision, revision - 1));
      const { changes } = tx.update(plans).set({ revision, changedAt: now }).where(isNext).run();
      if (changes !== 1) throw new RevisionTaken(planId, revision);
      this.write(planId, entry.changes);
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

  /** An entry of which nothing can be taken back now: undo and redo pass it over as long as that is so. */
  setSpent(id: number, isSpent = true): void {
    this.db.update(schema.journal).set({ isSpent }).where(eq(schema.journal.id, id)).run();
  }

  /**
   * Entries of a plan, the newest first, from before an entry on. With a text only those in whose changes it stands (as JSON, which
   * the caller holds against what it looks for).
   */
  history(
    planId: string,
    { beforeId, text, limit }: { beforeId: number; text: string | null; limit: number },
  ): JournalRow[] {
    const { journal } = schema;
    return this.db
      .select()
      .from(journal)
      .where(
        and(
          eq(journal.planId, planId),
          lt(journal.id, beforeId),
          text === null ? undefined : sql`instr(${journal.changes}, ${text}) > 0`,
        ),
      )
      .orderBy(desc(journal.id))
      .limit(limit)
      .all();
  }

  /** Which of these entries are undone now. One that undo only passed over stands as it was. */
  undone(ids: readonly number[]): ReadonlySet<number> {
    const { journal } = schema;
    const rows = this.db
      .select({ kind: journal.kind, of: journal.ofEntryId })
      .from(journal)
      .where(inArray(journal.ofEntryId, [...ids]))
      .orderBy(asc(journal.id))
      .all();
    const latest = new Map(rows.map((r) => [r.of as number, r.kind]));
    return new Set([...latest].flatMap(([id, kind]) => (kind === 'undo' ? [id] : [])));
  }

  /** Steps that undo passed over, of all authors, the newest first. Of large ones, and those long ago, nobody asks. */
  passedOver(planId: string): JournalRow[] {
    const { journal } = schema;
    const spent = this.db
      .select()
      .from(journal)
      .where(
        and(
          eq(journal.planId, planId),
          eq(journal.kind, 'do'),
          eq(journal.isUndoable, true),
          eq(journal.isSpent, true),
          sql`length(${journal.changes}) < ${PASSED_OVER_OCTETS}`,
        ),
      )
      .orderBy(desc(journal.id))
      .limit(PASSED_OVER_MAX)
      .all();
    const undone = this.undone(spent.map((e) => e.id));
    return spent.filter((e) => !undone.has(e.id));
  }

  /** What this author would undo and redo next: the newest of their entries that stands, and the newest of their undos, unless they did something else since. */
  nextFor(planId: string, authorId: string): { readonly undo: EntryTitle | null; readonly redo: EntryTitle | null } {
    const undo = this.newest.get({ planId, authorId, kind: 'do' }) ?? null;
    const undone = this.newest.get({ planId, authorId, kind: 'undo' }) ?? null;
    return { undo, redo: undone !== null && (undo === null || undo.id < undone.id) ? undone : null };
  }

  private newestOfAuthor() {
    const { journal } = schema;
    return this.db
      .select({ id: journal.id, title: journal.title })
      .from(journal)
      .where(
        and(
          eq(journal.planId, sql.placeholder('planId')),
          eq(journal.authorId, sql.placeholder('authorId')),
          eq(journal.kind, sql.placeholder('kind')),
          eq(journal.isUndoable, true),
          eq(journal.isSpent, false),
        ),
      )
      .orderBy(desc(journal.id))
      .limit(1)
      .prepare();
  }

  private write(planId: string, changes: readonly RecordChange[]): void {
    for (const { table, before, after } of changes) {
      const { owner, key } = recordPlace(table, after ?? before);
      const place: Place = [planId, table, owner ?? '', String(key)];
      if (after !== null) this.put.run(...place, JSON.stringify(after));
      else if (before !== null) this.remove.run(...place);
    }
  }

  private putRecord() {
    const { records } = schema;
    return this.db
      .insert(records)
      .values({ ...PLACE, value: sql.placeholder('value') })
      .onConflictDoUpdate({
        target: [records.planId, records.table, records.owner, records.key],
        set: { value: sql.raw('excluded."value"') },
      });
  }

  private removeRecord() {
    const { records } = schema;
    const { planId, table, owner, key } = PLACE;
    return this.db
      .delete(records)
      .where(and(eq(records.planId, planId), eq(records.table, table), eq(records.owner, owner), eq(records.key, key)));
  }
}

/** Where a record is, in the order in which the statements have it. */
type Place = [planId: string, table: string, owner: string, key: string];
const PLACE = {
  planId: sql.placeholder('planId'),
  table: sql.placeholder('table'),
  owner: sql.placeholder('owner'),
  key: sql.placeholder('key'),
};
