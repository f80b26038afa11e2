import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { WebSocketServer } from 'ws';
import { failureOf, requestJson } from './http-json';
import { RegistryClient } from './registry-client';
import { AUTHORITY, CERTIFICATE, KEY } from './test-certificates';
import { setTrust } from './trust';
import { until } from './test-bench';
import { portOf } from './test-port';

/** A registry by TLS whose certificate is from the authority of the house, and an authorisation server (IS-10), both small and strict. */

const REGISTRY = `https://127.99.1.1:${portOf(18_443)}`;
const TOKENS = {
  url: `https://127.99.1.2:${portOf(18_444)}/token`,
  clientId: 'jade-lane',
  secret: 'four small words here',
};

class AuthorisationServer {
  readonly given: string[] = [];
  expiresIn = 60;
  private readonly server: Server = createServer({ cert: CERTIFICATE, key: KEY }, (request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => this.answer(request, body, response));
  });

  private answer(request: IncomingMessage, body: string, response: ServerResponse): void {
    const say = (status: number, value: unknown) => {
      response.writeHead(status, { 'content-type': 'application/json' });
      response.end(JSON.stringify(value));
    };
    const wanted = new URLSearchParams(body);
    if (request.method !== 'POST' || request.headers['content-type'] !== 'application/x-www-form-urlencoded') {
      return say(400, { error: 'invalid_request' });
    }
    const [name = '', secret = ''] = Buffer.from((request.headers.authorization ?? '').replace('Basic ', ''), 'base64')
      .toString()
      .split(':')
      .map(decodeURIComponent);
    if (name !== TOKENS.clientId || secret !== TOKENS.secret) return say(401, { error: 'invalid_client' });
    if (wanted.get('grant_type') !== 'client_credentials') return say(400, { error: 'unsupported_grant_type' });
    if (!(wanted.get('scope') ?? '').split(' ').includes('query')) return say(400, { error: 'invalid_scope' });
    this.given.push(`token-${this.given.length + 1}`);
    say(200, { access_token: this.given.at(-1), token_type: 'Bearer', expires_in: this.expiresIn });
  }

  start = () => new Promise<void>((done) => this.server.listen(portOf(18_444), '127.99.1.2', () => done()));
  stop = () => new Promise<void>((done) => (this.server.close(() => done()), this.server.closeAllConnections()));
}

/** Takes the newest token alone; WebSockets too. */
class GuardedRegistry {
  isOpen = true;
  readonly plain: string[] = [];
  private readonly webSockets = new WebSocketServer({ noServer: true });
  private readonly server: Server;

  constructor(private readonly tokens: () => string | undefined) {
    const mayEnter = ({ headers }: IncomingMessage) => this.isOpen || headers.authorization === `Bearer ${tokens()}`;
    this.server = createServer({ cert: CERTIFICATE, key: KEY }, (request, response) => {
      const isAllowed = mayEnter(request);
      response.writeHead(isAllowed ? 200 : 401, { 'content-type': 'application/json' });
      const isSubscription = request.method === 'POST';
      const value = isSubscription ? { ws_href: `wss://127.99.1.1:${portOf(18_443)}/ws` } : [];
      response.end(JSON.stringify(isAllowed ? value : { code: 401, error: 'no token', debug: null }));
    });
    this.server.on('upgrade', (request: IncomingMessage, socket, head) => {
      if (!mayEnter(request)) return void socket.end('HTTP/1.1 401 Unauthorized\r\n\r\n');
      this.webSockets.handleUpgrade(request, socket, head, (ws) => ws.send('{"grain":{"data":[]}}'));
    });
  }

  start = () => new Promise<void>((done) => this.server.listen(portOf(18_443), '127.99.1.1', () => done()));
  stop = async () => {
    for (const ws of this.webSockets.clients) ws.terminate();
    await new Promise<void>((done) => (this.server.close(() => done()), this.server.closeAllConnections()));
  };
}

describe('a house with a certificate authority and tokens of its own', () => {
  const authorisation = new AuthorisationServer();
  const registry = new GuardedRegistry(() => authorisation.given.at(-1));
  beforeAll(() => Promise.all([authorisation.start(), registry.start()]));
  afterAll(async () => {
    setTrust({ authority: null, tokens: null });
    await Promise.all([authorisation.stop(), registry.stop()]);
  });
  const ask = () => requestJson(`${REGISTRY}/x-nmos/query/v1.3/nodes`);
  const failure = () => ask().then(() => null, failureOf);

  test('a certificate of an unknown authority is not trusted; one of the chosen authority is', async () => {
    setTrust({ authority: null, tokens: null });
    expect(await failure()).toMatchObject({ kind: 'unreachable' });
    setTrust({ authority: AUTHORITY, tokens: null });
    expect((await ask()).value).toEqual([]);
  });

  test('with a token it is let in, WebSockets too; one token serves until half its life is over', async () => {
    registry.isOpen = false;
    setTrust({ authority: AUTHORITY, tokens: null });
    expect(await failure()).toMatchObject({ kind: 'refused', status: 401 });
    setTrust({ authority: AUTHORITY, tokens: TOKENS });
    await Promise.all([ask(), ask(), ask()]);
    expect(authorisation.given).toHaveLength(1);
    let isConnected = false;
    const client = new RegistryClient(REGISTRY, {
      page: () => {},
      full: () => {},
      changed: () => {},
      connected: () => (isConnected = true),
      disconnected: () => {},
    });
    client.start();
    await until(() => isConnected);
    client.stop();
    expect(authorisation.given).toHaveLength(1);
  });

  test('a token that is not taken any more is replaced, and a short one renewed', async () => {
    authorisation.given.push('revoked');
    expect(await failure()).toMatchObject({ status: 401 });
    expect(await failure()).toBeNull();
    authorisation.expiresIn = 0.4;
    setTrust({ authority: AUTHORITY, tokens: TOKENS });
    await ask();
    const before = authorisation.given.length;
    while (authorisation.given.length === before) await ask();
    expect(authorisation.given.length).toBe(before + 1);
  });

  test('what the authorisation server refuses is reported, and the secret never', async () => {
    setTrust({ authority: AUTHORITY, tokens: { ...TOKENS, secret: 'another secret' } });
    const told = await failure();
    expect(told).toEqual({ kind: 'unreachable', detail: 'the authorisation server gives no token: invalid_client' });
    expect(JSON.stringify(told)).not.toContain('another secret');
  });
});
