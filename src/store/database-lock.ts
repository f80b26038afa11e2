import { mkdirSync } from 'node:fs';
import { dirname } from 'node:path';
import Database from 'better-sqlite3';

/** Another process has the database open to write. */
export class DatabaseInUse extends Error {
  readonly code = 'DATABASE_IN_USE';
  constructor(readonly path: string) {
    super(`${path} is in use by another process`);
  }
}

/** A process that is just stopping is waited for this long. */
const WAIT_MS = 3000;

/**
 * Makes sure that one process at a time writes a database: two that keep the same plans in memory would each acknowledge what the other does
 * not know. The lock is an open transaction on a small file beside it, so that the system takes it back from a process that was killed.
 * @returns gives the lock back
 */
export function lockDatabase(path: string): () => void {
  if (path === ':memory:') return () => {};
  mkdirSync(dirname(path), { recursive: true });
  const lock = new Database(`${path}.lock`, { timeout: WAIT_MS });
  try {
    lock.pragma('journal_mode = MEMORY');
    lock.exec('BEGIN EXCLUSIVE');
  } catch (error) {
    lock.close();
    if ((error as { code?: string }).code?.startsWith('SQLITE_BUSY')) throw new DatabaseInUse(path);
    throw error;
  }
  return () => lock.close();
}
