import { rootCertificates } from 'node:tls';
import { Agent, request } from 'undici';
import { parseBoundedJson } from '../core/formats/bounded-json';
import { rawOf } from '../core/formats/raw';
import { leadsToDoor, type OwnDoor } from './own-door';
import { withPatience } from './patience';
import { steadyNow } from './steady-clock';

/**
 * Whom the field is trusted by, and whom it trusts: the certificate authority of the house, and tokens of its authorisation server (IS-10, client
 * credentials). One for the whole process, as there is one house.
 */

export interface TokenServer {
  /** Where tokens are given out: its token endpoint, by HTTPS. */
  readonly url: string;
  readonly clientId: string;
  readonly secret: string;
}

export interface Trust {
  /** Certificates of authorities beside the usual ones, as PEM; null: only those. */
  readonly authority: string | null;
  readonly tokens: TokenServer | null;
  /** Where this application answers itself; missing: nowhere. */
  readonly own?: OwnDoor;
}

/** Connections of our own: what was kept for a host goes when its last one has gone, and thousands of devices are asked in turn. */
const agentFor = (authority: string | null) =>
  new Agent({ keepAliveTimeout: 2000, ...(authority === null ? {} : { connect: { ca: authoritiesWith(authority) } }) });

const authoritiesWith = (authority: string): string[] => [...rootCertificates, authority];

interface Held {
  trust: Trust;
  agent: Agent;
  token: { readonly value: string; readonly renewAt: number } | null;
  asking: Promise<string> | null;
}
/** Route handlers and the start of the server are bundled apart, so it is kept on globalThis. */
const holder = globalThis as typeof globalThis & { jadeLaneTrust?: Held };
const held = (): Held =>
  (holder.jadeLaneTrust ??= {
    trust: { authority: null, tokens: null },
    agent: agentFor(null),
    token: null,
    asking: null,
  });

export function setTrust(trust: Trust): void {
  holder.jadeLaneTrust = { trust, agent: agentFor(trust.authority), token: null, asking: null };
}

/** Whether an address leads to this application itself, whoever named it: a registry, a device, an announcement or a redirect. */
export const isOwnDoor = (url: string): boolean => leadsToDoor(held().trust.own ?? null, url);

export const connections = (): Agent => held().agent;

/** Options of a WebSocket to an address by TLS. */
export function socketTrust(): { readonly ca?: string[] } {
  const { authority } = held().trust;
  return authority === null ? {} : { ca: authoritiesWith(authority) };
}

/** What a token is asked for: reading and changing all that we use (IS-10, scopes by the names of the APIs). */
const SCOPE = 'query node connection channelmapping';
const TOKEN_MS = 5_000;
/** A token is renewed when so much of its life is over (IS-10 recommends half). */
const RENEW_AT = 0.5;
const LIFE_UNTOLD_S = 60;

/** The header that lets a request in; none where there is no authorisation server, or the way is not encrypted: a token is for HTTPS alone. */
export async function authorization(url: string): Promise<{ readonly authorization?: string }> {
  const own = held();
  const { tokens } = own.trust;
  if (tokens === null || !/^(https|wss):/i.test(url)) return {};
  if (own.token === null || steadyNow() >= own.token.renewAt) {
    own.asking ??= askForToken(tokens, own).finally(() => {
      own.asking = null;
    });
    // One that is still good is used until the next one is there.
    const isGood = own.token !== null;
    await own.asking.catch((error: unknown) => {
      if (!isGood) throw error;
    });
  }
  return own.token === null ? {} : { authorization: `Bearer ${own.token.value}` };
}

/** Refused although it seemed good: the next request asks for another. */
export function forgetToken(): void {
  held().token = null;
}

/** RFC 6749 clause 4.4. Throws with what the server says, never with the secret. */
async function askForToken({ url, clientId, secret }: TokenServer, own: Held): Promise<string> {
  const credentials = Buffer.from(`${encodeURIComponent(clientId)}:${encodeURIComponent(secret)}`).toString('base64');
  const { statusCode, text } = await withPatience(TOKEN_MS, async (signal) => {
    const answer = await request(url, {
      method: 'POST',
      headers: {
        authorization: `Basic ${credentials}`,
        'content-type': 'application/x-www-form-urlencoded',
        accept: 'application/json',
      },
      body: new URLSearchParams({ grant_type: 'client_credentials', scope: SCOPE }).toString(),
      dispatcher: own.agent,
      signal,
    });
    return { statusCode: answer.statusCode, text: await answer.body.text() };
  });
  const parsed = parseBoundedJson(text.slice(0, 64 * 1024), { depth: 8, values: 1000 });
  const told = rawOf(parsed.ok ? parsed.value : null);
  const value = told['access_token'];
  if (statusCode !== 200 || typeof value !== 'string' || !/^[\w.~+/-]+=*$/.test(value)) {
    const reason = typeof told['error'] === 'string' ? told['error'].slice(0, 80) : `status ${statusCode}`;
    throw new Error(`the authorisation server gives no token: ${reason}`);
  }
  const lifeS = Number(told['expires_in']);
  const life = Number.isFinite(lifeS) && lifeS > 0 ? lifeS : LIFE_UNTOLD_S;
  own.token = { value, renewAt: steadyNow() + life * RENEW_AT * 1000 };
  return value;
}
