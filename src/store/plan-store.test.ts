import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { drizzle } from 'drizzle-orm/better-sqlite3';
import { migrate } from 'drizzle-orm/better-sqlite3/migrator';
import fc from 'fast-check';
import { fileOfPlan } from '../core/formats/plan-file';
import { applyCommands } from '../core/plan/apply-commands';
import { recordsIn } from '../core/plan/changes';
import type { Plan } from '../core/plan/plan';
import { TABLE_NAMES, type TableName } from '../core/plan/tables';
import { arbitraryCommand, arbitraryPlan } from '../core/plan/test-arbitrary';
import { openDatabase } from './database';
import { PlanStore, type NewEntry } from './plan-store';

const MIGRATIONS = join(process.cwd(), 'src/store/migrations');
const entryOf = (changes: NewEntry['changes']): NewEntry => ({
  ...{ kind: 'do', isUndoable: true, ofEntryId: null, authorId: 'a', authorName: 'A', title: 't' },
  commands: [],
  changes,
});

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'jade-lane-store-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

test('law: a plan comes out of the database as it went in, and so does what was changed in it', () => {
  const store = new PlanStore(openDatabase(':memory:', MIGRATIONS));
  let n = 0;
  fc.assert(
    fc.property(arbitraryPlan(), fc.array(arbitraryCommand(), { maxLength: 4 }), (plan, made) => {
      const id = `plan-${(n += 1)}`;
      store.create(id, plan, n);
      expect(fileOfPlan(store.load(id)!.plan)).toEqual(fileOfPlan(plan));
      const result = applyCommands(
        plan,
        made.flatMap((make) => make(plan) ?? []),
      );
      if (!result.ok) return;
      store.append(id, 1, entryOf(result.changes), n);
      expect(fileOfPlan(store.load(id)!.plan)).toEqual(fileOfPlan(result.plan));
      expect(store.find(id)?.name).toBe(result.plan.settings.name);
    }),
    { numRuns: 60 },
  );
});

/** How the records of each table were kept before there was one table for all. */
const TABLE_OF_OLD: Partial<Record<TableName, string>> = {
  switches: 'switch_settings',
  references: 'clock_references',
  clocks: 'clock_settings',
  labels: 'channel_labels',
  layouts: 'stream_layouts',
};
const COLUMN_OF_OLD: Readonly<Record<string, string>> = { from: 'from_end', to: 'to_end', order: 'place_along' };
const snake = (name: string) => name.replace(/[A-Z]/g, (c) => `_${c.toLowerCase()}`);

/** A database as it was before records were kept in one table, with this plan in it. Returns the tables that there were. */
function oldDatabase(path: string, plan: Plan): TableName[] {
  const migrations = join(folder, 'old-migrations');
  cpSync(MIGRATIONS, migrations, { recursive: true });
  const journalPath = join(migrations, 'meta/_journal.json');
  const journal = JSON.parse(readFileSync(journalPath, 'utf8')) as { entries: { idx: number }[] };
  writeFileSync(journalPath, JSON.stringify({ ...journal, entries: journal.entries.filter((e) => e.idx <= 6) }));
  const sqlite = new Database(path);
  migrate(drizzle(sqlite), { migrationsFolder: migrations });
  sqlite.prepare('insert into plans values (?, ?, ?, ?, ?)').run('old', 3, 1, 2, null);
  const isThere = sqlite.prepare("select 1 from sqlite_master where type = 'table' and name = ?");
  const tableOf = (name: TableName) => TABLE_OF_OLD[name] ?? snake(name);
  const old = TABLE_NAMES.filter((name) => isThere.get(tableOf(name)) !== undefined);
  for (const name of old) {
    const table = tableOf(name);
    for (const record of recordsIn(name, plan[name])) {
      const fields = Object.entries(record);
      const columns = fields.map(([field]) => `"${COLUMN_OF_OLD[field] ?? snake(field)}"`);
      const values = fields.map(([, value]) =>
        typeof value === 'boolean'
          ? Number(value)
          : typeof value === 'object' && value !== null
            ? JSON.stringify(value)
            : value,
      );
      sqlite
        .prepare(`insert into "${table}" ("plan_id", ${columns.join(', ')}) values (?${', ?'.repeat(values.length)})`)
        .run('old', ...values);
    }
  }
  sqlite.close();
  return old;
}

test('a database from before records were kept in one table opens with every field of every record', () => {
  fc.sample(arbitraryPlan(), 12).forEach((plan, n) => {
    const path = join(folder, `old-${n}.sqlite`);
    const old = oldDatabase(path, plan);
    expect(old.length).toBeGreaterThanOrEqual(18);
    const since = Object.fromEntries(TABLE_NAMES.filter((t) => !old.includes(t)).map((t) => [t, []]));
    const store = new PlanStore(openDatabase(path, MIGRATIONS));
    expect(store.load('old')?.revision).toBe(3);
    expect(fileOfPlan(store.load('old')!.plan)).toEqual({ ...fileOfPlan(plan), ...since });
  });
});
