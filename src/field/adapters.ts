import { networkInterfaces } from 'node:os';
import ipaddr from 'ipaddr.js';

/** The network adapters of this computer: where devices can be reached without a router. */

/** IPv4 networks as `10.20.0.0/16`. */
export type Network = string;

export interface Adapter {
  /** As the operating system has it. */
  readonly name: string;
  /** Its own address on that network. */
  readonly address: string;
  readonly network: Network;
  /** It reaches this computer alone. */
  readonly isLoopback: boolean;
}

/** An adapter, and whether devices are talked to by it. */
export interface UsedAdapter extends Adapter {
  readonly isUsed: boolean;
}

/** Every IPv4 address of every adapter; an adapter with several of them comes several times. */
export function ownAdapters(): Adapter[] {
  return Object.entries(networkInterfaces()).flatMap(([name, addresses]) =>
    (addresses ?? []).flatMap(({ family, address, cidr, internal }) => {
      if (family !== 'IPv4' || cidr === null) return [];
      const [network, prefix] = ipaddr.IPv4.parseCIDR(cidr);
      return [{ name, address, network: blockText(network, prefix), isLoopback: internal }];
    }),
  );
}

const blockText = (address: ipaddr.IPv4, prefix: number): Network =>
  `${ipaddr.IPv4.networkAddressFromCIDR(`${address.toString()}/${prefix}`).toString()}/${prefix}`;

/** The one by which an address is reached without a router: that of the narrowest network; null: there is none. */
export function adapterFor<A extends Adapter>(adapters: readonly A[], address: string): A | null {
  if (!ipaddr.IPv4.isValidFourPartDecimal(address)) return null;
  const host = ipaddr.IPv4.parse(address);
  let best: { adapter: A; prefix: number } | null = null;
  for (const adapter of adapters) {
    const [network, prefix] = ipaddr.IPv4.parseCIDR(adapter.network);
    if (host.match(network, prefix) && (best === null || prefix > best.prefix)) best = { adapter, prefix };
  }
  return best?.adapter ?? null;
}

/** Whether any host of a network is reached by the adapter without a router. */
export function seesNetwork(adapter: Adapter, network: Network): boolean {
  const [own, prefix] = ipaddr.IPv4.parseCIDR(adapter.network);
  const [other, otherPrefix] = ipaddr.IPv4.parseCIDR(network);
  return prefix <= otherPrefix ? other.match(own, prefix) : own.match(other, otherPrefix);
}
