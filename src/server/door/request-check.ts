import type { IncomingHttpHeaders } from 'node:http';
import { nameIn } from './host-names';

/** What is turned away before the application sees it. */

export interface Refusal {
  readonly status: 400 | 403 | 405 | 415 | 421;
  readonly code: string;
  readonly message: string;
}

export interface Asked {
  readonly method: string;
  readonly url: string;
  readonly headers: IncomingHttpHeaders;
}

const READING = ['GET', 'HEAD'];
const WRITING = ['POST', 'PUT', 'PATCH', 'DELETE'];
/** A path with its query is not longer. */
const URL_MAX = 8192;

const refuse = (status: Refusal['status'], code: string, message: string): Refusal => ({ status, code, message });

/** Why a request is turned away; null: it is let in. */
export function refusalOf({ method, url, headers }: Asked, names: ReadonlySet<string>): Refusal | null {
  const name = nameIn(headers.host ?? '');
  if (name === null) return refuse(400, 'no-host', 'The request does not say which host it is for.');
  if (!names.has(name)) {
    const how = 'Whoever runs it can allow the name with JADE_NAMES';
    return refuse(421, 'unknown-host', `This server does not go by the name ${name}. ${how}.`);
  }
  if (!isPath(url)) return refuse(400, 'bad-address', 'The address cannot be read.');
  if (!isRouterState(headers[ROUTER_STATE]))
    return refuse(400, 'bad-header', `The header ${ROUTER_STATE} cannot be read.`);
  const isApi = url === '/api' || url.startsWith('/api/') || url.startsWith('/api?');
  if (READING.includes(method)) return isApi ? foreignSite(headers, names) : null;
  if (!WRITING.includes(method)) return refuse(405, 'method', `${method} is not something that can be done here.`);
  if (!isApi) return refuse(405, 'method', `${method} is not something that can be done with a page.`);
  const foreign = foreignSite(headers, names);
  if (foreign !== null) return foreign;
  // What a form of another page can send is none of this; what can needs to ask first, and is refused.
  const type = (headers['content-type'] ?? '').split(';')[0]?.trim().toLowerCase();
  if (type !== 'application/json') return refuse(415, 'not-json', 'The request must be application/json.');
  return null;
}

/** What pages say of where they are, which the application reads without a check. */
const ROUTER_STATE = 'next-router-state-tree';

function isRouterState(text: string | string[] | undefined): boolean {
  if (text === undefined) return true;
  try {
    return typeof text === 'string' && isStateTree(JSON.parse(decodeURIComponent(text)), 0);
  } catch {
    return false;
  }
}

const STATE_DEPTH = 32;
/** A part of the path, the parts below it by name, and up to three more. */
function isStateTree(value: unknown, depth: number): boolean {
  if (depth > STATE_DEPTH || !Array.isArray(value) || value.length < 2 || value.length > 6) return false;
  const [part, below] = value as unknown[];
  const isPart =
    typeof part === 'string' ||
    (Array.isArray(part) && part.every((p) => p === null || typeof p === 'string' || Array.isArray(p)));
  if (!isPart || typeof below !== 'object' || below === null || Array.isArray(below)) return false;
  return Object.values(below).every((tree) => isStateTree(tree, depth + 1));
}

function isPath(url: string): boolean {
  if (!url.startsWith('/') || url.startsWith('//') || url.length > URL_MAX) return false;
  try {
    decodeURI(url);
    decodeURIComponent(url.split('?')[0] ?? '');
    return true;
  } catch {
    return false;
  }
}

/** Requests that a page of another site makes. Browsers say so themselves. */
function foreignSite(headers: IncomingHttpHeaders, names: ReadonlySet<string>): Refusal | null {
  const foreign = refuse(403, 'foreign-site', 'A page of another site may not do this.');
  const site = headers['sec-fetch-site'];
  if (site !== undefined && site !== 'same-origin' && site !== 'none') return foreign;
  const { origin, host } = headers;
  if (origin === undefined) return null;
  const from = /^https?:\/\/(.+)$/i.exec(origin)?.[1] ?? '';
  const name = nameIn(from);
  return name !== null && names.has(name) && from.toLowerCase() === host?.toLowerCase() ? null : foreign;
}
