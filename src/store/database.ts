import { chmodSync, existsSync, mkdirSync, statSync } from 'node:fs';
import { dirname } from 'node:path';
import Database from 'better-sqlite3';
import { drizzle, type BetterSQLite3Database } from 'drizzle-orm/better-sqlite3';
import { migrate } from 'drizzle-orm/better-sqlite3/migrator';
import { lockDatabase } from './database-lock';
import * as schema from './schema';

export type Db = BetterSQLite3Database<typeof schema> & {
  readonly $client: Database.Database;
  /**
   * To be asked after a write, before anyone is told of it. Throws `DatabaseMoved` where the file that is written is not the one that will be opened
   * after the next start.
   */
  readonly isStillThere: () => void;
};

/** The database file was moved away or replaced while it is open: what is written goes where nobody will look for it. */
class DatabaseMoved extends Error {
  readonly code = 'DATABASE_MOVED';
}

export interface OpenedDatabase {
  readonly db: Db;
  /** Writes a mark and reads it; throws what keeps the database from being used. */
  readonly check: () => void;
  readonly close: () => void;
}

/** One more connection to a database that this process has open, for another of its threads. */
export function openBeside(path: string): { readonly db: Db; readonly close: () => void } {
  const sqlite = new Database(path, { fileMustExist: true });
  setUp(sqlite);
  const db = Object.assign(drizzle(sqlite, { schema }), { isStillThere: watchedFile(path) }) as Db;
  return { db, close: () => sqlite.close() };
}

function setUp(sqlite: Database.Database): void {
  sqlite.pragma('journal_mode = WAL');
  sqlite.pragma('synchronous = FULL');
  sqlite.pragma('foreign_keys = ON');
  sqlite.pragma('busy_timeout = 5000');
}

/** What it belongs to may be read by the owner of the process alone, whatever it was before. */
function ownerOnly(path: string): void {
  for (const file of [path, `${path}-wal`, `${path}-shm`, `${path}.lock`]) if (existsSync(file)) chmodSync(file, 0o600);
}

/** Says whether the file at a path is still the one that is there now. */
function watchedFile(path: string): () => void {
  if (path === ':memory:') return () => {};
  const { ino, dev } = statSync(path);
  return () => {
    const now = statSync(path, { throwIfNoEntry: false });
    if (now?.ino !== ino || now.dev !== dev) throw new DatabaseMoved(`${path} is not the file that was opened`);
  };
}

/**
 * Opens the database file, made again where there is none, and brings it up to date. A write is on the disk before it is
 * acknowledged (write-ahead log with full synchronisation): a process that is killed at any moment loses nothing that
 * anyone was told. Throws `DatabaseInUse` where another process has it, and what SQLite says where it cannot be used.
 */
export function openDatabase(path: string, migrationsFolder: string): OpenedDatabase {
  if (path !== ':memory:') mkdirSync(dirname(path), { recursive: true });
  const unlock = lockDatabase(path);
  let sqlite: Database.Database | null = null;
  try {
    sqlite = new Database(path);
    setUp(sqlite);
    const isStillThere = watchedFile(path);
    const db = Object.assign(drizzle(sqlite, { schema }), { isStillThere }) as Db;
    migrate(db, { migrationsFolder });
    const open = sqlite;
    const check = () => {
      // Only a write that reaches the disk says that one can be made.
      open.pragma(`user_version = ${1 - Number(open.pragma('user_version', { simple: true }))}`);
      isStillThere();
    };
    check();
    if (path !== ':memory:') ownerOnly(path);
    return {
      db,
      check,
      close: () => {
        open.close();
        unlock();
      },
    };
  } catch (error) {
    sqlite?.close();
    unlock();
    throw error;
  }
}
