import { FOLLOWED } from '../core/formats/is04';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { WebSocketServer, type WebSocket } from 'ws';
import { RegistryClient } from './registry-client';
import { requestText } from './http-json';
import type { SourceEvents } from './sources';
import { setTrust } from './trust';
import { portOf } from './test-port';

const PORT = portOf(18_891);
const URL = `http://127.99.9.3:${PORT}`;
const ID = '58f6b536-ca4c-43fd-880a-9df2508fc125';

async function until(check: () => boolean, ms = 30_000): Promise<void> {
  const end = Date.now() + ms;
  while (!check()) {
    if (Date.now() > end) throw new Error('did not happen in time');
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
}

/** A registry that does what a test wants of it. */
class Odd {
  readonly sockets: WebSocket[] = [];
  reads = 0;
  readingNow = 0;
  mostAtOnce = 0;
  href = `ws://127.99.9.3:${PORT}/ws`;
  answersPings = true;
  versions: readonly string[] = [];
  knowsEarlier = true;
  /** Sent in one piece with the answer that opens a connection. */
  greeting: string | null = null;
  page = '[]';
  link = `<${URL}/x-nmos/query/v1.3/nodes?page=#>; rel="next"`;
  private turn = 0;
  readonly asked: string[] = [];
  readonly server: Server = createServer((request, response) => {
    if (request.method === 'POST') return void this.subscribe(request, response);
    this.asked.push(request.url ?? '');
    this.reads += 1;
    this.readingNow += 1;
    this.mostAtOnce = Math.max(this.mostAtOnce, this.readingNow);
    setTimeout(() => {
      this.readingNow -= 1;
      if (request.url === '/x-nmos/query/') return void response.end(JSON.stringify(this.versions));
      if (this.page !== '[]') response.setHeader('link', this.link.replace('#', String((this.turn += 1))));
      response.end(this.page);
    }, 20);
  });
  private readonly own = new WebSocketServer({ noServer: true, autoPong: false });

  private async subscribe(request: IncomingMessage, response: ServerResponse): Promise<void> {
    let text = '';
    for await (const part of request) text += String(part);
    const { params } = JSON.parse(text) as { params: object };
    if (!this.knowsEarlier && 'query.downgrade' in params) response.writeHead(501);
    response.end(JSON.stringify({ ws_href: this.href }));
  }

  async start(): Promise<void> {
    this.server.on('upgrade', (request, socket, head) => {
      socket.cork();
      this.own.handleUpgrade(request, socket, head, (ws) => {
        ws.on('ping', (data) => this.answersPings && ws.pong(data));
        this.sockets.push(ws);
        if (this.greeting !== null) ws.send(this.greeting);
      });
      socket.uncork();
    });
    await new Promise<void>((resolve) => this.server.listen(PORT, '127.99.9.3', resolve));
  }
  stop(): void {
    for (const ws of this.sockets) ws.terminate();
    this.server.closeAllConnections();
    this.server.close();
  }
}

describe('a registry is followed with care', () => {
  let odd: Odd;
  let client: RegistryClient;
  let isConnected = false;
  let reasons: string[] = [];
  const changes: { id: string; post: unknown }[] = [];
  const events: SourceEvents = {
    page: () => {},
    full: () => {},
    changed: (_, id, post) => void changes.push({ id, post }),
    connected: () => (isConnected = true),
    disconnected: (reason) => {
      isConnected = false;
      reasons.push(reason);
    },
  };
  const open = (allows?: (url: string) => boolean, pingEveryMs?: number) => {
    client = new RegistryClient(URL, events, allows, pingEveryMs);
    client.start();
  };
  beforeEach(async () => {
    isConnected = false;
    reasons = [];
    changes.length = 0;
    odd = new Odd();
    await odd.start();
  });
  afterEach(() => {
    client.stop();
    odd.stop();
  });

  test.each([
    'null',
    '[]',
    '{"grain": null}',
    '{"grain": {"data": [null]}}',
    '{"grain": {"data": [{"path": 5, "post": {}}]}}',
    `{"grain": {"data": [{"path": "${ID}", "post": [1]}]}}`,
    '{"grain": {"data": [{"path": "../../x", "post": {}}]}}',
    '['.repeat(5000),
    'not JSON',
  ])('a message that makes no sense changes nothing, and is read after: %#', async (message) => {
    open();
    await until(() => isConnected);
    const before = odd.reads;
    odd.sockets[0]!.send(message);
    await until(() => odd.reads > before);
    expect([isConnected, changes]).toEqual([true, []]);
  });

  test('a socket that closes during the first read is no connection, and it is tried again', async () => {
    open();
    // The versions were asked for first; then comes the first page.
    await until(() => odd.reads > 1 && odd.readingNow > 0);
    odd.sockets[0]!.terminate();
    await until(() => reasons.length > 0);
    await until(() => odd.readingNow === 0);
    expect(isConnected).toBe(false);
    await until(() => isConnected);
    expect(odd.sockets.filter((ws) => ws.readyState === ws.OPEN)).toHaveLength(FOLLOWED.length);
  });

  test('whoever stops during the first read is not connected afterwards', async () => {
    open();
    await until(() => odd.reads > 1 && odd.readingNow > 0);
    client.stop();
    await until(() => odd.readingNow === 0 && odd.sockets.every((ws) => ws.readyState === ws.CLOSED));
    expect([isConnected, reasons]).toEqual([false, []]);
  });

  test('however many come, one read is under way and one more waits', async () => {
    open();
    await until(() => isConnected);
    const before = odd.reads;
    odd.mostAtOnce = 0;
    for (let n = 0; n < 500; n += 1) odd.sockets[n % 5]!.send('junk');
    await until(() => odd.reads >= before + 2 * FOLLOWED.length);
    // A third read would have begun before this change has come back.
    odd.sockets[0]!.send(JSON.stringify({ grain: { data: [{ path: ID, post: { id: ID } }] } }));
    await until(() => changes.length === 1);
    // Each kind once in each of two reads.
    expect(odd.reads - before).toBe(2 * FOLLOWED.length);
    expect(odd.mostAtOnce).toBe(1);
  });

  test('what a subscription repeats at its beginning is left to the full read where it is long; a long one later is refused', async () => {
    const long = JSON.stringify({ grain: { data: [], filler: 'x'.repeat(17 * 1024 * 1024) } });
    open();
    await until(() => isConnected);
    const before = odd.reads;
    odd.sockets[0]!.send(long);
    odd.sockets[0]!.send(JSON.stringify({ grain: { data: [{ path: ID, post: { id: ID } }] } }));
    await until(() => changes.length === 1);
    expect([isConnected, odd.reads]).toEqual([true, before]);
    odd.sockets[0]!.send(long);
    await until(() => reasons.includes('the registry sent a message that is too long'));
  });

  test('what comes in one piece with the opened connection is read, and what follows', async () => {
    const message = (id: string) => JSON.stringify({ grain: { data: [{ path: `x/${id}`, post: { id } }] } });
    odd.greeting = message(ID);
    open();
    await until(() => isConnected);
    odd.sockets[0]!.send(message(ID.replace(/^5/, '6')));
    await until(() => changes.length >= FOLLOWED.length + 1);
    expect(changes.map(({ id }) => id.charAt(0))).toEqual([...FOLLOWED.map(() => '5'), '6']);
    expect(reasons).toEqual([]);
  });

  test('a message that does not end is cut off while it comes', async () => {
    open();
    await until(() => isConnected);
    const [ws] = odd.sockets;
    ws!.send(JSON.stringify({ grain: { data: [] } }));
    const part = Buffer.alloc(1024 * 1024, 'x');
    let sent = 0;
    const more = () => {
      if (ws!.readyState !== 1) return;
      sent += 1;
      ws!.send(part, { fin: false }, () => setTimeout(more, 1));
    };
    more();
    await until(() => reasons.includes('the registry sent a message that is too long'));
    expect(sent).toBeLessThan(40);
  });

  test('one that lists without end is left with the reason, and not asked again at once', async () => {
    odd.page = JSON.stringify(
      Array.from({ length: 1000 }, (_, n) => ({
        id: ID.replace(/^.{3}/, String(100 + n).slice(-3)),
        label: 'x'.repeat(7000),
      })),
    );
    const timers = jest.spyOn(globalThis, 'setTimeout');
    open();
    await until(() => reasons.includes('the registry lists more than is read'));
    const waits = timers.mock.calls.map(([, ms]) => ms ?? 0);
    timers.mockRestore();
    expect(Math.max(...waits)).toBeGreaterThanOrEqual(60_000);
  });

  test('nobody leads its requests back to this server: not by a socket, a link or a redirect', async () => {
    const lead = (url: string) =>
      setTrust({
        authority: null,
        tokens: null,
        own: { host: '127.99.9.3', port: Number(new globalThis.URL(url).port) },
      });
    const hits: string[] = [];
    const own = createServer((request, response) => {
      hits.push(request.url ?? '');
      response.end('[]');
    });
    await new Promise<void>((resolve) => own.listen(portOf(18_892), '127.99.9.3', resolve));
    lead(`http://127.99.9.3:${portOf(18_892)}`);
    odd.href = `ws://127.99.9.3:${portOf(18_892)}/ws`;
    open();
    await until(() => reasons.includes('the registry gave a ws_href on a host outside the networks that are used'));
    client.stop();
    odd.href = `ws://127.99.9.3:${PORT}/ws`;
    odd.page = `[{"id":"${ID}"}]`;
    odd.link = `<http://127.99.9.3:${portOf(18_892)}/more>; rel="next"`;
    open();
    await until(() => reasons.some((r) => r.includes('outside the networks')) && odd.reads > 6);
    client.stop();
    await expect(requestText(`http://127.99.9.3:${portOf(18_892)}/x`)).rejects.toThrow('outside the networks');
    expect(hits).toEqual([]);
    setTrust({ authority: null, tokens: null });
    own.close();
  });

  test('it is asked for what came with earlier versions; one that cannot tell is asked without', async () => {
    open();
    await until(() => isConnected);
    // It is asked first which versions it has, and does not say.
    const [versions, ...lists] = odd.asked;
    expect(versions).toBe('/x-nmos/query/');
    expect(lists.every((url) => /^\/x-nmos\/query\/v1\.3\/.*query\.downgrade=v1\.0/.test(url))).toBe(true);
    client.stop();
    isConnected = false;
    odd.knowsEarlier = false;
    odd.asked.length = 0;
    open();
    await until(() => isConnected);
    expect(odd.asked.filter((url) => url.includes('query.downgrade'))).toEqual([]);
  });

  test('one that only has versions that are not read is said so', async () => {
    odd.versions = ['v1.0/', 'v2.0/'];
    open();
    await until(() => reasons.includes('the registry has the Query API v1.0, v2.0 only'));
    odd.versions = ['v1.0/', 'v1.1/', 'v1.2/'];
    odd.asked.length = 0;
    await until(() => isConnected);
    expect(odd.asked.filter((url) => url.startsWith('/x-nmos/query/v1.2/')).length).toBeGreaterThan(0);
    expect(odd.asked.filter((url) => url.startsWith('/x-nmos/query/v1.3/'))).toEqual([]);
  });

  test('one that keeps its connection and answers nothing is lost', async () => {
    open(undefined, 250);
    await until(() => isConnected);
    // As long as it has not said what there is, it may be busy with that.
    for (const ws of odd.sockets) ws.send('{"grain":{"data":[]}}');
    odd.answersPings = false;
    await until(() => reasons.includes('the registry has answered no ping for 0.5 s'));
  });

  test.each(['ws+unix:///tmp/socket', 'http://127.99.9.3/ws', 'ws://attacker.example/ws', 'nonsense'])(
    'it sends nobody elsewhere: %s',
    async (href) => {
      odd.href = href;
      open((url) => url.includes('127.99.9.3'));
      await until(() => reasons.includes('the registry gave a ws_href on a host outside the networks that are used'));
      expect(isConnected).toBe(false);
    },
  );
});
