import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { emptyPlan } from '../core/plan/plan';
import { openDatabase } from './database';
import { DatabaseInUse } from './database-lock';
import { PlanStore, RevisionTaken } from './plan-store';

const MIGRATIONS = join(__dirname, 'migrations');
const entry = {
  kind: 'do',
  isUndoable: true,
  ofEntryId: null,
  authorId: 'a',
  authorName: 'A',
  title: 't',
  changes: [],
} as const;
let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'jade-lock-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** Another process that takes the lock and keeps it. */
const HOLD = `
const Database = require('better-sqlite3');
const lock = new Database(process.argv[1]);
lock.pragma('journal_mode = MEMORY');
lock.exec('BEGIN EXCLUSIVE');
console.log('held');
setInterval(() => {}, 1000);
`;

test('a database that another process writes is refused, and free again once that one was killed', async () => {
  const path = join(folder, 'plans.sqlite');
  openDatabase(path, MIGRATIONS).close();
  const other = spawn(process.execPath, ['-e', HOLD, `${path}.lock`], { cwd: process.cwd() });
  await new Promise((resolve) => other.stdout.once('data', resolve));
  expect(() => openDatabase(path, MIGRATIONS)).toThrow(DatabaseInUse);
  other.kill('SIGKILL');
  await new Promise((resolve) => other.once('exit', resolve));
  const opened = openDatabase(path, MIGRATIONS);
  expect(new PlanStore(opened.db).list()).toEqual([]);
  opened.close();
});

test('a revision that somebody else wrote is not written again, and nothing of it', () => {
  const path = join(folder, 'plans.sqlite');
  const { db, close } = openDatabase(path, MIGRATIONS);
  const store = new PlanStore(db);
  store.create('p', emptyPlan('Tide'), 1);
  store.append('p', 1, entry, 2);
  const place = { table: 'places', before: null, after: { id: 'x', name: 'X', parentId: null } } as const;
  expect(() => store.append('p', 1, { ...entry, changes: [place] }, 3)).toThrow(RevisionTaken);
  expect(() => store.append('p', 3, entry, 3)).toThrow(RevisionTaken);
  expect(store.load('p')).toMatchObject({ revision: 1 });
  expect(store.load('p')?.plan.places.size).toBe(0);
  expect(store.entriesSince('p', 0)).toHaveLength(1);
  close();
});
