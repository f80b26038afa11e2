import ipaddr from 'ipaddr.js';
import { adapterFor, ownAdapters, type Adapter, type Network, type UsedAdapter } from './adapters';
import { leadsToDoor, type OwnDoor } from './own-door';
import { steadyNow } from './steady-clock';

/**
 * Which hosts are talked to. Registries and devices name addresses themselves, and whoever can register could point at anything this computer
 * reaches: so requests go to hosts of the plans, to those on the chosen networks, and to those that were allowed by name.
 */

/** Addresses that are no host's. */
const NO_HOSTS: ReadonlySet<string> = new Set(['unspecified', 'broadcast', 'multicast']);

const LOOPBACK: Network = '127.0.0.0/8';

interface ReachOptions {
  /** Null: those of the adapters that are used, and the loopback network where the registry is on it. */
  readonly networks: readonly Network[] | null;
  /** Names and addresses that are allowed besides, in small letters. */
  readonly names: readonly string[];
  /** The registry itself is always asked. */
  readonly registryUrl: string | null;
  /** Where this application itself answers. */
  readonly own: OwnDoor | null;
  /** What this computer has; it may change while it runs. Missing: as the operating system says. */
  readonly adapters?: () => readonly Adapter[];
}

/** So long an adapter that was plugged in may go unseen: there are many questions, and few answers change. */
const LOOK_AGAIN_MS = 2_000;

export class ReachableHosts {
  private readonly names: ReadonlySet<string>;
  /** By who names them: a plan, or a person at the page. */
  private readonly named = new Map<string, ReadonlySet<string>>();
  private readonly hasLoopback: boolean;
  /** The names of the adapters that are used; null: all. */
  private chosen: ReadonlySet<string> | null = null;
  private looked: { readonly at: number; readonly adapters: readonly UsedAdapter[] } | null = null;

  constructor(private readonly options: ReachOptions) {
    const registryHost = options.registryUrl === null ? null : hostOf(options.registryUrl);
    const isLocal = registryHost !== null && (registryHost.startsWith('127.') || registryHost === 'localhost');
    this.hasLoopback = options.networks?.some((n) => n.startsWith('127.')) ?? isLocal;
    this.names = new Set([...options.names, ...(registryHost === null ? [] : [registryHost])]);
  }

  /** The adapters by which devices can be reached; that of the loopback network only where they are looked for on it. */
  adapters(): readonly UsedAdapter[] {
    const now = steadyNow();
    if (this.looked === null || now - this.looked.at > LOOK_AGAIN_MS) {
      const all = (this.options.adapters ?? ownAdapters)().filter((a) => !a.isLoopback || this.hasLoopback);
      const isUsed = ({ name }: Adapter) => this.chosen === null || this.chosen.has(name);
      this.looked = { at: now, adapters: all.map((adapter) => ({ ...adapter, isUsed: isUsed(adapter) })) };
    }
    return this.looked.adapters;
  }

  /** Says by which adapters devices are talked to; null: by all. */
  choose(names: readonly string[] | null): void {
    this.chosen = names === null ? null : new Set(names);
    this.looked = null;
  }

  /**
   * Says which addresses a plan or a person names, as they are where the devices are. Returns whether that changed what is allowed.
   */
  setNamed(by: string, addresses: ReadonlySet<string>): boolean {
    const before = this.named.get(by);
    this.named.set(by, addresses);
    if (before === undefined) return addresses.size > 0;
    return before.size !== addresses.size || [...addresses].some((a) => !before.has(a));
  }

  /** Whether requests may go to an address such as `http://10.20.1.7:8080/x`. */
  allows(url: string): boolean {
    return this.refuses(url) === null;
  }

  /** As `allows`: why not. */
  refuses(url: string): Refusal | null {
    const host = hostOf(url);
    if (host === null) return 'no-address';
    if (leadsToDoor(this.options.own, url)) return 'this-server';
    if (this.names.has(host)) return null;
    if (!ipaddr.IPv4.isValidFourPartDecimal(host)) return 'name';
    const address = ipaddr.IPv4.parse(host);
    // 0.0.0.0 would lead to this computer, and nobody answers for a group.
    if (NO_HOSTS.has(address.range())) return 'no-address';
    const adapter = adapterFor(this.adapters(), host);
    if (adapter?.isUsed === false) return 'unused-adapter';
    for (const addresses of this.named.values()) if (addresses.has(host)) return null;
    const isOnNetwork = this.networks().some((n) => address.match(ipaddr.IPv4.parseCIDR(n)));
    return isOnNetwork ? null : 'other-network';
  }

  /** Why a person may not name this address; null: they may. It must be none of this computer's own services, unless devices are looked for there. */
  refusesToName(url: string): Refusal | null {
    const refused = this.refuses(url);
    if (refused !== 'other-network') return refused;
    return hostOf(url)?.startsWith('127.') === true ? refused : null;
  }

  private networks(): readonly Network[] {
    if (this.options.networks !== null) return this.options.networks;
    const ofAdapters = this.adapters().flatMap((a) => (a.isLoopback || !a.isUsed ? [] : [a.network]));
    const isLoopbackUsed = this.hasLoopback && this.adapters().every((a) => !a.isLoopback || a.isUsed);
    return isLoopbackUsed ? [...ofAdapters, LOOPBACK] : ofAdapters;
  }
}

/** Why requests do not go to an address. */
export type Refusal = 'no-address' | 'this-server' | 'name' | 'unused-adapter' | 'other-network';

/** The host of an HTTP or WebSocket address in its usual form; null: it is no such address. */
export function hostOf(url: string): string | null {
  if (!/^(https?|wss?):\/\//i.test(url) || !URL.canParse(url)) return null;
  return new URL(url).hostname.replace(/^\[|\]$/g, '').toLowerCase();
}
