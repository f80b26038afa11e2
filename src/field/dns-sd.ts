import { randomInt } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { getServers } from 'node:dns';
import packet, { type Answer } from 'dns-packet';
import makeMdns from 'multicast-dns';
import { QUERY_VERSIONS } from '../core/formats/is04-versions';

/**
 * Finding registries and nodes by DNS-SD (RFC 6763) as IS-04 has it ("Discovery"): `_nmos-query._tcp` for the Query API of registries,
 * `_nmos-node._tcp` for nodes that found none; by a name server or by multicast (RFC 6762).
 */

export const QUERY_SERVICE = '_nmos-query._tcp';
export const NODE_SERVICE = '_nmos-node._tcp';

/** Where services are asked for. */
export type DiscoveryPlace =
  | {
      readonly by: 'name-server';
      readonly domain: string;
      /** `10.20.0.2` or `10.20.0.2:5300`; empty: those of this computer. */
      readonly servers: readonly string[];
    }
  | {
      readonly by: 'multicast';
      /** The adapter; null: that of the usual route. */
      readonly address: string | null;
    };

/** `local`, `local@10.20.0.5`, `venue.example`, `venue.example@10.20.0.2`; null: none of these. */
export function parseDiscoveryPlace(text: string): DiscoveryPlace | null {
  const match = /^([a-z0-9-]+(?:\.[a-z0-9-]+)*)(?:@(\d{1,3}(?:\.\d{1,3}){3})(:\d{1,5})?)?$/i.exec(text.trim());
  if (match === null) return null;
  const [, domain = '', address = null, port = ''] = match;
  if (domain.toLowerCase() === 'local') return port === '' ? { by: 'multicast', address } : null;
  return { by: 'name-server', domain, servers: address === null ? [] : [`${address}${port}`] };
}

export interface Service {
  readonly instance: string;
  /** Up to the port. */
  readonly url: string;
  /** The lower first; 100 and more are registries that are being developed. Nodes have none. */
  readonly priority: number;
  readonly apiVersions: readonly string[];
}

/** What is found of a service, ready for use or not. */
interface Records {
  readonly instance: string;
  readonly host: string;
  readonly address: string | null;
  readonly port: number;
  readonly txt: Readonly<Record<string, string>>;
}

/** IS-04 TXT records: `api_proto`, `api_ver`, `pri`. What is missing has the meaning that it had before it was introduced. */
function serviceOf({ instance, host, address, port, txt }: Records): Service | null {
  const protocol = txt['api_proto'] ?? 'http';
  if (protocol !== 'http' && protocol !== 'https') return null;
  // A certificate is for a name, and a plain request needs none.
  const at = protocol === 'https' ? host.replace(/\.$/, '') : (address ?? host.replace(/\.$/, ''));
  const priority = /^\d{1,3}$/.test(txt['pri'] ?? '') ? Number(txt['pri']) : 0;
  const apiVersions = (txt['api_ver'] ?? 'v1.0').split(',').map((v) => v.trim());
  return { instance, url: `${protocol}://${at}:${port}`, priority, apiVersions };
}

/** Those of one service that are announced there now. What is announced half is left out. */
export async function findServices(service: string, place: DiscoveryPlace): Promise<Service[]> {
  const records =
    place.by === 'multicast' ? await byMulticast(service, place.address) : await byNameServer(service, place);
  return records.flatMap((r) => serviceOf(r) ?? []);
}

/**
 * The registries to follow, in order: those of production (IS-04: below 100) with a Query API that is read, the lowest priority first,
 * equal ones in the order of their names, so that this is the same every time.
 */
export function registriesInOrder(services: readonly Service[]): string[] {
  const usable = services.filter((s) => s.priority < 100 && QUERY_VERSIONS.some((v) => s.apiVersions.includes(v)));
  return usable.sort((a, b) => a.priority - b.priority || (a.instance < b.instance ? -1 : 1)).map((s) => s.url);
}

const NAME_SERVER_MS = 2_000;
const TRIES = 2;
const NO_SUCH_NAME = 3;

async function byNameServer(
  service: string,
  { domain, servers }: Extract<DiscoveryPlace, { by: 'name-server' }>,
): Promise<Records[]> {
  const ask = (name: string, type: 'PTR' | 'SRV' | 'TXT' | 'A') =>
    askServers(servers.length > 0 ? servers : getServers(), name, type);
  const name = `${service}.${domain}`;
  const answers = await ask(name, 'PTR');
  const asked = new Set<string>();
  // Instances first, then the hosts that they name.
  for (let missing = missingOf(name, answers); missing.length > 0; missing = missingOf(name, answers)) {
    const fresh = missing.filter((m) => !asked.has(`${m.name} ${m.type}`));
    if (fresh.length === 0) break;
    for (const m of fresh) asked.add(`${m.name} ${m.type}`);
    answers.push(...(await Promise.all(fresh.map((m) => ask(m.name, m.type)))).flat());
  }
  return recordsIn(name, answers);
}

/** The first of the servers that answers. Its "no such name" is an answer; that none answers is an error. */
async function askServers(
  servers: readonly string[],
  name: string,
  type: 'PTR' | 'SRV' | 'TXT' | 'A',
): Promise<Answer[]> {
  let last: unknown = new Error('this computer knows no name server');
  for (let n = 0; n < servers.length * TRIES; n += 1) {
    const [address = '', port = '53'] = (servers[n % servers.length] as string).split(':');
    try {
      return await askServer(address, Number(port), name, type);
    } catch (error) {
      last = error;
    }
  }
  throw last;
}

function askServer(address: string, port: number, name: string, type: 'PTR' | 'SRV' | 'TXT' | 'A'): Promise<Answer[]> {
  return new Promise((resolve, reject) => {
    const socket = createSocket('udp4');
    const id = randomInt(1, 65_536);
    const end = (finish: () => void) => {
      clearTimeout(timer);
      socket.close();
      finish();
    };
    const timer = setTimeout(
      () => end(() => reject(new Error(`the name server ${address}:${port} does not answer`))),
      NAME_SERVER_MS,
    );
    socket.on('error', (error) => end(() => reject(error)));
    socket.on('message', (data, from) => {
      if (from.address !== address || from.port !== port) return;
      let answer;
      try {
        answer = packet.decode(data);
      } catch {
        return; // No message of DNS: the answer may still come.
      }
      if (answer.id !== id || answer.type !== 'response') return;
      const code = (answer.flags ?? 0) & 0xf;
      if (code !== 0 && code !== NO_SUCH_NAME) {
        return end(() => reject(new Error(`the name server ${address}:${port} answers with code ${code}`)));
      }
      end(() => resolve([...(answer.answers ?? []), ...(answer.additionals ?? [])]));
    });
    const query = packet.encode({
      type: 'query',
      id,
      flags: packet.RECURSION_DESIRED,
      questions: [{ name, type }],
      // RFC 6891: an answer of many services fits in one message.
      additionals: [
        {
          type: 'OPT',
          name: '.',
          udpPayloadSize: 4096,
          flags: 0,
          options: [],
          ednsVersion: 0,
          extendedRcode: 0,
          flag_do: false,
        },
      ],
    });
    socket.send(query, port, address);
  });
}

function txtOf(entries: readonly string[]): Record<string, string> {
  return Object.fromEntries(
    entries.flatMap((entry) => {
      const at = entry.indexOf('=');
      return at < 1 ? [] : [[entry.slice(0, at).toLowerCase(), entry.slice(at + 1)]];
    }),
  );
}

/** How long answers to one question are collected: responders may wait for up to 120 ms each (RFC 6762 clause 6). */
const LISTEN_MS = 600;
const ASK_AGAIN_MS = 200;

function byMulticast(service: string, address: string | null): Promise<Records[]> {
  return new Promise((resolve, reject) => {
    const mdns = makeMdns({ loopback: true, bind: '0.0.0.0', ...(address === null ? {} : { interface: address }) });
    const answers: Answer[] = [];
    const name = `${service}.local`;
    const ask = () => {
      const missing = missingOf(name, answers);
      mdns.query([{ name, type: 'PTR' as const }, ...missing]);
    };
    mdns.on('response', (response) => answers.push(...response.answers, ...response.additionals));
    mdns.on('error', (error) => {
      mdns.destroy();
      reject(error);
    });
    mdns.on('ready', () => {
      ask();
      // What did not come along is asked for by name.
      const again = setInterval(ask, ASK_AGAIN_MS);
      setTimeout(() => {
        clearInterval(again);
        mdns.destroy();
        resolve(recordsIn(name, answers));
      }, LISTEN_MS);
    });
  });
}

const isSame = (a: string, b: string) => a.toLowerCase() === b.toLowerCase();

function instancesIn(name: string, answers: readonly Answer[]): string[] {
  const found = answers.flatMap((a) => (a.type === 'PTR' && isSame(a.name, name) ? [a.data] : []));
  return [...new Set(found)].slice(0, 256);
}

/** What is named and was not said: SRV and TXT of instances, the addresses of their hosts. */
function missingOf(name: string, answers: readonly Answer[]): { name: string; type: 'SRV' | 'TXT' | 'A' }[] {
  const has = (of: string, type: Answer['type']) => answers.some((a) => a.type === type && isSame(a.name, of));
  return instancesIn(name, answers).flatMap((instance) => {
    const srv = answers.find((a) => a.type === 'SRV' && isSame(a.name, instance));
    const target = srv?.type === 'SRV' ? srv.data.target : null;
    return [
      ...(srv === undefined ? [{ name: instance, type: 'SRV' as const }] : []),
      ...(has(instance, 'TXT') ? [] : [{ name: instance, type: 'TXT' as const }]),
      ...(target === null || has(target, 'A') ? [] : [{ name: target, type: 'A' as const }]),
    ];
  });
}

function recordsIn(name: string, answers: readonly Answer[]): Records[] {
  return instancesIn(name, answers).flatMap((instance): Records[] => {
    const srv = answers.find((a) => a.type === 'SRV' && isSame(a.name, instance));
    if (srv?.type !== 'SRV') return [];
    const { target, port } = srv.data;
    const a = answers.find((r) => r.type === 'A' && isSame(r.name, target));
    const txt = answers.find((r) => r.type === 'TXT' && isSame(r.name, instance));
    const entries = txt?.type !== 'TXT' ? [] : (Array.isArray(txt.data) ? txt.data : [txt.data]).map(String);
    return [{ instance, host: target, address: a?.type === 'A' ? a.data : null, port, txt: txtOf(entries) }];
  });
}
