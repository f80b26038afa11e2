import type { Duplex, Readable } from 'node:stream';
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib';
import { request, type Dispatcher } from 'undici';
import { parseBoundedJson, type JsonLimits } from '../core/formats/bounded-json';
import { isRaw } from '../core/formats/raw';
import { visible } from '../core/plan/visible-text';
import { errorWords } from '../core/formats/error-words';
import { withPatience } from './patience';
import { authorization, connections, forgetToken, isOwnDoor } from './trust';

/** Requests to devices and registries: bounded in time, size and depth, with one kind of error for all that can go wrong. */

export type DeviceFailure =
  | { readonly kind: 'timeout'; readonly afterMs: number }
  | { readonly kind: 'unreachable'; readonly detail: string }
  | { readonly kind: 'refused'; readonly status: number; readonly detail: string }
  | { readonly kind: 'wrong-answer'; readonly detail: string }
  /** Nothing was asked: the host is on none of the networks that are talked to. */
  | { readonly kind: 'not-allowed'; readonly host: string }
  /** Nothing was asked: it did not answer of late, and is left in peace until then. */
  | { readonly kind: 'resting'; readonly untilMs: number };

function shortWords(failure: DeviceFailure): string {
  switch (failure.kind) {
    case 'timeout':
      return 'no answer';
    case 'refused':
      return `refused (${failure.status})`;
    case 'not-allowed':
      return `it is outside the networks that are used`;
    case 'resting':
      return 'not asked';
    default:
      return failure.detail;
  }
}

export class DeviceError extends Error {
  constructor(
    readonly url: string,
    readonly failure: DeviceFailure,
  ) {
    super(`${URL.canParse(url) ? new URL(url).host : url}: ${shortWords(failure)}`);
  }
}

/** After decompression: a page of a registry with a thousand resources takes some megabytes. */
const ANSWER_MAX_BYTES = 8 * 1024 * 1024;
const ANSWER_LIMITS: JsonLimits = { depth: 64, values: 1_000_000 };
const REDIRECTS = new Set([301, 302, 307, 308]);
const REDIRECTS_MAX = 3;
/** So much of what a device says of a refusal is passed on. */
const REASON_MAX = 200;

interface RequestOptions {
  readonly method?: 'GET' | 'POST' | 'PATCH' | 'DELETE';
  readonly body?: unknown;
  /** What is asked for, where the other end has several forms; missing: whatever it has. */
  readonly accept?: string;
  /** For the whole answer, to its last octet. */
  readonly timeoutMs?: number;
}

/** A header of an answer, by its name in small letters; null: it has none. */
export type Headers = (name: string) => string | null;

export async function requestText(
  url: string,
  options: RequestOptions = {},
): Promise<{ text: string; headers: Headers }> {
  const timeoutMs = options.timeoutMs ?? 3000;
  let answer: Dispatcher.ResponseData;
  let text: string;
  try {
    [answer, text] = await withPatience(timeoutMs, async (signal) => {
      const given = await askRedirected(url, options, signal);
      return [given, await boundedText(url, given)];
    });
  } catch (error) {
    if (error instanceof DeviceError) throw error;
    if ((error as Error).name === 'TimeoutError') throw new DeviceError(url, { kind: 'timeout', afterMs: timeoutMs });
    throw new DeviceError(url, { kind: 'unreachable', detail: errorWords(error) });
  }
  const { statusCode: status } = answer;
  if (status < 200 || status > 299) {
    throw new DeviceError(url, { kind: 'refused', status, detail: reasonIn(text, status) });
  }
  return { text, headers: (name) => headerOf(answer, name) };
}

function headerOf({ headers }: Dispatcher.ResponseData, name: string): string | null {
  const value = headers[name];
  return value === undefined ? null : Array.isArray(value) ? value.join(', ') : value;
}

/**
 * Asks, and asks again where it is sent on to (IS-04 and IS-05 let an interface do so, for a slash at the end or for HTTPS): with the same method,
 * and only within the same host and port or from HTTP to HTTPS, so that nobody leads requests elsewhere: not even to another door of the same
 * computer, which may be this application's own.
 */
async function askRedirected(
  url: string,
  options: RequestOptions,
  signal: AbortSignal,
): Promise<Dispatcher.ResponseData> {
  let at = url;
  for (let hop = 0; hop <= REDIRECTS_MAX; hop += 1) {
    if (!/^https?:\/\//i.test(at)) {
      throw new DeviceError(url, { kind: 'wrong-answer', detail: 'it names an address that is not HTTP' });
    }
    if (!URL.canParse(at))
      throw new DeviceError(url, { kind: 'wrong-answer', detail: 'it names an address that is none' });
    if (isOwnDoor(at)) throw new DeviceError(url, { kind: 'not-allowed', host: new URL(at).host });
    const answer = await request(at, {
      method: options.method ?? 'GET',
      headers: {
        accept: options.accept ?? '*/*',
        ...(options.body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(await authorization(at)),
      },
      ...(options.body === undefined ? {} : { body: JSON.stringify(options.body) }),
      dispatcher: connections(),
      signal,
    });
    if (answer.statusCode === 401) forgetToken();
    const location = headerOf(answer, 'location');
    if (!REDIRECTS.has(answer.statusCode) || location === null) return answer;
    answer.body.on('error', () => {}).destroy();
    if (!URL.canParse(location, at)) {
      throw new DeviceError(url, { kind: 'wrong-answer', detail: 'it sends us on to an address that is none' });
    }
    const next = new URL(location, at);
    if (!isSameDoor(new URL(at), next)) throw new DeviceError(url, { kind: 'not-allowed', host: next.host });
    at = next.href;
  }
  throw new DeviceError(url, { kind: 'wrong-answer', detail: 'it sends us on again and again' });
}

function isSameDoor(from: URL, to: URL): boolean {
  return (
    from.hostname === to.hostname && (from.host === to.host || (from.protocol === 'http:' && to.protocol === 'https:'))
  );
}

/** We ask for no compression; what comes compressed all the same is unpacked. */
function unpacked({ body, headers }: Dispatcher.ResponseData): Readable {
  const encoding = headers['content-encoding'];
  const unpack =
    encoding === 'gzip' || encoding === 'x-gzip'
      ? createGunzip()
      : encoding === 'deflate'
        ? createInflate()
        : encoding === 'br'
          ? createBrotliDecompress()
          : null;
  if (unpack === null) return body;
  body.on('error', (error) => unpack.destroy(error));
  unpack.on('close', () => body.on('error', () => {}).destroy());
  return body.pipe(unpack as Duplex);
}

/** Reads an answer piece by piece, and no further than it may be long. */
async function boundedText(url: string, answer: Dispatcher.ResponseData): Promise<string> {
  const tooLong = () => new DeviceError(url, { kind: 'wrong-answer', detail: 'the answer is too long' });
  if (Number(headerOf(answer, 'content-length') ?? 0) > ANSWER_MAX_BYTES) {
    answer.body.on('error', () => {}).destroy();
    throw tooLong();
  }
  const decoder = new TextDecoder('utf-8');
  let text = '';
  let size = 0;
  // Leaving the loop ends the answer.
  for await (const part of unpacked(answer) as AsyncIterable<Buffer>) {
    size += part.byteLength;
    if (size > ANSWER_MAX_BYTES) throw tooLong();
    text += decoder.decode(part, { stream: true });
  }
  return text + decoder.decode();
}

export async function requestJson(
  url: string,
  options: RequestOptions = {},
): Promise<{ value: unknown; headers: Headers; bytes: number }> {
  const { text, headers } = await requestText(url, options);
  const bytes = text.length;
  if (text === '') return { value: null, headers, bytes };
  const parsed = parseBoundedJson(text, ANSWER_LIMITS);
  if (!parsed.ok) throw new DeviceError(url, { kind: 'wrong-answer', detail: `the answer is ${parsed.problem}` });
  return { value: parsed.value, headers, bytes };
}

/**
 * The reason that an NMOS error body gives (`code`, `error`, `debug`). Of any other body nothing is passed on: whatever answered there, it was not
 * the interface that was asked.
 */
function reasonIn(text: string, status: number): string {
  const parsed = parseBoundedJson(text, ANSWER_LIMITS);
  if (!parsed.ok || !isRaw(parsed.value) || parsed.value['code'] !== status) return '';
  const { error, debug } = parsed.value;
  if (typeof error !== 'string') return '';
  const reason = typeof debug === 'string' ? `${error}: ${debug}` : error;
  return visible(reason.slice(0, REASON_MAX).replace(/\s+/g, ' '));
}

export function failureOf(error: unknown): DeviceFailure {
  if (error instanceof DeviceError) return error.failure;
  return { kind: 'wrong-answer', detail: errorWords(error) };
}
