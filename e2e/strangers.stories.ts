import { request } from 'node:http';
import { expect, test } from './stack';

/** What a page elsewhere, or a name that is a script, can do to a running server. */

const status = (url: string, path: string, headers: Record<string, string>, method = 'GET') =>
  new Promise<number>((resolve, reject) => {
    const { hostname, port } = new URL(url);
    request({ hostname, port, path, method, headers }, (answer) => {
      answer.resume();
      resolve(answer.statusCode ?? 0);
    })
      .on('error', reject)
      .end();
  });

test('a page elsewhere that leads here by another name is not answered, and may write nothing', async ({ stack }) => {
  expect(await status(stack.url, '/api/plans', {})).toBe(200);
  expect(await status(stack.url, '/api/plans', { host: 'attacker.example' })).toBe(421);
  expect(await status(stack.url, `/plans/${stack.planId}/lanes`, { host: 'attacker.example:80' })).toBe(421);
  const json = { 'content-type': 'application/json' };
  expect(await status(stack.url, '/api/plans/demo', { ...json, origin: 'https://attacker.example' }, 'POST')).toBe(403);
  expect(await status(stack.url, '/api/plans/demo', { 'content-type': 'text/plain' }, 'POST')).toBe(415);
  expect(await status(stack.url, '/', {}, 'TRACE')).toBe(405);
});

test('a name that is a script is shown as it is, no page may frame this one, and no script runs but its own', async ({
  page,
  stack,
}) => {
  const script = '<script>document.title = "taken"</script><img src=x onerror="document.title=\'taken\'">';
  const api = `${stack.url}/api/plans/${stack.planId}`;
  const { revision } = (await (await page.request.get(`${api}?author=x`)).json()) as { revision: number };
  const commands = [{ kind: 'change-device', deviceId: 'dome-amp-6', change: { name: script } }];
  const author = { id: 'stranger', name: 'Stranger' };
  const written = await page.request.post(`${api}/batch`, {
    data: { author, baseRevision: revision, title: 'a name', commands },
  });
  expect(written.status()).toBe(200);
  const refused: string[] = [];
  page.on('console', (message) => message.type() === 'error' && refused.push(message.text()));
  const answer = await page.goto(stack.gear);
  const policy = answer?.headers()['content-security-policy'] ?? '';
  expect(policy).toContain("frame-ancestors 'none'");
  await page.getByRole('searchbox', { name: 'Filter devices' }).fill('script');
  await expect(page.getByRole('grid', { name: 'Devices' })).toContainText('<script>');
  expect(await page.title()).not.toBe('taken');
  expect(refused).toEqual([]);
  // What is put into the page all the same is not run.
  await page.evaluate(() => {
    const put = document.createElement('script');
    put.textContent = 'document.title = "taken"';
    document.body.append(put);
  });
  expect(await page.title()).not.toBe('taken');
  expect(refused.join()).toContain('Content Security Policy');
  await page.request.post(`${api}/undo`, { data: { author } });
});

test('the server says whether it is well, and carries an id of each error', async ({ page, stack }) => {
  const health = await page.request.get(`${stack.url}/api/health`);
  expect(await health.json()).toMatchObject({
    isWell: true,
    storage: { isWell: true },
    registry: { isConnected: true },
  });
  const refused = await page.request.get(`${stack.url}/api/plans/none?author=x`);
  expect(((await refused.json()) as { error: { errorId: string } }).error.errorId).toMatch(/^[\da-f-]{36}$/);
});
