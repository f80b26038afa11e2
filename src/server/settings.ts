import { existsSync } from 'node:fs';
import { isIPv4 } from 'node:net';
import { join } from 'node:path';
import ipaddr from 'ipaddr.js';
import { parseAnnouncementPlaces, type AnnouncementPlace } from '../field/announcements';
import { parseDiscoveryPlace, type DiscoveryPlace } from '../field/dns-sd';
import { parseRtspUrl, type RtspPlace } from '../field/rtsp';
import type { TokenServer } from '../field/trust';
import { parseTranslation, type AddressTranslation } from '../field/binding';

/** Every setting there is, from the environment. One that is wrong, or that nobody knows, keeps the server from starting. */

export interface Settings {
  readonly port: number;
  /** The address that is listened on. */
  readonly host: string;
  /** Names under which people reach this server, besides those of this computer. */
  readonly names: readonly string[];
  readonly passPhrase: string | null;
  /** Files of the certificate and its key. */
  readonly tls: { readonly certFile: string; readonly keyFile: string } | null;
  readonly dataFolder: string;
  readonly logLevel: string;
  readonly logFile: string | null;
  /** Without a slash at its end. */
  readonly registryUrl: string | null;
  readonly discovery: DiscoveryPlace | null;
  /** Nodes that are read by themselves, without a slash at the end. */
  readonly nodeUrls: readonly string[];
  readonly ownRegistry: { readonly address: string; readonly port: number } | null;
  readonly networks: readonly string[] | null;
  readonly deviceHosts: readonly string[];
  /** The file of certificate authorities that devices, registries and the authorisation server are trusted by. */
  readonly authorityFile: string | null;
  readonly tokens: TokenServer | null;
  readonly translation: AddressTranslation | null;
  readonly restconfPort: number | null;
  readonly announcementPlaces: readonly AnnouncementPlace[];
  /** Senders that describe themselves when they are asked. */
  readonly describedAt: readonly RtspPlace[];
}

export interface SettingProblem {
  readonly name: string;
  readonly problem: string;
}

interface Declared {
  readonly name: string;
  /** What it is for, in docs/settings.md. */
  readonly what: string;
  readonly example: string;
}

export const SETTINGS: readonly Declared[] = [
  { name: 'PORT', what: 'The port to listen on; 3000 where it is not set.', example: '8443' },
  {
    name: 'JADE_HOST',
    what: 'The address to listen on; 127.0.0.1 where it is not set. Any other needs a pass phrase and a certificate.',
    example: '10.20.0.5',
  },
  {
    name: 'JADE_NAMES',
    what: 'Names by which people reach the server, besides the names and addresses of this computer.',
    example: 'jade.venue.example',
  },
  { name: 'JADE_PASS_PHRASE', what: 'The pass phrase that everyone needs; 12 characters or more.', example: '…' },
  { name: 'JADE_TLS_CERT', what: 'The certificate, as a PEM file; with JADE_TLS_KEY.', example: '/etc/jade/cert.pem' },
  { name: 'JADE_TLS_KEY', what: 'Its private key, as a PEM file.', example: '/etc/jade/key.pem' },
  {
    name: 'JADE_PLAIN_HTTP',
    what: '“yes” to listen beyond this computer without a certificate, where something in front has one.',
    example: 'yes',
  },
  { name: 'JADE_DATA', what: 'The folder of the database; `data` where it is not set.', example: '/var/lib/jade' },
  { name: 'JADE_LOG', what: 'How much is logged: trace, debug, info, warn, error or silent.', example: 'warn' },
  {
    name: 'JADE_LOG_FILE',
    what: 'The log; `log/jade-lane` in the data folder where it is not set. A new file is begun at 10 MB, and nine older ones are kept. “none”: no file.',
    example: '/var/log/jade/jade-lane',
  },
  {
    name: 'JADE_REGISTRY',
    what: 'The IS-04 Query API to follow, up to its port. With none of this and the next three no devices are followed until a node is added at the page.',
    example: 'http://10.20.0.2:8870',
  },
  {
    name: 'JADE_DNS_SD',
    what: 'Where the registry is looked up (DNS-SD): a domain, with the name server behind @ where it is not that of this computer; “local”, with the adapter behind @, by multicast. Where none is announced, nodes that announce themselves are read.',
    example: 'venue.example@10.20.0.2',
  },
  {
    name: 'JADE_NODES',
    what: 'Nodes that are read directly, for devices in no registry. Others can be added at the page.',
    example: 'http://10.20.0.31:80',
  },
  {
    name: 'JADE_OWN_REGISTRY',
    what: 'The address and port on which this server runs a registry itself and follows it; announced there by multicast DNS-SD. Every device of that network can register.',
    example: '10.20.0.5:8870',
  },
  {
    name: 'JADE_NETWORKS',
    what: 'The networks on which devices are contacted; those of this computer’s adapters where it is not set. The addresses of the plans are always contacted.',
    example: '10.20.0.0/16,10.21.0.0/16',
  },
  {
    name: 'JADE_DEVICE_HOSTS',
    what: 'Names and addresses of other devices that are contacted.',
    example: 'gateway.venue.example',
  },
  {
    name: 'JADE_FIELD_CA',
    what: 'Certificates of the authority that registries and devices have theirs from, as a PEM file, beside the usual ones.',
    example: '/etc/jade/venue-ca.pem',
  },
  {
    name: 'JADE_TOKEN_URL',
    what: 'The token address of the authorisation server (IS-10, client credentials); with JADE_TOKEN_CLIENT and JADE_TOKEN_SECRET. They go with requests by HTTPS alone.',
    example: 'https://auth.venue.example/token',
  },
  { name: 'JADE_TOKEN_CLIENT', what: 'The name by which this server is known there.', example: 'jade-lane' },
  { name: 'JADE_TOKEN_SECRET', what: 'Its secret.', example: '…' },
  {
    name: 'JADE_TRANSLATE',
    what: 'How addresses of the plans look where the devices are.',
    example: '10.=127.',
  },
  {
    name: 'JADE_RESTCONF_PORT',
    what: 'The port on which switches answer RESTCONF. Not set: they are not asked.',
    example: '443',
  },
  {
    name: 'JADE_SAP',
    what: 'Addresses of adapters on which session announcements are listened for. Not set: on those alone that are chosen at the page.',
    example: '10.20.0.5',
  },
  {
    name: 'JADE_RTSP',
    what: 'Sessions of senders that describe themselves only when they are asked (RTSP); they are heard and never written.',
    example: 'rtsp://10.20.0.40/by-name/main',
  },
];

/** Settings of the demo's stand-ins, which the application itself does not read. */
export const DEMO_SETTINGS: readonly Declared[] = [
  {
    name: 'JADE_REGISTRY_PORT',
    what: 'The port of the simulated registry; 8870 where it is not set.',
    example: '8870',
  },
  { name: 'JADE_PANEL_PORT', what: 'The port of the front panels; 8871 where it is not set.', example: '8871' },
  { name: 'JADE_DEVICE_PORT', what: 'The port of the simulated devices; 8080 where it is not set.', example: '8080' },
  { name: 'JADE_SAP_PORT', what: 'The port of the simulated announcers; 9875 where it is not set.', example: '9875' },
];

const LEVELS = ['trace', 'debug', 'info', 'warn', 'error', 'silent'];
export const PASS_PHRASE_MIN = 12;

export const isLoopback = (address: string): boolean =>
  address === 'localhost' || address === '::1' || address.startsWith('127.');

type Environment = Readonly<Record<string, string | undefined>>;

/** Reads all settings; tells everything that is wrong at once. */
export function readSettings(environment: Environment, folder: string): Settings | readonly SettingProblem[] {
  const problems: SettingProblem[] = [];
  const wrong = (name: string, problem: string) => {
    problems.push({ name, problem });
    return null;
  };
  const text = (name: string): string | null => environment[name]?.trim() || null;
  const port = (name: string): number | null => {
    const value = text(name);
    if (value === null) return null;
    const isPort = /^\d{1,5}$/.test(value) && Number(value) >= 1 && Number(value) <= 65_535;
    return isPort ? Number(value) : wrong(name, `“${value}” is not a port: 1 to 65535`);
  };
  const list = (name: string): string[] =>
    (text(name) ?? '')
      .split(',')
      .map((part) => part.trim().toLowerCase())
      .filter((part) => part !== '');
  const hostList = (name: string): string[] =>
    list(name).filter(
      (host) => /^[a-z0-9._:-]{1,253}$/.test(host) || wrong(name, `“${host}” is not the name of a host`),
    );

  const known = new Set([...SETTINGS, ...DEMO_SETTINGS].map((s) => s.name));
  for (const name of Object.keys(environment)) {
    if (name.startsWith('JADE_') && !known.has(name)) wrong(name, 'there is no such setting');
  }
  const host = text('JADE_HOST') ?? '127.0.0.1';
  const passPhrase = text('JADE_PASS_PHRASE');
  if (passPhrase !== null && passPhrase.length < PASS_PHRASE_MIN) {
    wrong('JADE_PASS_PHRASE', `shorter than ${PASS_PHRASE_MIN} characters`);
  }
  const certFile = text('JADE_TLS_CERT');
  const keyFile = text('JADE_TLS_KEY');
  if (certFile !== null && keyFile === null) wrong('JADE_TLS_KEY', 'the certificate has no key: set both');
  if (certFile === null && keyFile !== null) wrong('JADE_TLS_CERT', 'the key has no certificate: set both');
  if (!isLoopback(host)) {
    if (passPhrase === null)
      wrong('JADE_PASS_PHRASE', `needed to listen on ${host}: everybody there could change plans`);
    if (certFile === null && text('JADE_PLAIN_HTTP') !== 'yes') {
      wrong('JADE_TLS_CERT', `needed to listen on ${host}, or JADE_PLAIN_HTTP=yes where something in front has one`);
    }
  }
  const logLevel = text('JADE_LOG') ?? 'info';
  if (!LEVELS.includes(logLevel)) wrong('JADE_LOG', `“${logLevel}” is none of ${LEVELS.join(', ')}`);
  const registryUrl = text('JADE_REGISTRY')?.replace(/\/+$/, '') ?? null;
  if (registryUrl !== null && !isPlainUrl(registryUrl)) {
    wrong('JADE_REGISTRY', `“${registryUrl}” is not of the form http://10.20.0.2:8870`);
  }
  const discovery = parseDiscoveryPlace(text('JADE_DNS_SD') ?? '');
  if (text('JADE_DNS_SD') !== null && discovery === null) {
    wrong('JADE_DNS_SD', 'not of the form venue.example, venue.example@10.20.0.2, local or local@10.20.0.5');
  }
  const nodeUrls = list('JADE_NODES').map((url) => url.replace(/\/+$/, ''));
  for (const url of nodeUrls) {
    if (!isPlainUrl(url)) wrong('JADE_NODES', `“${url}” is not of the form http://10.20.0.31:80`);
  }
  const ownRegistry = addressAndPort(text('JADE_OWN_REGISTRY'));
  if (text('JADE_OWN_REGISTRY') !== null && ownRegistry === null) {
    wrong('JADE_OWN_REGISTRY', 'not of the form 10.20.0.5:8870');
  }
  if (ownRegistry !== null && registryUrl !== null) {
    wrong('JADE_OWN_REGISTRY', 'JADE_REGISTRY names another registry to follow: set one of the two');
  }
  const authorityFile = text('JADE_FIELD_CA');
  if (authorityFile !== null && !existsSync(/* turbopackIgnore: true */ authorityFile)) {
    wrong('JADE_FIELD_CA', `there is no file ${authorityFile}`);
  }
  const tokenUrl = text('JADE_TOKEN_URL');
  const [clientId, secret] = [text('JADE_TOKEN_CLIENT'), text('JADE_TOKEN_SECRET')];
  if (tokenUrl !== null && (!isPlainUrl(tokenUrl) || !tokenUrl.startsWith('https:'))) {
    wrong('JADE_TOKEN_URL', 'not of the form https://auth.venue.example/token');
  }
  if ([tokenUrl, clientId, secret].some((t) => t !== null) && [tokenUrl, clientId, secret].includes(null)) {
    wrong('JADE_TOKEN_URL', 'JADE_TOKEN_URL, JADE_TOKEN_CLIENT and JADE_TOKEN_SECRET go together: set all three');
  }
  const networks = text('JADE_NETWORKS') === null ? null : list('JADE_NETWORKS');
  for (const network of networks ?? []) {
    if (!ipaddr.IPv4.isValidCIDR(network)) wrong('JADE_NETWORKS', `“${network}” is not a network such as 10.20.0.0/16`);
  }
  const translation = parseTranslation(text('JADE_TRANSLATE') ?? undefined);
  if (text('JADE_TRANSLATE') !== null && translation === null) {
    wrong('JADE_TRANSLATE', 'not of the form 10.=127.');
  }
  const announcementPlaces = parseAnnouncementPlaces(text('JADE_SAP') ?? undefined);
  if (announcementPlaces.length !== list('JADE_SAP').length || announcementPlaces.some((p) => !isIPv4(p.address))) {
    wrong('JADE_SAP', 'not addresses of adapters such as 10.20.0.5, with commas between');
  }
  const rtspUrls = (text('JADE_RTSP') ?? '').split(',').filter((url) => url.trim() !== '');
  const describedAt = rtspUrls.flatMap((url) => parseRtspUrl(url) ?? []);
  if (describedAt.length !== rtspUrls.length) {
    wrong('JADE_RTSP', 'not addresses such as rtsp://10.20.0.40/by-name/main, with commas between');
  }
  const dataFolder = text('JADE_DATA') ?? join(folder, 'data');
  const logFile = text('JADE_LOG_FILE') ?? join(dataFolder, 'log', 'jade-lane');
  const settings: Settings = {
    port: port('PORT') ?? 3000,
    host,
    names: hostList('JADE_NAMES'),
    passPhrase,
    tls: certFile !== null && keyFile !== null ? { certFile, keyFile } : null,
    dataFolder,
    logLevel,
    logFile: logFile === 'none' ? null : logFile,
    registryUrl: ownRegistry === null ? registryUrl : `http://${ownRegistry.address}:${ownRegistry.port}`,
    discovery,
    nodeUrls,
    ownRegistry,
    networks,
    deviceHosts: hostList('JADE_DEVICE_HOSTS'),
    authorityFile,
    tokens: tokenUrl === null || clientId === null || secret === null ? null : { url: tokenUrl, clientId, secret },
    translation,
    restconfPort: port('JADE_RESTCONF_PORT'),
    announcementPlaces,
    describedAt,
  };
  return problems.length > 0 ? problems : settings;
}

function addressAndPort(text: string | null): { address: string; port: number } | null {
  const [address = '', port = '', ...more] = (text ?? '').split(':');
  const isSound = isIPv4(address) && /^\d{1,5}$/.test(port) && Number(port) >= 1 && Number(port) <= 65_535;
  return isSound && more.length === 0 ? { address, port: Number(port) } : null;
}

const isPlainUrl = (text: string): boolean => {
  if (!/^https?:\/\//.test(text) || !URL.canParse(text)) return false;
  const { username, password, search, hash } = new URL(text);
  return username === '' && password === '' && search === '' && hash === '';
};

/** The settings of this process. Those that are wrong were reported at the start. */
export function settings(): Settings {
  const read = readSettings(process.env, process.cwd());
  if ('length' in read) {
    throw new Error(`wrong settings: ${read.map((p) => `${p.name}: ${p.problem}`).join('; ')}`);
  }
  return read;
}
