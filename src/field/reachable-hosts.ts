import { networkInterfaces } from 'node:os';
import ipaddr from 'ipaddr.js';

/**
 * Which hosts are talked to. Registries and devices name addresses themselves, and whoever can register could point at anything this computer
 * reaches: so requests go to hosts of the plans, to those on the chosen networks, and to those that were allowed by name.
 */

/** IPv4 networks as `10.20.0.0/16`. */
export type Network = string;

/** The IPv4 networks of this computer's adapters; its loopback network is left out. */
export function ownNetworks(): Network[] {
  return Object.values(networkInterfaces())
    .flatMap((addresses) => addresses ?? [])
    .filter((a) => a.family === 'IPv4' && !a.internal && a.cidr !== null)
    .map((a) => a.cidr as string);
}

const LOOPBACK: Network = '127.0.0.0/8';

export interface ReachOptions {
  /** Null: those of this computer's adapters, and its loopback network where the registry is on it. */
  readonly networks: readonly Network[] | null;
  /** Names and addresses that are allowed besides, in small letters. */
  readonly names: readonly string[];
  /** The registry itself is always asked. */
  readonly registryUrl: string | null;
  /** The port on which this application itself answers: devices have no business there. */
  readonly ownPort: number | null;
}

export class ReachableHosts {
  private readonly networks: readonly [ipaddr.IPv4, number][];
  private readonly names: ReadonlySet<string>;
  private readonly ofPlans = new Map<string, ReadonlySet<string>>();

  constructor(private readonly options: ReachOptions) {
    const registryHost = options.registryUrl === null ? null : hostOf(options.registryUrl);
    const isLocal = registryHost !== null && (registryHost.startsWith('127.') || registryHost === 'localhost');
    const networks = options.networks ?? [...ownNetworks(), ...(isLocal ? [LOOPBACK] : [])];
    this.networks = networks.map((n) => ipaddr.IPv4.parseCIDR(n));
    this.names = new Set([...options.names, ...(registryHost === null ? [] : [registryHost])]);
  }

  /**
   * Says which addresses a plan has, as they are where the devices are. Returns whether that changed what is allowed.
   */
  setPlan(planId: string, addresses: ReadonlySet<string>): boolean {
    const before = this.ofPlans.get(planId);
    this.ofPlans.set(planId, addresses);
    if (before === undefined) return addresses.size > 0;
    return before.size !== addresses.size || [...addresses].some((a) => !before.has(a));
  }

  /** Whether requests may go to an address such as `http://10.20.1.7:8080/x`. */
  allows(url: string): boolean {
    const host = hostOf(url);
    if (host === null) return false;
    if (this.isOwn(url, host)) return false;
    if (this.names.has(host)) return true;
    if (!ipaddr.IPv4.isValidFourPartDecimal(host)) return false;
    for (const addresses of this.ofPlans.values()) if (addresses.has(host)) return true;
    const address = ipaddr.IPv4.parse(host);
    return this.networks.some(([network, prefix]) => address.match(network, prefix));
  }

  private isOwn(url: string, host: string): boolean {
    const { ownPort } = this.options;
    return ownPort !== null && new URL(url).port === String(ownPort) && isThisComputer(host);
  }
}

/** The host of an HTTP or WebSocket address in its usual form; null: it is no such address. */
export function hostOf(url: string): string | null {
  if (!/^(https?|wss?):\/\//i.test(url) || !URL.canParse(url)) return null;
  return new URL(url).hostname.replace(/^\[|\]$/g, '').toLowerCase();
}

function isThisComputer(host: string): boolean {
  if (host === 'localhost' || host === '::1' || host === '127.0.0.1' || host === '0.0.0.0') return true;
  return Object.values(networkInterfaces()).some((addresses) => addresses?.some((a) => a.address === host));
}
