import { setImmediate as nextTurn } from 'node:timers/promises';
import type { Statement } from 'better-sqlite3';
import { and, asc, between, desc, eq, getTableColumns, gt, gte, inArray, isNull, lt, lte, sql } from 'drizzle-orm';
import { recordProblem } from '../core/formats/read-plan-file';
import { applyChanges, changesOfPlan, recordPlace, type RecordChange } from '../core/plan/changes';
import { atOnce } from '../core/plan/in-steps';
import { emptyPlan, type Plan } from '../core/plan/plan';
import { TABLE_NAMES, type TableName } from '../core/plan/tables';
import { makeVisible, mayHide } from '../core/plan/visible-text';
import type { Db } from './database';
import * as schema from './schema';
import { writtenInSteps, type WrittenChanges } from './written-changes';

export interface PlanSummary {
  readonly id: string;
  readonly name: string;
  readonly revision: number;
  readonly createdAt: number;
  readonly changedAt: number;
  readonly removedAt: number | null;
}

/** Who did what and when. */
export type JournalEntry = typeof schema.journal.$inferSelect;

/** With what it changed; nothing where that is no longer kept. */
export interface JournalRow extends JournalEntry {
  readonly changes: readonly RecordChange[];
}

/** Which entry of the journal, and how it is called. */
export type EntryTitle = Pick<JournalEntry, 'id' | 'title'>;

export interface NewEntry {
  readonly kind: 'do' | 'undo' | 'redo';
  readonly isUndoable: boolean;
  readonly ofEntryId: number | null;
  readonly authorId: string;
  readonly authorName: string;
  readonly title: string;
  readonly changes: readonly RecordChange[];
}

/** Somebody else wrote this revision of the plan. */
export class RevisionTaken extends Error {
  constructor(
    readonly planId: string,
    readonly revision: number,
  ) {
    super(`revision ${revision} of ${planId} was written by another process`);
    this.name = 'RevisionTaken';
  }

  /** By its name, as route handlers are bundled apart, each with this class of its own. */
  static override [Symbol.hasInstance](error: unknown): boolean {
    return error instanceof Error && error.name === 'RevisionTaken';
  }
}

/** Which steps a list is of. */
export interface About {
  /** What stands in their changes, as JSON. */
  readonly text: string;
  readonly takes: (change: RecordChange) => boolean;
}

/** A plan as it is in the database. */
export interface LoadedPlan {
  readonly plan: Plan;
  readonly revision: number;
}

/** The revision of a plan that is being written. */
const UNFINISHED = -1;
/** So many records are read or written at a time. */
const PART = 500;
/** Between two parts that are written others have this long to write: whoever waits for the database asks for it some times a second only. */
const REST_MS = 20;

/** Plans and their journal in SQLite. Everything that belongs together is one transaction. */
const PASSED_OVER_MAX = 100;
const PASSED_OVER_BYTES = 200_000;

/** So much of what its steps changed is kept of a plan; of the oldest it is folded into the plan. The last step is kept however large. */
const JOURNAL_MAX_BYTES = 200_000_000;
/** More than this of later changes is not read to answer one request. */
const SINCE_MAX_BYTES = 64_000_000;

export class PlanStore {
  // Statements of every edit are made ready once. There is one connection: they run within its transactions. Those of records are given their values by
  // the driver itself: Drizzle looks at each value for what it could be, which takes as long as writing it.
  private readonly newest: ReturnType<PlanStore['newestOfAuthor']>;
  /** By plan, how much is kept of what its steps changed. */
  private readonly kept = new Map<string, number>();
  private readonly part: Statement<[...RecordKey, limit: number]>;
  private readonly putChanges: Statement<[id: number, changes: string]>;
  private readonly put: Statement<[...RecordKey, value: string]>;
  private readonly remove: Statement<RecordKey>;

  constructor(
    private readonly db: Db,
    private readonly journalMaxBytes = JOURNAL_MAX_BYTES,
  ) {
    this.newest = this.newestOfAuthor();
    this.part = db.$client.prepare(
      'SELECT table_name AS "table", owner, key, value FROM records WHERE plan_id = ? AND (table_name, owner, key) > (?, ?, ?) ORDER BY table_name, owner, key LIMIT ?',
    );
    this.putChanges = db.$client.prepare('INSERT INTO journal_changes (entry_id, changes) VALUES (?, ?)');
    this.put = db.$client.prepare(this.putRecord().toSQL().sql);
    this.remove = db.$client.prepare(this.removeRecord().toSQL().sql);
  }

  list(): PlanSummary[] {
    return this.summaries().where(gte(schema.plans.revision, 0)).orderBy(desc(schema.plans.changedAt)).all();
  }

  find(id: string): PlanSummary | null {
    return (
      this.summaries()
        .where(and(eq(schema.plans.id, id), gte(schema.plans.revision, 0)))
        .get() ?? null
    );
  }

  private summaries() {
    const { plans, records } = schema;
    return this.db
      .select({ ...getTableColumns(plans), name: sql<string>`json_extract(${records.value}, '$.name')` })
      .from(plans)
      .innerJoin(records, and(eq(records.planId, plans.id), eq(records.table, 'settings')));
  }

  create(id: string, plan: Plan, now: number): void {
    this.db.isStillThere();
    this.db.transaction((tx) => {
      tx.insert(schema.plans).values({ id, revision: 0, createdAt: now, changedAt: now, removedAt: null }).run();
      this.write(id, changesOfPlan(plan));
    });
  }

  /**
   * As `create`, a part at a time, so that others read and write meanwhile. The plan is there once all of it is; what a process that was stopped in
   * between leaves is taken away by `dropUnfinished`.
   */
  async createInParts(id: string, plan: Plan, now: number, restMs = REST_MS): Promise<void> {
    this.db.isStillThere();
    const row = { id, revision: UNFINISHED, createdAt: now, changedAt: now, removedAt: null };
    this.db.insert(schema.plans).values(row).run();
    const changes = changesOfPlan(plan);
    for (let at = 0; at < changes.length; at += PART) {
      this.db.transaction(() => this.write(id, changes.slice(at, at + PART)));
      await new Promise((resolve) => setTimeout(resolve, restMs));
    }
    this.db.update(schema.plans).set({ revision: 0 }).where(eq(schema.plans.id, id)).run();
  }

  /** Takes away plans that were not written to their end. */
  dropUnfinished(): void {
    const { plans, records } = schema;
    const unfinished = this.db.select({ id: plans.id }).from(plans).where(eq(plans.revision, UNFINISHED)).all();
    for (const { id } of unfinished) {
      this.db.delete(records).where(eq(records.planId, id)).run();
      this.db.delete(plans).where(eq(plans.id, id)).run();
    }
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
    this.db.isStillThere();
    this.db.update(schema.plans).set({ removedAt }).where(eq(schema.plans.id, id)).run();
  }

  load(id: string): LoadedPlan | null {
    const revision = this.revisionOf(id);
    if (revision === null) return null;
    const changes: RecordChange[] = [];
    for (let last: RecordKey | null = [id, '', '', '']; last !== null;) last = this.loadPart(last, changes);
    return { plan: applyChanges(emptyPlan(''), changes), revision };
  }

  /** As `load`, a part at a time, so that nobody waits for a large plan that somebody else opens. Null also where it was changed meanwhile. */
  async loadInParts(id: string): Promise<LoadedPlan | null> {
    const revision = this.revisionOf(id);
    if (revision === null) return null;
    const changes: RecordChange[] = [];
    for (let last: RecordKey | null = [id, '', '', '']; last !== null;) {
      last = this.loadPart(last, changes);
      await nextTurn();
    }
    if (this.revisionOf(id) !== revision) return null;
    return { plan: applyChanges(emptyPlan(''), changes), revision };
  }

  /** The revision of a plan; null: there is no such plan. */
  revisionOf(id: string): number | null {
    const { plans } = schema;
    const row = this.db.select({ revision: plans.revision }).from(plans).where(eq(plans.id, id)).get();
    return row === undefined || row.revision < 0 ? null : row.revision;
  }

  /** Reads the records after one, in their order. Returns the last; null: there are no more. */
  private loadPart(after: RecordKey, changes: RecordChange[]): RecordKey | null {
    const part = this.part.all(...after, PART) as { table: TableName; owner: string; key: string; value: string }[];
    for (const { table, value: text } of part) {
      // A table that this version does not know was written by a newer one: it is left where it is.
      if (!TABLE_NAMES.includes(table)) continue;
      const value = JSON.parse(text) as Record<string, unknown>;
      // Characters that cannot be seen were once taken: signs stand for them.
      if (mayHide(text)) makeVisible(value);
      // A record that was written before a field existed gets the field's default.
      const problem = recordProblem(table, value);
      // Addresses that cannot be were once taken: such a one is none.
      if (problem?.at === '/address') (value as { address: string | null }).address = null;
      changes.push({ table, before: null, after: value } as unknown as RecordChange);
    }
    const last = part.at(-1);
    return part.length < PART || last === undefined ? null : [after[0], last.table, last.owner, last.key];
  }

  /**
   * Applies a batch's changes and enters it in the journal, all in one transaction. Returns the new entry. Throws `RevisionTaken`, and
   * writes nothing, unless the plan is at the revision before.
   */
  append(
    planId: string,
    revision: number,
    entry: NewEntry,
    now: number,
    written: WrittenChanges = atOnce(writtenInSteps(entry.changes)),
  ): JournalRow {
    this.db.isStillThere();
    const { plans } = schema;
    return this.db.transaction((tx) => {
      const isNext = and(eq(plans.id, planId), eq(plans.revision, revision - 1));
      const { changes } = tx.update(plans).set({ revision, changedAt: now }).where(isNext).run();
      if (changes !== 1) throw new RevisionTaken(planId, revision);
      this.write(planId, entry.changes, written.records);
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
      const { changes: own, ...rest } = entry;
      const row = tx
        .insert(schema.journal)
        .values({
          ...{ ...rest, planId, revision, at: now, isSpent: false },
          ...{ records: own.length, bytes: Buffer.byteLength(written.all) },
        })
        .returning()
        .get();
      this.putChanges.run(row.id, written.all);
      this.fold(planId, row);
      return { ...row, changes: own };
    });
  }

  /** Folds what the oldest steps of a plan changed into the plan, until the rest is as small as it has to be. */
  private fold(planId: string, { id: newest, bytes }: JournalEntry): void {
    const { journal, journalChanges } = schema;
    const total = this.keptBytes(planId, newest, bytes);
    let over = total - this.journalMaxBytes;
    while (over > 0) {
      const oldest = this.db
        .select({ id: journal.id, bytes: journal.bytes })
        .from(journal)
        .where(and(eq(journal.planId, planId), gt(journal.bytes, 0), lt(journal.id, newest)))
        .orderBy(asc(journal.id))
        .limit(1)
        .get();
      if (oldest === undefined) break;
      this.db.delete(journalChanges).where(eq(journalChanges.entryId, oldest.id)).run();
      this.db.update(journal).set({ bytes: 0 }).where(eq(journal.id, oldest.id)).run();
      over -= oldest.bytes;
    }
    this.kept.set(planId, this.journalMaxBytes + over);
  }

  /** How much is kept of what the steps of a plan changed. Counted once, and then with each step. */
  private keptBytes(planId: string, newest: number, bytes: number): number {
    const before = this.kept.get(planId);
    if (before !== undefined) return before + bytes;
    const { journal } = schema;
    const counted = this.db
      .select({ bytes: sql<number>`coalesce(sum(${journal.bytes}), 0)` })
      .from(journal)
      .where(and(eq(journal.planId, planId), lte(journal.id, newest)))
      .get();
    return counted?.bytes ?? bytes;
  }

  /** Later steps with what they changed, the oldest first; null where that is no longer kept, or more than is read at once. */
  entriesSince(planId: string, revision: number): JournalRow[] | null {
    const { journal } = schema;
    const later = this.db
      .select()
      .from(journal)
      .where(and(eq(journal.planId, planId), gt(journal.revision, revision)))
      .orderBy(asc(journal.revision))
      .all();
    const bytes = later.reduce((sum, e) => sum + e.bytes, 0);
    if (bytes > SINCE_MAX_BYTES || later.some((e) => e.bytes === 0)) return null;
    return later.map((e) => this.withChanges(e));
  }

  entry(id: number): JournalRow | null {
    const found = this.db.select().from(schema.journal).where(eq(schema.journal.id, id)).get();
    return found === undefined ? null : this.withChanges(found);
  }

  private withChanges(entry: JournalEntry): JournalRow {
    const { journalChanges } = schema;
    const kept = this.db.select().from(journalChanges).where(eq(journalChanges.entryId, entry.id)).get();
    return { ...entry, changes: kept?.changes ?? [] };
  }

  /** An entry of which nothing can be taken back now: undo and redo pass it over as long as that is so. */
  setSpent(id: number, isSpent = true): void {
    this.db.update(schema.journal).set({ isSpent }).where(eq(schema.journal.id, id)).run();
  }

  /**
   * Entries of a plan, the newest first, from before an entry on. With `about` only those whose changes hold its text (as JSON) and
   * which it takes: what each changed is read for that one after the other.
   */
  history(
    planId: string,
    {
      beforeId,
      limit,
      about = null,
    }: { readonly beforeId: number; readonly limit: number; readonly about?: About | null },
  ): JournalEntry[] {
    const { journal, journalChanges } = schema;
    const from = (id: number) => and(eq(journal.planId, planId), lt(journal.id, id));
    if (about === null) {
      return this.db.select().from(journal).where(from(beforeId)).orderBy(desc(journal.id)).limit(limit).all();
    }
    const hold = sql`instr(${journalChanges.changes}, ${about.text}) > 0`;
    const found: JournalEntry[] = [];
    for (let next = beforeId; ;) {
      const candidates = this.db
        .select(getTableColumns(journal))
        .from(journal)
        .innerJoin(journalChanges, eq(journalChanges.entryId, journal.id))
        .where(and(from(next), hold))
        .orderBy(desc(journal.id))
        .limit(limit)
        .all();
      for (const entry of candidates) {
        if (this.withChanges(entry).changes.some(about.takes)) found.push(entry);
        if (found.length === limit) return found;
      }
      const last = candidates.at(-1);
      if (candidates.length < limit || last === undefined) return found;
      next = last.id;
    }
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
          between(journal.bytes, 1, PASSED_OVER_BYTES),
        ),
      )
      .orderBy(desc(journal.id))
      .limit(PASSED_OVER_MAX)
      .all();
    const undone = this.undone(spent.map((e) => e.id));
    return spent.filter((e) => !undone.has(e.id)).map((e) => this.withChanges(e));
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
          gt(journal.bytes, 0),
        ),
      )
      .orderBy(desc(journal.id))
      .limit(1)
      .prepare();
  }

  /** Writes records. Of those that stay, their JSON where it is there already. */
  private write(planId: string, changes: readonly RecordChange[], texts: readonly (string | null)[] = []): void {
    for (const [n, { table, before, after }] of changes.entries()) {
      const { owner, key } = recordPlace(table, after ?? before);
      const place: RecordKey = [planId, table, owner ?? '', String(key)];
      if (after !== null) this.put.run(...place, texts[n] ?? JSON.stringify(after));
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
type RecordKey = [planId: string, table: string, owner: string, key: string];
const PLACE = {
  planId: sql.placeholder('planId'),
  table: sql.placeholder('table'),
  owner: sql.placeholder('owner'),
  key: sql.placeholder('key'),
};
