import { networkInterfaces } from 'node:os';
import ipaddr from 'ipaddr.js';

/** Where this application answers: devices have no business there, and nobody may lead its requests back to it. */
export interface OwnDoor {
  /** An address of this computer, or `0.0.0.0` or `::` for all of them. */
  readonly host: string;
  readonly port: number;
}

const USUAL_PORTS: Readonly<Record<string, number>> = { 'http:': 80, 'ws:': 80, 'https:': 443, 'wss:': 443 };

/** Whether an address such as `http://127.0.0.1:3000/x` leads to the application itself, however it is written. */
export function leadsToDoor(own: OwnDoor | null, url: string): boolean {
  if (own === null || !URL.canParse(url)) return false;
  const { protocol, hostname, port } = new URL(url);
  if ((port === '' ? USUAL_PORTS[protocol] : Number(port)) !== own.port) return false;
  const host = plainHost(hostname);
  const at = plainHost(own.host);
  if (host === at) return true;
  // Whatever asks all addresses of this computer, or none, comes in at any of them.
  if (host === '0.0.0.0' || host === '::') return true;
  if (at !== '0.0.0.0' && at !== '::') return false;
  return host.startsWith('127.') || ownAddresses().has(host);
}

/** An address in its usual form; `localhost` and what stands for an IPv4 address as that. */
function plainHost(host: string): string {
  const bare = host.replace(/^\[|\]$/g, '').toLowerCase();
  if (bare === 'localhost' || bare === '::1') return '127.0.0.1';
  return ipaddr.isValid(bare) ? ipaddr.process(bare).toString() : bare;
}

const ownAddresses = (): ReadonlySet<string> =>
  new Set(Object.values(networkInterfaces()).flatMap((addresses) => addresses?.map((a) => plainHost(a.address)) ?? []));
