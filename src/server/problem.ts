/** What went wrong with a request, in words for the person who made it. Never carries a stack or a path of ours. */
export class RequestProblem extends Error {
  constructor(
    readonly status: 400 | 401 | 403 | 404 | 405 | 408 | 409 | 413 | 415 | 421 | 429 | 502 | 503 | 507,
    readonly code: string,
    message: string,
    /** Which part of the request, e.g. `commands[0].subscriptions[3].receiverChannel`. */
    readonly field: string | null = null,
    readonly details: unknown = undefined,
  ) {
    super(message);
    this.name = 'RequestProblem';
  }

  /** By its name, as route handlers are bundled apart, each with this class of its own. */
  static override [Symbol.hasInstance](error: unknown): boolean {
    return error instanceof Error && error.name === 'RequestProblem';
  }
}

/** What the database says when it cannot be used, with what to do about it. By the start of SQLite's code. */
const STORAGE_WORDS: readonly (readonly [code: string, words: string])[] = [
  ['DATABASE_MOVED', 'The database file was moved away or replaced. Put it back, or start the server again'],
  ['SQLITE_FULL', 'The disk is full. Make room in the data folder'],
  ['SQLITE_READONLY', 'The data folder cannot be written to. Give the server the right to write there'],
  ['SQLITE_CANTOPEN', 'The database cannot be opened. See that the data folder exists and can be written to'],
  ['SQLITE_PERM', 'The database cannot be opened. Give the server the right to its data folder'],
  ['SQLITE_NOTADB', 'The database file is not one. Put back a copy of it, or move it away to start again'],
  ['SQLITE_CORRUPT', 'The database file is damaged. Put back a copy of it'],
  ['SQLITE_IOERR', 'The disk cannot be read or written. Look at the disk, and at how much room it has'],
  ['SQLITE_BUSY', 'The database is in use by another program. Stop that one'],
  ['ENOSPC', 'The disk is full. Make room in the data folder'],
  ['EROFS', 'The data folder cannot be written to. Give the server the right to write there'],
  ['EACCES', 'The data folder cannot be used. Give the server the right to write there'],
  ['ENOTDIR', 'The data folder is not a folder. Set JADE_DATA to one'],
  ['EEXIST', 'The data folder is not a folder. Set JADE_DATA to one'],
];

/** What is wrong with the storage, and what to do, where an error comes from there; else null. */
export function storageWords(error: unknown): string | null {
  const code = (error as { code?: unknown } | null)?.code;
  if (typeof code !== 'string') return null;
  return STORAGE_WORDS.find(([start]) => code.startsWith(start))?.[1] ?? null;
}
