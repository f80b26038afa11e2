import { createServer, request, type Server } from 'node:http';
import { connect, type AddressInfo, type Socket } from 'node:net';
import { boundConnections } from './connections';

/** A server with few places, which answers `/slow` when it is let. */

let server: Server;
let port = 0;
let letGo = () => {};
const sockets: Socket[] = [];

beforeEach(async () => {
  const slow = new Promise<void>((resolve) => (letGo = resolve));
  server = createServer({ headersTimeout: 300, connectionsCheckingInterval: 50 }, (asked, answer) => {
    if (asked.url !== '/slow') return void answer.end('here');
    void slow.then(() => answer.end('late'));
  });
  boundConnections(server, { all: 6, perAddress: 4 });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  port = (server.address() as AddressInfo).port;
});
afterEach(() => {
  letGo();
  for (const socket of sockets.splice(0)) socket.destroy();
  server.closeAllConnections();
  server.close();
});

/** Connects and says nothing. */
const silent = (localAddress: string): Promise<Socket> =>
  new Promise((resolve, reject) => {
    const socket = connect({ port, host: '127.0.0.1', localAddress }, () => resolve(socket)).on('error', reject);
    sockets.push(socket);
  });
const ask = (path: string, localAddress: string, headers: Record<string, string> = {}): Promise<string> =>
  new Promise((resolve, reject) => {
    request({ host: '127.0.0.1', port, path, localAddress, headers, agent: false }, (answer) => {
      let text = '';
      answer.on('data', (part) => (text += String(part))).on('end', () => resolve(text));
    })
      .on('error', reject)
      .end();
  });
const closed = (socket: Socket) => new Promise<void>((resolve) => socket.resume().once('close', () => resolve()));

test('whoever is silent makes room for whoever asks, of the same address and of others', async () => {
  const first = await silent('127.0.0.2');
  for (let n = 1; n < 4; n += 1) await silent('127.0.0.2');
  const gone = closed(first);
  expect(await ask('/', '127.0.0.2')).toBe('here');
  await gone;
  for (const address of ['127.0.0.3', '127.0.0.4', '127.0.0.5']) await silent(address);
  expect(await ask('/', '127.0.0.6')).toBe('here');
});

test('one address cannot take every place, and who is being answered keeps theirs', async () => {
  const answers = [1, 2, 3, 4].map(() => ask('/slow', '127.0.0.2'));
  while ((await count()) < 4) await new Promise((r) => setTimeout(r, 10));
  await expect(ask('/', '127.0.0.2')).rejects.toThrow();
  expect(await ask('/', '127.0.0.3')).toBe('here');
  letGo();
  expect(await Promise.all(answers)).toEqual(['late', 'late', 'late', 'late']);
});

test('a connection that says nothing, or takes too long to ask, is closed', async () => {
  const quiet = await silent('127.0.0.2');
  const drips = await silent('127.0.0.3');
  drips.write('GET / HTTP/1.1\r\nHo');
  await Promise.all([closed(quiet), closed(drips)]);
  while ((await count()) > 0) await new Promise((r) => setTimeout(r, 10));
});

test('what asks for an upgrade is a request as any other', async () => {
  expect(await ask('/', '127.0.0.2', { connection: 'Upgrade', upgrade: 'websocket' })).toBe('here');
});

const count = (): Promise<number> => new Promise((resolve) => server.getConnections((_, n) => resolve(n)));
