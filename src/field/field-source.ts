import {
  findServices,
  NODE_SERVICE,
  QUERY_SERVICE,
  registriesInOrder,
  type DiscoveryPlace,
  type Service,
} from './dns-sd';
import type { NodeList } from './node-list';
import { NodesClient } from './nodes-client';
import { RegistryClient } from './registry-client';
import { together, type MakeSource } from './sources';

/** How the field is found: a registry that is known, one that is announced, nodes at known addresses, nodes that announce themselves. */
interface SourcePlaces {
  /** Up to the port. */
  readonly registryUrl: string | null;
  /** Where registries and nodes are asked for by DNS-SD, where no registry is known. */
  readonly discovery: DiscoveryPlace | null;
  /** Nodes that are read by themselves. */
  readonly nodes: NodeList;
  /** By the addresses of which adapters it is asked by multicast where none is set; none: by that of the usual route. */
  readonly multicastFrom?: () => readonly string[];
}

/** What the places are called where they are shown; null: nothing is followed. */
export function nameOf({ registryUrl, discovery, nodes }: SourcePlaces): string | null {
  const names: string[] = [];
  if (registryUrl !== null) names.push(registryUrl);
  else if (discovery !== null) {
    names.push(
      `the registry ${discovery.by === 'multicast' ? 'announced by multicast' : `announced in ${discovery.domain}`}`,
    );
  }
  const urls = nodes.urls();
  if (urls.length > 0) names.push(urls.length === 1 ? `the node at ${urls[0]}` : `${urls.length} nodes by address`);
  return names.length === 0 ? null : names.join(' and ');
}

export function sourceOf(places: SourcePlaces): MakeSource {
  const { registryUrl, discovery, nodes, multicastFrom = () => [] } = places;
  const makes: MakeSource[] = [];
  const asked = registryUrl === null ? discovery : null;
  const find = (service: string) => (asked === null ? Promise.resolve([]) : findAt(service, asked, multicastFrom()));
  const registries = async () => registriesInOrder(await find(QUERY_SERVICE));
  if (registryUrl !== null) makes.push((events, allows) => new RegistryClient(registryUrl, events, allows));
  else if (asked !== null) makes.push((events, allows) => new RegistryClient(registries, events, allows));
  /** IS-04, "Discovery: Peer to peer operation": nodes announce themselves for as long as there is no registry. */
  const nodesWithoutRegistry = async (): Promise<string[]> => {
    if (asked === null) return [];
    try {
      return (await registries()).length > 0 ? [] : (await find(NODE_SERVICE)).map((s) => s.url);
    } catch {
      // The registry client tells that nobody answers; nodes at known addresses are read all the same.
      return [];
    }
  };
  const urls = async () => [...nodes.urls(), ...(await nodesWithoutRegistry())];
  makes.push((events, allows) => {
    const client = new NodesClient(urls, events, allows, (url, reading) => nodes.note(url, reading));
    nodes.onChange(() => client.readSoon());
    return client;
  });
  return together(makes);
}

/** By multicast on every adapter that is used: what one of them receives the others may not. */
async function findAt(service: string, place: DiscoveryPlace, from: readonly string[]): Promise<Service[]> {
  if (place.by !== 'multicast' || place.address !== null || from.length === 0) return findServices(service, place);
  const tried = await Promise.allSettled(from.map((address) => findServices(service, { by: 'multicast', address })));
  const heard = tried.flatMap((t) => (t.status === 'fulfilled' ? [t.value] : []));
  const [failed] = tried;
  if (heard.length === 0 && failed?.status === 'rejected') throw failed.reason;
  const byUrl = new Map(heard.flat().map((s) => [`${s.instance} ${s.url}`, s]));
  return [...byUrl.values()];
}
