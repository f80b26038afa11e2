import { randomBytes, randomUUID } from 'node:crypto';
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';
import { parseBoundedJson } from '../../core/formats/bounded-json';
import { rawOf } from '../../core/formats/raw';
import { steadyNow } from '../../field/steady-clock';
import { logger } from '../logger';
import type { Settings } from '../settings';
import type { GuessLine } from './guess-line';
import { allowedNames } from './host-names';
import { KEY_COOKIE, PassPhrase } from './pass-phrase';
import { passPhrasePage } from './pass-phrase-page';
import { refusalOf } from './request-check';
import { securityHeaders } from './security-headers';

/** The header by which pages learn the number that their scripts carry. */
const NONCE_HEADER = 'x-nonce';
/** The header by which the application tells people apart, as far as that can be done. */
const SENDER_HEADER = 'x-sender';
const PASS_PHRASE_PATH = '/api/pass-phrase';
/** Whether the server is well may be asked by whoever watches it. */
const OPEN_PATHS = new Set(['/api/health']);
const PHRASE_BODY_MAX = 4096;

/**
 * The front door: every request passes here before the application sees it. Hosts, sites, methods and types are checked, every answer gets its
 * headers, and a server that others can reach asks for its pass phrase.
 */
export function door(
  settings: Pick<Settings, 'host' | 'names' | 'passPhrase' | 'tls'>,
  letIn: (request: IncomingMessage, response: ServerResponse) => unknown,
  guesses?: GuessLine,
): RequestListener {
  const names = allowedNames(settings);
  const passPhrase = settings.passPhrase === null ? null : new PassPhrase(settings.passPhrase, guesses);
  const isTls = settings.tls !== null;
  return (request, response) => {
    const nonce = randomBytes(16).toString('base64');
    for (const [name, value] of Object.entries(securityHeaders(nonce, isTls))) response.setHeader(name, value);
    const { method = 'GET', url = '/', headers } = request;
    const refusal = refusalOf({ method, url, headers }, names);
    if (refusal !== null) return turnAway(request, response, refusal);
    const path = url.split('?')[0] as string;
    if (passPhrase !== null && !OPEN_PATHS.has(path) && !passPhrase.knows(headers.cookie, steadyNow())) {
      if (path === PASS_PHRASE_PATH && method === 'POST') return void ask(passPhrase, isTls, request, response);
      if (path.startsWith('/api/')) {
        const message = 'This server asks for its pass phrase: reload the page.';
        return turnAway(request, response, { status: 401, code: 'pass-phrase', message });
      }
      response.writeHead(401, { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-store' });
      return void response.end(method === 'HEAD' ? '' : passPhrasePage(nonce));
    }
    // The application reads the number of this answer from here, and puts it on its own scripts.
    request.headers['content-security-policy'] = response.getHeader('content-security-policy') as string;
    request.headers[NONCE_HEADER] = nonce;
    request.headers[SENDER_HEADER] = `${request.socket.remoteAddress ?? ''} ${PassPhrase.keyIn(headers.cookie) ?? ''}`;
    // Whoever is asked by these names is asked by the application alone.
    for (const name of ['x-forwarded-host', 'x-middleware-subrequest', 'next-action']) delete request.headers[name];
    noteFault(request, response);
    letIn(request, response);
  };
}

/** Every answer carries an id; where it is a fault of the server the log has it by that, whoever answered. */
function noteFault({ method, url }: IncomingMessage, response: ServerResponse): void {
  const requestId = randomUUID();
  response.setHeader('x-request-id', requestId);
  response.once('finish', () => {
    const { statusCode: status } = response;
    if (status === 500) logger.error({ requestId, status, method, path: url?.split('?')[0] }, 'answered with a fault');
  });
}

function turnAway(
  request: IncomingMessage,
  response: ServerResponse,
  { status, code, message }: { readonly status: number; readonly code: string; readonly message: string },
): void {
  const errorId = randomUUID();
  logger.info({ errorId, status, code, method: request.method, host: request.headers.host }, 'request turned away');
  answer(response, status, { error: { code, message, field: null, errorId } });
}

function answer(response: ServerResponse, status: number, body: unknown, headers: Record<string, string> = {}): void {
  const text = JSON.stringify(body);
  response.writeHead(status, {
    'content-type': 'application/json',
    'content-length': String(Buffer.byteLength(text)),
    'cache-control': 'no-store',
    ...(status === 405 ? { allow: 'GET, HEAD, POST, DELETE' } : {}),
    // What was not read of the request is not waited for.
    ...(status >= 400 ? { connection: 'close' } : {}),
    ...headers,
  });
  response.end(text);
}

/** Takes the pass phrase; whoever knows it gets a key. */
async function ask(
  passPhrase: PassPhrase,
  isTls: boolean,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  let text = '';
  try {
    for await (const part of request.setEncoding('utf8')) {
      text += part as string;
      if (text.length > PHRASE_BODY_MAX) break;
    }
  } catch {
    return; // the browser went away
  }
  const parsed = parseBoundedJson(text, { depth: 4, values: 16 });
  const phrase = parsed.ok ? rawOf(parsed.value)['phrase'] : null;
  if (typeof phrase !== 'string') {
    const message = 'The request does not have a phrase.';
    return turnAway(request, response, { status: 400, code: 'invalid', message });
  }
  const taken = await passPhrase.take(phrase, request.socket.remoteAddress ?? '');
  if (taken.is === 'let-in') {
    const cookie = `${KEY_COOKIE}=${taken.key}; Path=/; HttpOnly; SameSite=Strict; Max-Age=${taken.lastsSeconds}${isTls ? '; Secure' : ''}`;
    return answer(response, 200, {}, { 'set-cookie': cookie });
  }
  const message =
    taken.is === 'wrong'
      ? 'That is not the pass phrase.'
      : 'Too many wait to say the pass phrase. Try again in a minute.';
  const status = taken.is === 'wrong' ? 401 : 429;
  turnAway(request, response, { status, code: taken.is, message });
}
