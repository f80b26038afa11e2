import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { failureOf, requestJson, requestText, type DeviceFailure } from './http-json';

describe('answers of devices are bounded while they are read', () => {
  const servers: Server[] = [];
  /** Where it answers: each on a port of its own, as connections are kept for the next request. */
  const answering = (listener: RequestListener) =>
    new Promise<string>((resolve) => {
      const server = createServer(listener).listen(0, '127.0.0.1', () =>
        resolve(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`),
      );
      servers.push(server);
    });
  afterEach(() => {
    for (const server of servers.splice(0)) {
      server.closeAllConnections();
      server.close();
    }
  });
  const failure = async (run: Promise<unknown>): Promise<DeviceFailure> => {
    try {
      await run;
    } catch (error) {
      return failureOf(error);
    }
    throw new Error('it was taken');
  };

  test('time in which we did not look is not held against a device', async () => {
    const url = await answering((_, response) => response.end('{}'));
    const asked = requestText(url, { timeoutMs: 300 });
    const until = performance.now() + 500;
    while (performance.now() < until);
    expect((await asked).text).toBe('{}');
  });

  test('one that never ends', async () => {
    const url = await answering((_, response) => {
      response.writeHead(200);
      const more = setInterval(() => response.write('x'.repeat(1024 * 1024)), 5);
      response.on('close', () => clearInterval(more));
    });
    expect(await failure(requestText(url))).toEqual({ kind: 'wrong-answer', detail: 'the answer is too long' });
  });

  test('one that is small until it is unpacked', async () => {
    const packed = gzipSync(Buffer.alloc(64 * 1024 * 1024));
    const url = await answering((_, response) => response.writeHead(200, { 'content-encoding': 'gzip' }).end(packed));
    expect(await failure(requestText(url))).toEqual({ kind: 'wrong-answer', detail: 'the answer is too long' });
  });

  test('one that comes a letter at a time', async () => {
    const url = await answering((_, response) => {
      response.writeHead(200);
      const more = setInterval(() => response.write(' '), 20);
      response.on('close', () => clearInterval(more));
    });
    expect(await failure(requestText(url, { timeoutMs: 300 }))).toEqual({ kind: 'timeout', afterMs: 300 });
  });

  test('one that sends on is followed with the same method on the same host, a few times, and nowhere else', async () => {
    const asked: string[] = [];
    const url = await answering((request, response) => {
      asked.push(`${request.method} ${request.url}`);
      const to = {
        '/a': '/a/',
        '/away': 'http://192.0.2.1/',
        '/beside': 'http://127.0.0.1:9/',
        '/round': '/round',
        '/nowhere': 'http://',
      }[request.url ?? ''];
      if (to === undefined) return void response.end('{"is":"there"}');
      response.writeHead(request.method === 'PATCH' ? 307 : 301, { location: to }).end();
    });
    expect((await requestJson(`${url}a`, { method: 'PATCH', body: {} })).value).toEqual({ is: 'there' });
    expect(asked).toEqual(['PATCH /a', 'PATCH /a/']);
    expect(await failure(requestJson(`${url}away`))).toEqual({ kind: 'not-allowed', host: '192.0.2.1' });
    expect(await failure(requestJson(`${url}beside`))).toEqual({ kind: 'not-allowed', host: '127.0.0.1:9' });
    expect(await failure(requestJson(`${url}round`))).toMatchObject({ detail: 'it sends us on again and again' });
    expect(await failure(requestJson(`${url}nowhere`))).toMatchObject({
      detail: 'it sends us on to an address that is none',
    });
  });

  test('one that is nested beyond all measure', async () => {
    const url = await answering((_, response) => response.end('['.repeat(100_000)));
    expect(await failure(requestJson(url))).toMatchObject({ detail: 'the answer is nested more than 64 deep' });
  });

  test.each(['file:///etc/passwd', 'ws+unix:///tmp/x', 'data:text/plain,x'])('nothing is asked at %s', async (url) => {
    expect(await failure(requestText(url))).toMatchObject({ kind: 'wrong-answer' });
  });

  test('of a refusal only what an NMOS interface says is shown, with a sign for what cannot be seen', async () => {
    const url = await answering((_, response) => response.writeHead(403).end('<h1>secret of another server</h1>'));
    expect(await failure(requestText(url))).toEqual({ kind: 'refused', status: 403, detail: '' });
    const other = await answering((_, response) =>
      response.writeHead(400).end(JSON.stringify({ code: 400, error: 'no\u202e such', debug: 'port' })),
    );
    expect(await failure(requestText(other))).toEqual({ kind: 'refused', status: 400, detail: 'no\ufffd such: port' });
  });
});
