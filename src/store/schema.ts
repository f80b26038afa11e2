import { index, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import type { RecordChange } from '../core/plan/changes';
import type { Model } from '../core/models/models-table';
import type { TableName } from '../core/plan/tables';

/** One row per plan. `revision` counts the batches applied to it. */
export const plans = sqliteTable('plans', {
  id: text('id').primaryKey(),
  revision: integer('revision').notNull(),
  createdAt: integer('created_at').notNull(),
  changedAt: integer('changed_at').notNull(),
  /** When it was put away; it can be brought back. */
  removedAt: integer('removed_at'),
});

const planId = () =>
  text('plan_id')
    .notNull()
    .references(() => plans.id);

/** Every batch ever applied: who, what, when. What each changed is beside it, so that a list of them reads none of that. */
export const journal = sqliteTable(
  'journal',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    planId: planId(),
    revision: integer('revision').notNull(),
    kind: text('kind').$type<'do' | 'undo' | 'redo'>().notNull(),
    /** False for what the system notes by itself, such as what was sent. */
    isUndoable: integer('is_undoable', { mode: 'boolean' }).notNull(),
    /** For an undo or redo: the entry that it takes back or does again. */
    ofEntryId: integer('of_entry_id'),
    /** Set on an entry while it is undone, and on an undo once it was redone. */
    isSpent: integer('is_spent', { mode: 'boolean' }).notNull(),
    authorId: text('author_id').notNull(),
    authorName: text('author_name').notNull(),
    at: integer('at').notNull(),
    title: text('title').notNull(),
    /** How many records it changed. */
    records: integer('records').notNull().default(0),
    /** The size of what it changed, as JSON, in bytes; 0: that was folded into the plan, and is no longer kept. */
    bytes: integer('bytes').notNull().default(0),
  },
  (t) => [
    index('journal_plan_revision').on(t.planId, t.revision),
    // What somebody would undo or redo next is asked with every edit.
    index('journal_undoable').on(t.planId, t.authorId, t.kind, t.isUndoable, t.isSpent),
  ],
);

/** What a batch changed, and with that what takes it back. Of a plan's oldest ones it is folded away: see `PlanStore`. */
export const journalChanges = sqliteTable('journal_changes', {
  entryId: integer('entry_id')
    .primaryKey()
    .references(() => journal.id),
  changes: text('changes', { mode: 'json' }).$type<readonly RecordChange[]>().notNull(),
});

/**
 * The records of all plans, each as JSON by plan, table, owner and key: see core/plan/tables.ts for what tables there are. A table
 * that is declared there needs nothing here.
 */
export const records = sqliteTable(
  'records',
  {
    planId: planId(),
    table: text('table_name').$type<TableName>().notNull(),
    /** The device that the record belongs to; empty: it stands by itself. */
    owner: text('owner').notNull(),
    key: text('key').notNull(),
    value: text('value', { mode: 'json' }).$type<Record<string, unknown>>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.table, t.owner, t.key] })],
);

/**
 * Models that are kept beside the plans: every version of each, the newest last. Nothing is deleted from it; a version without a value says
 * that the model was taken out of the library.
 */
export const libraryModels = sqliteTable(
  'library_models',
  {
    modelId: text('model_id').notNull(),
    version: integer('version').notNull(),
    value: text('value', { mode: 'json' }).$type<Model>(),
    authorId: text('author_id').notNull(),
    authorName: text('author_name').notNull(),
    at: integer('at').notNull(),
    note: text('note').notNull(),
  },
  (t) => [primaryKey({ columns: [t.modelId, t.version] })],
);

/** What happened in the field to a plan, whether or not anybody looked at it. What happened is JSON by its kind: field/live/happenings.ts. */
export const liveEvents = sqliteTable(
  'live_events',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    planId: planId(),
    at: integer('at').notNull(),
    happening: text('happening', { mode: 'json' }).$type<Readonly<Record<string, unknown>>>().notNull(),
  },
  (t) => [index('live_events_plan').on(t.planId, t.id)],
);

/** Which plan runs each device of the field: one at a time, the one that sent to it or took it over last. By the id of its IS-04 device. */
export const deviceRuns = sqliteTable('device_runs', {
  nodeDeviceId: text('node_device_id').primaryKey(),
  planId: planId(),
  at: integer('at').notNull(),
});

/** Where people said at the page that devices are looked for: nodes by their addresses, adapters of this computer by their names. */
export const fieldPlaces = sqliteTable(
  'field_places',
  {
    kind: text('kind').$type<'node' | 'adapter'>().notNull(),
    value: text('value').notNull(),
    authorName: text('author_name').notNull(),
    at: integer('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.kind, t.value] })],
);
