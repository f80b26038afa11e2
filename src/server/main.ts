import { readFileSync } from 'node:fs';
import { createServer as createPlainServer, type RequestListener, type Server } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import sirv from 'sirv';
import { boundConnections } from './door/connections';
import { door } from './door/door';
import { logger } from './logger';
import { readSettings, type Settings } from './settings';

/**
 * Starts the application alone: settings are checked, then it listens, and every request passes the front door. What keeps it from starting is
 * said with what to do about it.
 */

type Handler = (request: unknown, response: unknown) => Promise<void>;
interface NextApp {
  prepare(): Promise<void>;
  getRequestHandler(): Handler;
}
type MakeNext = (options: { dev: boolean; dir: string; hostname: string; port: number; httpServer: Server }) => NextApp;

/** A connection that has not asked anything for so long, or takes so long to ask, is closed. */
const HEADERS_WITHIN_MS = 10_000;
/** A plan of tens of megabytes over a slow line. */
const REQUEST_WITHIN_MS = 120_000;
const CHECKED_EVERY_MS = 1000;
/** A browser has six of them at most. */
const CONNECTIONS = { all: 2000, perAddress: 500 };
/** Where pages look for scripts, styles and fonts; the names hold a hash of what is in them. */
const STATIC = '/_next/static/';
const A_YEAR_S = 31_536_000;

function stop(message: string): never {
  console.error(`Jade Lane cannot start. ${message}`);
  process.exit(1);
}

function withTls({ tls }: Settings, listener: RequestListener): Server {
  const patience = {
    headersTimeout: HEADERS_WITHIN_MS,
    requestTimeout: REQUEST_WITHIN_MS,
    connectionsCheckingInterval: CHECKED_EVERY_MS,
  };
  if (tls === null) return createPlainServer(patience, listener);
  try {
    const files = { cert: readFileSync(tls.certFile), key: readFileSync(tls.keyFile) };
    return createTlsServer({ ...files, ...patience, handshakeTimeout: HEADERS_WITHIN_MS }, listener);
  } catch (error) {
    return stop(`The certificate or its key cannot be used: ${(error as Error).message}`);
  }
}

const LISTEN_WORDS: Readonly<Record<string, (settings: Settings) => string>> = {
  EADDRINUSE: ({ host, port }) =>
    `Port ${port} of ${host} is in use by another program. Stop that one, or set PORT to another.`,
  EACCES: ({ port }) => `Port ${port} needs rights that this program does not have. Set PORT to one above 1023.`,
  EADDRNOTAVAIL: ({ host }) => `This computer has no address ${host}. Set JADE_HOST to one that it has.`,
  ENOTFOUND: ({ host }) => `There is no address ${host}. Set JADE_HOST to one that this computer has.`,
};

function listen(server: Server, settings: Settings): Promise<void> {
  return new Promise((resolve) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      logger.error({ err: error }, 'cannot listen');
      stop(LISTEN_WORDS[error.code ?? '']?.(settings) ?? `It cannot listen: ${error.message}`);
    });
    server.listen(settings.port, settings.host, resolve);
  });
}

async function main(): Promise<void> {
  // What this process writes (plans, log) is read by its owner alone.
  process.umask(0o077);
  const read = readSettings(process.env, process.cwd());
  if ('length' in read) {
    stop(
      `These settings are wrong:\n${read.map((p) => `  ${p.name}: ${p.problem}`).join('\n')}\nSee docs/settings.md.`,
    );
  }
  const settings = read;
  process.on('unhandledRejection', (error) => logger.error({ err: error }, 'a promise was rejected, and nobody saw'));
  process.on('uncaughtException', (error) => {
    // Whatever it is, the plans are on the disk: going on serves everyone better than a server that is gone.
    logger.error({ err: error }, 'something was thrown, and nobody caught it');
  });
  const require = createRequire(import.meta.url);
  const next = require('next') as MakeNext;
  const { host: hostname, port } = settings;
  // The application would take over what asks for an upgrade before the door sees it; there is nothing to upgrade to, so that the door gets it as
  // any other request.
  const noUpgrades = createPlainServer();
  const app = next({ dev: false, dir: process.cwd(), hostname, port, httpServer: noUpgrades });
  // What never changes under its name was compressed once, at the build.
  const unchanging = sirv(join(process.cwd(), '.next/static'), { gzip: true, immutable: true, maxAge: A_YEAR_S });
  let handle: Handler | null = null;
  const server = withTls(
    settings,
    door(settings, (request, response) => {
      if (handle !== null && request.url?.startsWith(STATIC) !== true) return void handle(request, response);
      if (handle !== null) {
        request.url = request.url?.slice(STATIC.length - 1);
        return unchanging(request, response);
      }
      response.writeHead(503, { 'content-type': 'text/plain', 'retry-after': '1' }).end('Jade Lane is starting.');
    }),
  );
  boundConnections(server, CONNECTIONS);
  server.on('connect', (_request, socket) => socket.destroy());
  // The port is taken before the database is: a second start by mistake ends here.
  await listen(server, settings);
  await app.prepare();
  handle = app.getRequestHandler();
  console.log(`Jade Lane  ${settings.tls === null ? 'http' : 'https'}://${hostname}:${port}/`);
}

void main().catch((error: unknown) => {
  logger.error({ err: error }, 'cannot start');
  stop((error as Error).message);
});
