import { chmodSync, readdirSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { health } from './health';
import { demoPlan, listPlans, newPlan, removePlan } from './plans';
import { problemAnswer } from './respond';
import { closeServer, serverState } from './state';
import { inServerFolders } from './test-server';

const folder = inServerFolders();

const pause = () => new Promise((resolve) => setTimeout(resolve, 1100));
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

  test('a file that was moved away or replaced: nothing is acknowledged until it is back', () => {
    const { plan } = demoPlan();
    const path = join(folder(), 'plans.sqlite');
    const said = /^The database file was moved away or replaced\. Put it back/;
    renameSync(path, `${path}.away`);
    expect(answered(() => newPlan('Lost', undefined))).toMatchObject({
      status: 507,
      error: { message: expect.stringMatching(said) },
    });
    expect(answered(() => removePlan(plan.id))).toMatchObject({ status: 507 });
    expect(health()).toMatchObject({ isWell: false, storage: { problem: expect.stringMatching(said) } });
    writeFileSync(path, '');
    expect(answered(() => newPlan('Lost', undefined))).toMatchObject({ status: 507 });
    renameSync(`${path}.away`, path);
    expect(newPlan('Kept', undefined).name).toBe('Kept');
    expect(health().isWell).toBe(true);
  });

  test('health finds out by a write, once a second', async () => {
    expect(health().isWell).toBe(true);
    const { $client } = (serverState().store as unknown as { db: { $client: { pragma: (text: string) => void } } }).db;
    $client.pragma('query_only = ON');
    await pause();
    expect(health().storage.problem).toMatch(/^The data folder cannot be written to/);
    $client.pragma('query_only = OFF');
    expect(health().isWell).toBe(true);
  });

  test('what belongs to the database is read by its owner alone', () => {
    demoPlan();
    for (const name of readdirSync(folder()).filter((n) => n.startsWith('plans.sqlite'))) {
      expect([name, statSync(join(folder(), name)).mode & 0o077]).toEqual([name, 0]);
    }
  });
});
