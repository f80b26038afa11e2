import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { closeServer, serverState } from './state';

/**
 * Each test of a file begins with a server that has a folder of its own and no field, and leaves neither behind, nor any setting.
 * @returns where the folder of the running test is
 */
export function inServerFolders(settings: Readonly<Record<string, string>> = {}): () => string {
  const before = { ...process.env };
  let folder = '';
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'jade-lane-'));
    Object.assign(process.env, { JADE_DATA: folder, JADE_LOG: 'silent', ...settings });
    closeServer();
  });
  afterEach(() => {
    // A test may have left it without a database.
    try {
      serverState().follower?.stop();
      serverState().announcements?.stop();
    } catch {
      // nothing runs then
    }
    closeServer();
    process.env = { ...before };
    rmSync(folder, { recursive: true, force: true });
  });
  return () => folder;
}

/** A request as a page makes it, by one person or another. */
export const requestOf = (body: string, sender = 'ada'): Request =>
  new Request('http://x/', {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'x-sender': sender },
    body,
  });
