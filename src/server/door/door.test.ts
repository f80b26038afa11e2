import { createServer, request, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { door } from './door';
import { GuessLine } from './guess-line';

/** The front door before an application that says what it was asked. */

interface Got {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly body: string;
}

let server: Server;
let port = 0;
const open = (settings: Partial<Parameters<typeof door>[0]> = {}) =>
  new Promise<void>((resolve) => {
    const all = { host: '127.0.0.1', names: ['jade.venue'], passPhrase: null, tls: null, ...settings };
    server = createServer(
      door(
        all,
        (asked, answer) => {
          answer.writeHead(200).end(JSON.stringify({ in: asked.url, nonce: asked.headers['x-nonce'] }));
        },
        new GuessLine(20),
      ),
    ).listen(0, '127.0.0.1', () => {
      port = (server.address() as AddressInfo).port;
      resolve();
    });
  });
afterEach(() => {
  server.closeAllConnections();
  server.close();
});

const ask = (
  path: string,
  options: { method?: string; headers?: Record<string, string>; body?: string; localAddress?: string | undefined } = {},
) =>
  new Promise<Got>((resolve, reject) => {
    const { method = 'GET', headers = {}, body = '', localAddress } = options;
    request({ host: '127.0.0.1', port, path, method, headers, localAddress }, (answer) => {
      let text = '';
      answer.on('data', (part) => (text += String(part)));
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, headers: answer.headers, body: text }));
    })
      .on('error', reject)
      .end(body);
  });
const JSON_TYPE = { 'content-type': 'application/json' };

describe('the front door', () => {
  beforeEach(() => open());

  test.each([
    ['localhost', 200],
    ['127.0.0.1:3000', 200],
    ['[::1]:3000', 200],
    ['JADE.venue', 200],
    // A page elsewhere whose name was made to lead here.
    ['attacker.example', 421],
    ['127.0.0.1.attacker.example', 421],
    ['localhost@attacker.example', 400],
  ])('answers to its own names only: %s', async (host, status) => {
    expect((await ask('/', { headers: { host } })).status).toBe(status);
  });

  test.each([
    ['of a page here', { origin: 'http://localhost:3000', host: 'localhost:3000' }, 200],
    ['of no page', {}, 200],
    ['of a page elsewhere', { origin: 'https://attacker.example' }, 403],
    ['of a page on another port of this computer', { origin: 'http://localhost:4000', host: 'localhost:3000' }, 403],
    ['of a page that hides', { origin: 'null' }, 403],
    ['that the browser says comes from elsewhere', { 'sec-fetch-site': 'cross-site' }, 403],
    ['that the browser says comes from a sister', { 'sec-fetch-site': 'same-site' }, 403],
    ['that the browser says comes from here', { 'sec-fetch-site': 'same-origin' }, 200],
  ])('takes what is written %s: %j', async (_, headers, status) => {
    const got = await ask('/api/plans', {
      method: 'POST',
      headers: { ...JSON_TYPE, ...(headers as Record<string, string>) },
    });
    expect(got.status).toBe(status);
  });

  test.each(['text/plain', 'application/x-www-form-urlencoded', 'multipart/form-data', ''])(
    'whatever writes is application/json, and not %s',
    async (type) => {
      expect((await ask('/api/plans/demo', { method: 'POST', headers: { 'content-type': type } })).status).toBe(415);
      expect((await ask('/api/plans/x', { method: 'DELETE', headers: { 'content-type': type } })).status).toBe(415);
    },
  );

  test.each([
    ['TRACE', '/', 405],
    ['OPTIONS', '/api/plans', 405],
    ['PROPFIND', '/api/plans', 405],
    ['POST', '/plans/x/lanes', 405],
    ['GET', '/%zz', 400],
    ['GET', '//attacker.example/', 400],
    ['GET', `/${'x'.repeat(9000)}`, 400],
  ])('%s %s is %d', async (method, path, status) => {
    expect((await ask(path.slice(0, 12_000), { method, headers: JSON_TYPE })).status).toBe(status);
  });

  test.each([
    ['[', 400],
    ['%5B%22%22%2C1%5D', 400],
    [encodeURIComponent('{"a":1}'), 400],
    [
      encodeURIComponent(
        JSON.stringify(['', { children: ['plans', { children: [['planId', 'x', 'd'], {}] }] }, null, null, true]),
      ),
      200,
    ],
  ])('a state of the router such as %s is %d', async (state, status) => {
    expect((await ask('/', { headers: { 'next-router-state-tree': state } })).status).toBe(status);
  });

  test('every answer has its headers, and each a number of its own for the scripts of the page', async () => {
    const [first, second] = await Promise.all([ask('/'), ask('/')]);
    const { headers } = first;
    const policy = headers['content-security-policy'] as string;
    const nonce = (JSON.parse(first.body) as { nonce: string }).nonce;
    expect(policy).toContain(`script-src 'self' 'nonce-${nonce}'`);
    expect(policy).toContain("frame-ancestors 'none'");
    expect(/script-src[^;]*unsafe-inline/.test(policy)).toBe(false);
    expect(second.headers['content-security-policy']).not.toBe(policy);
    expect(headers).toMatchObject({ 'x-content-type-options': 'nosniff', 'referrer-policy': 'same-origin' });
    expect((await ask('/', { headers: { host: 'x.example' } })).headers['x-frame-options']).toBe('DENY');
  });

  test('a refusal carries the id under which the log has it', async () => {
    const { body } = await ask('/', { headers: { host: 'x.example' } });
    expect(JSON.parse(body)).toMatchObject({
      error: { code: 'unknown-host', errorId: expect.stringMatching(/^[\da-f-]{36}$/) },
    });
  });
});

describe('a server that others can reach', () => {
  beforeEach(() => open({ passPhrase: 'the bell rings twice' }));
  const take = (phrase: string, localAddress?: string) =>
    ask('/api/pass-phrase', { method: 'POST', headers: JSON_TYPE, body: JSON.stringify({ phrase }), localAddress });

  test('gives nothing before its pass phrase was said, but whether it is well', async () => {
    expect(await ask('/')).toMatchObject({ status: 401, body: expect.stringContaining('Pass phrase') });
    expect(await ask('/api/plans')).toMatchObject({ status: 401 });
    expect(await ask('/_next/static/x.js')).toMatchObject({ status: 401 });
    expect((await ask('/api/health')).status).toBe(200);
  });

  test('lets in whoever said it, with a key that scripts cannot read', async () => {
    const got = await take('the bell rings twice');
    expect(got.status).toBe(200);
    const cookie = got.headers['set-cookie']?.[0] ?? '';
    expect(cookie).toMatch(/HttpOnly; SameSite=Strict/);
    expect((await ask('/api/plans', { headers: { cookie: cookie.split(';')[0] as string } })).status).toBe(200);
    expect((await ask('/api/plans', { headers: { cookie: 'jade-lane-key=guessed' } })).status).toBe(401);
  });

  test('guesses are slowed in all, from however many addresses, and the right phrase lets in after them', async () => {
    const from = (n: number) => `127.0.0.${2 + (n % 100)}`;
    const began = performance.now();
    const guesses = Array.from({ length: 200 }, (_, n) => take(`guess ${n}`, from(n)));
    expect(new Set((await Promise.all(guesses)).map((g) => g.status))).toEqual(new Set([401]));
    // Ten at once, each 20 ms.
    expect(performance.now() - began).toBeGreaterThan(380);
    expect((await take('the bell rings twice', from(0))).status).toBe(200);
  });

  test('wrong ones do not lock out the right one, and take longer each time', async () => {
    for (let n = 0; n < 6; n += 1) expect((await take(`guess ${n}`)).status).toBe(401);
    const began = performance.now();
    expect((await take('one more')).status).toBe(401);
    expect(performance.now() - began).toBeGreaterThan(75);
    expect((await take('the bell rings twice')).status).toBe(200);
  });

  test('too many that wait at once are refused', async () => {
    const got = await Promise.all(Array.from({ length: 12 }, (_, n) => take(`guess ${n}`)));
    expect(got.map((g) => g.status)).toContain(429);
  });
});
