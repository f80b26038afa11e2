import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { Exchange } from '../core/formats/nmos-answers';

/** A small JSON-over-HTTP server: all that the open interfaces need. */

export interface Request {
  readonly method: string;
  readonly path: string;
  readonly query: URLSearchParams;
  /** What the route's groups matched. */
  readonly params: readonly string[];
  readonly body: unknown;
  /** The forms that the caller takes, as its `Accept` has them. */
  readonly accept: string;
  /** The base address under which the caller reached us, e.g. `http://127.0.0.1:8870`. */
  readonly base: string;
}

export interface Response {
  readonly status: number;
  readonly body?: unknown;
  readonly text?: string;
  readonly type?: string;
  readonly headers?: Readonly<Record<string, string>>;
}

export type Handler = (request: Request) => Response | Promise<Response>;
export interface Route {
  readonly method: string;
  readonly pattern: RegExp;
  readonly handle: Handler;
}

export const route = (method: string, pattern: string, handle: Handler): Route => ({
  method,
  pattern: new RegExp(`^${pattern}/?$`),
  handle,
});

export const json = (body: unknown, status = 200, headers: Record<string, string> = {}): Response => ({
  status,
  body,
  headers,
});

/** The error body that IS-04, IS-05 and IS-08 share. */
export const problem = (status: number, error: string, debug: string | null = null): Response => ({
  status,
  body: { code: status, error, debug },
});

export class HttpProblem extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

const BODY_MAX = 1024 * 1024;

async function readBody(request: IncomingMessage): Promise<unknown> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request) {
    size += (chunk as Buffer).length;
    if (size > BODY_MAX) throw new HttpProblem(413, 'the body is too large');
    chunks.push(chunk as Buffer);
  }
  if (size === 0) return undefined;
  try {
    return JSON.parse(Buffer.concat(chunks).toString('utf8')) as unknown;
  } catch {
    throw new HttpProblem(400, 'the body is not JSON');
  }
}

let watcher: ((exchange: Exchange) => void) | null = null;
/** Tells of every request and its answer, of all servers of this process: what a strict trial looks at. */
export function watchExchanges(watch: (exchange: Exchange) => void): void {
  watcher = watch;
}
const pathOf = (request: IncomingMessage): string => (request.url ?? '/').split('?')[0] as string;

interface ServeOptions {
  readonly routes: () => readonly Route[];
  /** Called before each request; a promise delays the answer, `false` leaves it without one. */
  readonly before?: () => Promise<boolean>;
}

export function httpServer({ routes, before }: ServeOptions): Server {
  const server = createServer((request, response) => {
    void answer(request, response, routes(), before);
  });
  // Longer than the time between two heartbeats: else each would need a connection of its own.
  server.keepAliveTimeout = 15_000;
  return server;
}

async function answer(
  request: IncomingMessage,
  response: ServerResponse,
  routes: readonly Route[],
  before: ServeOptions['before'],
): Promise<void> {
  let result: Response;
  try {
    if (before && !(await before())) return;
    const base = `http://${request.headers.host ?? `${request.socket.localAddress}:${request.socket.localPort}`}`;
    const url = new URL(request.url ?? '/', base);
    const method = request.method ?? 'GET';
    const matching = routes.filter((r) => r.pattern.test(url.pathname));
    if (method === 'OPTIONS') result = { status: 200 };
    else if (matching.length === 0) result = problem(404, 'Not found');
    else {
      const found = matching.find((r) => r.method === method || (method === 'HEAD' && r.method === 'GET'));
      if (found === undefined) result = problem(405, 'Method not allowed');
      else {
        const params = (found.pattern.exec(url.pathname) ?? []).slice(1).map((p) => decodeURIComponent(p ?? ''));
        const body = method === 'GET' || method === 'HEAD' ? undefined : await readBody(request);
        const accept = request.headers.accept ?? '*/*';
        result = await found.handle({
          method,
          path: url.pathname,
          query: url.searchParams,
          params,
          body,
          accept,
          base,
        });
      }
    }
  } catch (error) {
    result = error instanceof HttpProblem ? problem(error.status, error.message) : problem(500, 'Internal error');
    if (!(error instanceof HttpProblem)) console.error(error);
  }
  watcher?.({ method: request.method ?? 'GET', path: pathOf(request), status: result.status, body: result.body });
  const text = result.text ?? (result.body === undefined ? '' : JSON.stringify(result.body));
  response.writeHead(result.status, {
    'content-type': result.type ?? 'application/json',
    ...allowOrigin(),
    ...result.headers,
  });
  response.end(text);
}

/**
 * NMOS wants interfaces to be readable from pages of other sites. On a computer where people also browse, that would let any page command the
 * stand-ins: it is only so where STANDINS_ORIGIN names the site, or is `*`.
 */
function allowOrigin(): Record<string, string> {
  const origin = process.env['STANDINS_ORIGIN'];
  if (!origin) return {};
  return {
    'access-control-allow-origin': origin,
    'access-control-allow-methods': 'GET, PUT, POST, PATCH, HEAD, OPTIONS, DELETE',
    'access-control-allow-headers': 'Content-Type, Accept',
  };
}

export function listen(server: Server, address: string, port: number): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, address, () => {
      server.off('error', reject);
      resolve();
    });
  });
}

export function close(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => resolve());
    server.closeAllConnections();
  });
}
