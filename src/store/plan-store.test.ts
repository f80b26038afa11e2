import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { drizzle } from 'drizzle-orm/better-sqlite3';
import { migrate } from 'drizzle-orm/better-sqlite3/migrator';
import fc from 'fast-check';
import { fileOfPlan } from '../core/formats/plan-file';
import { applyCommands } from '../core/plan/apply-commands';
import { applyChanges, inverseOf, recordsIn } from '../core/plan/changes';
import type { Command } from '../core/plan/commands';
import { emptyPlan, type Plan } from '../core/plan/plan';
import { TABLE_NAMES, type TableName } from '../core/plan/tables';
import { arbitraryCommand } from '../core/plan/test-arbitrary-commands';
import { arbitraryPlan } from '../core/plan/test-arbitrary';
import { openDatabase } from './database';
import { PlanStore, type NewEntry } from './plan-store';
import { expectSame } from '../core/plan/test-same';

const MIGRATIONS = join(process.cwd(), 'src/store/migrations');
const entryOf = (changes: NewEntry['changes']): NewEntry => ({
  ...{ kind: 'do', isUndoable: true, ofEntryId: null, authorId: 'a', authorName: 'A', title: 't' },
  changes,
});

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'jade-lane-store-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

test('what somebody would undo next is found by an index, however long the journal is', () => {
  const { db } = openDatabase(':memory:', MIGRATIONS);
  // The statement itself: what it asks is of no use where SQLite answers it otherwise.
  const { sql } = new PlanStore(db)['newest'].getQuery();
  const client = db.$client;
  const steps = client.prepare(`EXPLAIN QUERY PLAN ${sql}`).all(...(sql.match(/\?/g) ?? []).map(() => null));
  expect(steps.map((step) => (step as { detail: string }).detail)).toEqual([
    expect.stringMatching(/^SEARCH journal USING INDEX journal_undoable /),
  ]);
});

test('law: a plan comes out of the database as it went in, and so does what was changed in it', () => {
  const store = new PlanStore(openDatabase(':memory:', MIGRATIONS).db);
  let n = 0;
  fc.assert(
    fc.property(arbitraryPlan(), fc.array(arbitraryCommand(), { maxLength: 4 }), (plan, made) => {
      const id = `plan-${(n += 1)}`;
      store.create(id, plan, n);
      expectSame(fileOfPlan(store.load(id)!.plan), fileOfPlan(plan));
      const result = applyCommands(
        plan,
        made.flatMap((make) => make(plan) ?? []),
      );
      if (!result.ok) return;
      store.append(id, 1, entryOf(result.changes), n);
      expectSame(fileOfPlan(store.load(id)!.plan), fileOfPlan(result.plan));
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
const COLUMN_OF_OLD: Readonly<Record<string, string>> = {
  from: 'from_end',
  to: 'to_end',
  order: 'place_along',
  streamNumber: 'slot',
};
const snake = (name: string) => name.replace(/[A-Z]/g, (c) => `_${c.toLowerCase()}`);

/** Text as it was when the number of a stream was called its slot. */
const withSlots = (text: string) => text.replaceAll('"streamNumber":', '"slot":');

/** A database file as it was after this many migrations. */
function databaseAfter(count: number, path: string): Database.Database {
  const migrations = join(folder, 'old-migrations');
  cpSync(MIGRATIONS, migrations, { recursive: true });
  const journalPath = join(migrations, 'meta/_journal.json');
  const journal = JSON.parse(readFileSync(journalPath, 'utf8')) as { entries: { idx: number }[] };
  writeFileSync(journalPath, JSON.stringify({ ...journal, entries: journal.entries.filter((e) => e.idx < count) }));
  const sqlite = new Database(path);
  migrate(drizzle(sqlite), { migrationsFolder: migrations });
  return sqlite;
}

/** A database as it was before records were kept in one table, with this plan in it. Returns the tables that there were. */
function oldDatabase(path: string, plan: Plan): TableName[] {
  const sqlite = databaseAfter(7, path);
  sqlite.prepare('insert into plans values (?, ?, ?, ?, ?)').run('old', 3, 1, 2, null);
  const isThere = sqlite.prepare("select 1 from sqlite_master where type = 'table' and name = ?");
  const tableOf = (name: TableName) => TABLE_OF_OLD[name] ?? snake(name);
  const old = TABLE_NAMES.filter((name) => isThere.get(tableOf(name)) !== undefined);
  for (const name of old) {
    const table = tableOf(name);
    const known = new Set((sqlite.pragma(`table_info("${table}")`) as { name: string }[]).map((c) => c.name));
    for (const record of recordsIn(name, plan[name])) {
      const fields = Object.entries(record).filter(([field]) => known.has(COLUMN_OF_OLD[field] ?? snake(field)));
      const columns = fields.map(([field]) => `"${COLUMN_OF_OLD[field] ?? snake(field)}"`);
      const values = fields.map(([, value]) =>
        typeof value === 'boolean'
          ? Number(value)
          : typeof value === 'object' && value !== null
            ? withSlots(JSON.stringify(value))
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

/** As plans were when every figure of a model was a number, every device had a channel map, switches had fewer settings, and nobody noted how wide streams are sent. */
function withEveryFigure(plan: Plan): Plan {
  const models = [...plan.models.values()].map((m) => ({
    ...m,
    streamsReceive: m.streamsReceive ?? 0,
    streamsSend: m.streamsSend ?? 0,
    channelsPerStreamMax: m.channelsPerStreamMax ?? 0,
    linkOffsetMinNs: m.linkOffsetMinNs ?? 0,
    sendMap: null,
    sendOrder: null,
    receiveOrder: null,
    terminals: [],
  }));
  const plain = { spanningTrees: 'one', igmpVersion: 3, pimMode: null, rendezvousPoint: null } as const;
  const switches = [...plan.switches.values()].map((s) => ({ ...s, ...plain }));
  const sentStreams = [...plan.sentStreams].map(([id, own]) => {
    const bare = [...own].map(([n, { width: _width, ...sent }]) => [n, sent] as const);
    return [id, new Map(bare)] as const;
  });
  const devices = [...plan.devices.values()].map((d) => ({ ...d, nodeDeviceId: null }));
  return {
    ...plan,
    devices: new Map(devices.map((d) => [d.id, d])),
    sentStreams: new Map(sentStreams),
    models: new Map(models.map((m) => [m.id, m])),
    switches: new Map(switches.map((s) => [s.id, s])),
  };
}

test('a database from before records were kept in one table opens with every field of every record', () => {
  fc.sample(arbitraryPlan().map(withEveryFigure), 12).forEach((plan, n) => {
    const path = join(folder, `old-${n}.sqlite`);
    const old = oldDatabase(path, plan);
    expect(old.length).toBeGreaterThanOrEqual(18);
    const since = Object.fromEntries(TABLE_NAMES.filter((t) => !old.includes(t)).map((t) => [t, []]));
    const store = new PlanStore(openDatabase(path, MIGRATIONS).db);
    expect(store.load('old')?.revision).toBe(3);
    expect(fileOfPlan(store.load('old')!.plan)).toEqual({ ...fileOfPlan(plan), ...since });
  });
});

test('a database in which the number of a stream was called its slot opens as itself, with all that can be undone', () => {
  const [made] = fc.sample(
    arbitraryPlan().filter((p) => p.layouts.size > 0 && p.sentStreams.size > 0 && p.groupChoices.size > 0),
    1,
  ) as [Plan];
  const plan = { ...made, streamEnds: new Map() };
  const path = join(folder, 'slots.sqlite');
  const newPath = join(folder, 'new.sqlite');
  const store = new PlanStore(openDatabase(newPath, MIGRATIONS).db);
  store.create('p', plan, 1);
  const device = [...plan.layouts.keys()][0]!;
  const streamNumber = [...plan.layouts.get(device)!.keys()][0]!;
  const drop = [{ senderDeviceId: device, streamNumber }];
  const commands: Command[] = [
    { kind: 'put-device', device: { ...plan.devices.get(device)!, name: 'Says "slot": 4' } },
    { kind: 'lay-out-streams', put: [], drop },
  ];
  const result = applyCommands(plan, commands);
  if (!result.ok) throw new Error('the edit was refused');
  store.append('p', 1, entryOf(result.changes), 2);

  const old = databaseAfter(10, path);
  old.prepare('attach ? as new').run(newPath);
  for (const table of ['plans', 'records']) old.exec(`insert into ${table} select * from new.${table}`);
  old.exec(`insert into journal (id, plan_id, revision, kind, is_undoable, is_spent, author_id, author_name, at, title, commands, changes)
    select id, plan_id, revision, kind, is_undoable, is_spent, author_id, author_name, at, title, '[]', changes
    from new.journal join new.journal_changes on entry_id = id`);
  for (const [table, columns] of Object.entries({ records: ['value'], journal: ['commands', 'changes'] })) {
    for (const c of columns) old.exec(`update ${table} set ${c} = replace(${c}, '"streamNumber":', '"slot":')`);
  }
  old.close();

  const opened = new PlanStore(openDatabase(path, MIGRATIONS).db);
  expect(fileOfPlan(opened.load('p')!.plan)).toEqual(fileOfPlan(result.plan));
  const entry = opened.entriesSince('p', 0)![0]!;
  expect(entry.records).toBe(result.changes.length);
  expect(fileOfPlan(applyChanges(result.plan, inverseOf(entry.changes)))).toEqual(fileOfPlan(plan));
});

test('a journal has a size: of its oldest steps only who and when is kept, and the plan stands as it was', () => {
  const { db } = openDatabase(':memory:', MIGRATIONS);
  const open = () => new PlanStore(db, 3000);
  let store = open();
  store.create('p', emptyPlan('Long'), 1);
  const place = (n: number) =>
    ({ table: 'places', before: null, after: { id: `p${n}`, name: 'x'.repeat(190), parentId: null } }) as never;
  for (let n = 1; n <= 20; n += 1) {
    store.append('p', n, entryOf([place(n)]), n);
    // Counted again after a start, and with each step else.
    if (n === 10) store = open();
  }
  const all = store.history('p', { beforeId: Number.MAX_SAFE_INTEGER, limit: 50 });
  const kept = all.filter((e) => e.bytes > 0);
  expect(all.map((e) => e.records)).toEqual(Array.from({ length: 20 }, () => 1));
  expect(kept.map((e) => e.revision)).toEqual(Array.from({ length: kept.length }, (_, n) => 20 - n));
  expect(kept.reduce((sum, e) => sum + e.bytes, 0)).toBeLessThanOrEqual(3000);
  expect(kept.length).toBeGreaterThan(8);
  expect(store.entry(all.at(-1)!.id)).toMatchObject({ bytes: 0, changes: [] });
  expect(store.entriesSince('p', 0)).toBeNull();
  expect(store.entriesSince('p', 18)?.map((e) => e.changes)).toEqual([[place(19)], [place(20)]]);
  expect(store.load('p')!.plan.places.has('p1')).toBe(true);
  // A step that is larger than all of it is kept until the next one.
  store.append('p', 21, entryOf(Array.from({ length: 30 }, (_, n) => place(100 + n))), 21);
  expect(store.history('p', { beforeId: Number.MAX_SAFE_INTEGER, limit: 50 }).filter((e) => e.bytes > 0)).toHaveLength(
    1,
  );
  expect(store.nextFor('p', 'a').undo?.title).toBeDefined();
});
