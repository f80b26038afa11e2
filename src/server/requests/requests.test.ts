import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { until } from '../../field/test-bench';
import { LARGE_BYTES, readRequest } from './read-request';
import { BatchRequest, NewPlanRequest, SendPreviewRequest, UndoRequest } from './requests';
import { LargeBodies, largeBodies } from './large-bodies';
import type { RequestProblem } from '../problem';

const asked = (text: string, headers: Record<string, string> = {}) =>
  new Request('http://127.0.0.1/x', {
    method: 'POST',
    body: text,
    headers: { 'content-type': 'application/json', ...headers },
  });
const refused = async (run: Promise<unknown>): Promise<RequestProblem> => {
  try {
    await run;
  } catch (error) {
    return error as RequestProblem;
  }
  throw new Error('it was taken');
};
const author = { id: 'a', name: 'A' };

describe('a request is refused at its first wrong place', () => {
  test.each([
    ['[]', null, 'The request is not a JSON object.'],
    ['{"name":', null, 'The request is not JSON.'],
    [`{"name":${'['.repeat(3000)}${']'.repeat(3000)}}`, null, 'The request is nested more than 24 deep.'],
    ['{"name":"x","constructor":1}', 'constructor', 'constructor is not a field of this request'],
    ['{"name":"x","__proto__":{"a":1}}', '__proto__', '__proto__ is not a field of this request'],
    ['{"name":null}', 'name', 'name holds'],
    ['{"name":"Amp\\u202e"}', 'name', 'name holds characters that cannot be seen'],
    ['{"name":"x","firstNetwork":null}', 'firstNetwork', 'firstNetwork is not of the form 10.20.0.0/24'],
  ])('%s', async (text, field, message) => {
    const problem = await refused(readRequest(asked(text), NewPlanRequest));
    expect([problem.status, problem.field]).toEqual([400, field]);
    expect(problem.message).toContain(message);
  });

  test.each([[[]], [null], ['x'], [{ id: 'a' }], [{ id: 'a', name: 'A', constructor: 1 }]])(
    'an author is one: %j',
    async (value) => {
      const problem = await refused(readRequest(asked(JSON.stringify({ author: value })), UndoRequest));
      expect([problem.status, problem.field?.startsWith('author')]).toEqual([400, true]);
    },
  );

  test('of twenty thousand empty objects the first is the end of it', async () => {
    const problem = await refused(readRequest(asked(`{"channels":[${'{},'.repeat(19_000)}{}]}`), SendPreviewRequest));
    const first = await refused(readRequest(asked('{"channels":[{}]}'), SendPreviewRequest));
    expect([problem.status, problem.code, problem.field, problem.message]).toEqual([
      ...[400, 'invalid'],
      ...[first.field, first.message],
    ]);
    expect(first.field ?? first.message).toContain('channels[0]');
  });

  test.each(['constructor', 'toString', '__proto__', 'hasOwnProperty', null, 5, {}])(
    'a command is one of those that there are: %j',
    async (kind) => {
      const body = { author, baseRevision: 0, title: 't', commands: [{ kind }] };
      const problem = await refused(readRequest(asked(JSON.stringify(body)), BatchRequest));
      expect([problem.status, problem.field]).toEqual([400, 'commands[0].kind']);
    },
  );
});

describe('something large', () => {
  const command = { kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 1 }] };
  const large = JSON.stringify({
    author,
    baseRevision: 0,
    title: 't',
    commands: Array.from({ length: 18_000 }, () => command),
  });

  test('is one at a time per person, and the next of them follows', async () => {
    expect(large.length).toBeGreaterThan(LARGE_BYTES);
    const send = (who: string) => readRequest(asked(large, { 'x-sender': who }), BatchRequest);
    const first = send('ada');
    const second = refused(send('ada'));
    const other = send('bo');
    expect(await second).toMatchObject({ status: 429, code: 'one-at-a-time' });
    expect((await first).commands).toHaveLength(18_000);
    expect((await other).author).toEqual(author);
    expect((await send('ada')).commands).toHaveLength(18_000);
  });

  test('one that drips is let go, and nobody waits for it', async () => {
    const drip = (who: string) => {
      const body = new ReadableStream<Uint8Array>({
        start: (to) => to.enqueue(new TextEncoder().encode(large.slice(0, LARGE_BYTES + 1))),
      });
      const headers = { 'content-type': 'application/json', 'content-length': String(large.length), 'x-sender': who };
      const request = new Request('http://localhost/', {
        method: 'POST',
        headers,
        body,
        duplex: 'half',
      } as RequestInit);
      // A million bytes at the least pace are due in 32 s: here the time to begin is that much shorter.
      return refused(readRequest(request, BatchRequest, -32_000));
    };
    const drips = Array.from({ length: 20 }, (_, n) => drip(`slow ${n}`));
    const began = performance.now();
    expect((await readRequest(asked(large, { 'x-sender': 'eve' }), BatchRequest)).title).toBe('t');
    expect(performance.now() - began).toBeLessThan(5000);
    expect(new Set((await Promise.all(drips)).map((p) => `${p.status} ${p.code}`))).toEqual(new Set(['408 too-slow']));
  });

  test('is refused where it is wrong as anything small is', async () => {
    const wrong = large.replace('"channel":1', '"channel":"one"');
    const problem = await refused(readRequest(asked(wrong, { 'x-sender': 'cy' }), BatchRequest));
    expect([problem.status, problem.field]).toEqual([400, 'commands[0].channels[0].channel']);
  });

  test('is read on a thread that is let go after a while, and made again for the next', async () => {
    // The thread as it is built, not a part of this test.
    const script = pathToFileURL(join(process.cwd(), 'scripts/run-ts.mjs')).href;
    const bundle = `import('${script}').then((m) => m.bundled('src/server/requests/large.worker.ts'))`;
    execFileSync(process.execPath, ['-e', bundle]);
    const bodies = new LargeBodies(1);
    const job = { kind: 'request', name: 'batch' } as const;
    for (const _ of [1, 2]) {
      const reading = bodies.read(job, new TextEncoder().encode(large));
      await until(() => bodies.hasThread);
      expect(await reading).toMatchObject({ title: 't' });
      await until(() => !bodies.hasThread);
    }
  });

  test('gives its place back whatever becomes of it', async () => {
    largeBodies().enter('dan').leave();
    largeBodies().enter('dan').leave();
  });
});
