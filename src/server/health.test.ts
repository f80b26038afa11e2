import { chmodSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { health } from './health';
import { demoPlan, listPlans } from './plans';
import { problemAnswer } from './respond';
import { closeServer, serverState } from './state';
import { inServerFolders } from './test-server';

const folder = inServerFolders();

const answered = (run: () => unknown) => {
  try {
    run();
  } catch (error) {
    return problemAnswer(error);
  }
  throw new Error('it was done');
};

describe('a database that cannot be used is said, with what to do', () => {
  test('a server that can do its work says so', () => {
    expect(health()).toMatchObject({ isWell: true, storage: { isWell: true, problem: null }, registry: null });
  });

  test('a file that is no database: by the answers and by health, and gone when it is', () => {
    writeFileSync(
      join(folder(), 'plans.sqlite'),
      'this is a text and no database, and it is long enough to be seen as one'.repeat(20),
    );
    const said = 'The database file is not one. Put back a copy of it, or move it away to start again.';
    expect(health()).toMatchObject({ isWell: false, storage: { problem: said } });
    expect(answered(() => listPlans())).toMatchObject({ status: 503, error: { code: 'storage', message: said } });
    rmSync(join(folder(), 'plans.sqlite'));
    closeServer();
    expect(demoPlan().isNew).toBe(true);
    expect(health().isWell).toBe(true);
  });

  test('a data folder that is a file', () => {
    rmSync(folder(), { recursive: true });
    writeFileSync(folder(), '');
    expect(health().storage.problem).toBe('The data folder is not a folder. Set JADE_DATA to one.');
    chmodSync(folder(), 0o600);
  });

  test('a disk that takes nothing more, while it runs', () => {
    demoPlan();
    const { $client } = (serverState().store as unknown as { db: { $client: { pragma: (text: string) => void } } }).db;
    $client.pragma('query_only = ON');
    const plan = listPlans()[0]!;
    expect(answered(() => serverState().store.setRemoved(plan.id, 1))).toMatchObject({
      status: 507,
      error: { message: expect.stringContaining('The data folder cannot be written to') },
    });
  });
});
