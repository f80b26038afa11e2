import { mkdirSync } from 'node:fs';
import { dirname } from 'node:path';
import Database from 'better-sqlite3';
import { drizzle, type BetterSQLite3Database } from 'drizzle-orm/better-sqlite3';
import { migrate } from 'drizzle-orm/better-sqlite3/migrator';
import { lockDatabase } from './database-lock';
import * as schema from './schema';

export type Db = BetterSQLite3Database<typeof schema> & { readonly $client: Database.Database };

export interface OpenedDatabase {
  readonly db: Db;
  /** Writes nothing; throws what keeps the database from being read. */
  readonly check: () => void;
  readonly close: () => void;
}

/**
 * Opens the database file, made anew where there is none, and brings it up to date. A write is on the disk before it is
 * acknowledged (write-ahead log with full synchronisation): a process that is killed at any moment loses nothing that
 * anyone was told. Throws `DatabaseInUse` where another process has it, and what SQLite says where it cannot be used.
 */
export function openDatabase(path: string, migrationsFolder: string): OpenedDatabase {
  if (path !== ':memory:') mkdirSync(dirname(path), { recursive: true });
  const unlock = lockDatabase(path);
  let sqlite: Database.Database | null = null;
  try {
    sqlite = new Database(path);
    sqlite.pragma('journal_mode = WAL');
    sqlite.pragma('synchronous = FULL');
    sqlite.pragma('foreign_keys = ON');
    sqlite.pragma('busy_timeout = 5000');
    const db = drizzle(sqlite, { schema });
    migrate(db, { migrationsFolder });
    const open = sqlite;
    return {
      db,
      check: () => void open.prepare('SELECT count(*) FROM plans').get(),
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
