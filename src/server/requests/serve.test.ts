import type { ContentOf } from './declared';
import { demoPlan } from '../plans';
import { inServerFolders } from '../test-server';
import { serve, type Requests } from './serve';

inServerFolders();

const asked = (method: string, path: string, init: RequestInit = {}) =>
  serve(new Request(`http://127.0.0.1${path}`, { method, ...init }));
const refusal = async (answer: Response) => {
  const { error } = (await answer.json()) as { error: { code: string; field: string | null } };
  return [answer.status, error.code, error.field];
};

test('an address is answered by its method; another method is refused, and so is an address that there is not', async () => {
  const { id } = demoPlan().plan;
  expect((await asked('GET', `/api/plans/${id}/overview`)).status).toBe(200);
  expect(await refusal(await asked('PUT', `/api/plans/${id}/overview`))).toEqual([405, 'no-method', null]);
  for (const path of [
    `/api/plans/${id}/nothing`,
    `/api/plans/${id}/overview/`,
    '/api/plans//overview',
    '/api/plans/%ff',
  ])
    expect(await refusal(await asked('GET', path))).toEqual([404, 'no-path', null]);
  expect(await refusal(await asked('GET', '/api/plans/none/history'))).toEqual([404, 'no-plan', 'planId']);
});

test('an address with a fixed name is that, and no plan or model of this name', async () => {
  expect((await asked('GET', '/api/plans/schema')).headers.get('content-type')).toBe('application/schema+json');
  expect((await asked('GET', '/api/models/schema')).headers.get('content-type')).toBe('application/schema+json');
  const generate = await asked('POST', '/api/plans/generate', {
    headers: { 'content-type': 'application/json' },
    body: '{}',
  });
  expect((await refusal(generate))[0]).toBe(400);
});

test('what stands in an address is read as it was meant, and query and body are checked as they are declared', async () => {
  const { id } = demoPlan().plan;
  const escaped = [...id].map((c) => `%${c.charCodeAt(0).toString(16)}`).join('');
  expect((await asked('GET', `/api/plans/${escaped}/overview`)).status).toBe(200);
  expect(await refusal(await asked('GET', `/api/plans/${id}/history?before=0`))).toEqual([400, 'invalid', 'before']);
  expect(await refusal(await asked('GET', `/api/plans/${id}?author=*`))).toEqual([400, 'invalid', 'author']);
  expect(await refusal(await asked('GET', `/api/plans/${id}/events?author=a`))).toEqual([400, 'invalid', 'name']);
});

test('a HEAD of the events leaves nobody watching, and of anything else is answered as its GET', async () => {
  const { id } = demoPlan().plan;
  const events = await asked('HEAD', `/api/plans/${id}/events`);
  expect([events.headers.get('content-type'), events.body]).toEqual(['text/event-stream', null]);
  expect((await asked('HEAD', '/api/plans')).status).toBe(200);
});

test('pages know what each request answers: a wrong type would not compile', () => {
  type Declared<N extends keyof Requests> = Awaited<ReturnType<Requests[N]['answer']>>;
  const revision: ContentOf<Declared<'POST /api/plans/:planId/batch'>>['revision'] = 1;
  // @ts-expect-error a revision is a number
  const wrong: ContentOf<Declared<'POST /api/plans/:planId/batch'>>['revision'] = '1';
  expect([revision, wrong]).toEqual([1, '1']);
});
