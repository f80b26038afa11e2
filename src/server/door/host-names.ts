import { hostname, networkInterfaces } from 'node:os';
import { isLoopback, type Settings } from '../settings';

/**
 * Names under which this server answers. A page elsewhere can have its own name lead to this computer; a browser then takes what it receives for
 * that page's own. So a request that names another host than these is not answered.
 */
export function allowedNames({ host, names }: Pick<Settings, 'host' | 'names'>): ReadonlySet<string> {
  const own = hostname().toLowerCase();
  const addresses = Object.values(networkInterfaces()).flatMap((list) => (list ?? []).map((a) => a.address));
  const local = ['localhost', '127.0.0.1', '::1'];
  const reached = isLoopback(host) ? [] : [own, `${own}.local`, ...addresses];
  return new Set([...local, host, ...reached, ...names].map((name) => name.toLowerCase()));
}

/** The name in a Host header or an origin, without its port; null: it is none. */
export function nameIn(authority: string): string | null {
  const match = /^(?:\[([\da-f:.]+)\]|([a-z0-9._-]{1,253}))(?::\d{1,5})?$/i.exec(authority);
  return (match?.[1] ?? match?.[2])?.toLowerCase() ?? null;
}
