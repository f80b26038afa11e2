import { findServices, NODE_SERVICE, QUERY_SERVICE, registriesInOrder, type DiscoveryPlace } from './dns-sd';
import { NodesClient } from './nodes-client';
import { RegistryClient } from './registry-client';
import { together, type MakeSource } from './sources';

/** How the field is found: a registry that is known, one that is announced, nodes at known addresses, nodes that announce themselves. */
export interface FieldPlaces {
  /** Up to the port. */
  readonly registryUrl: string | null;
  /** Where registries and nodes are asked for by DNS-SD, where no registry is known. */
  readonly discovery: DiscoveryPlace | null;
  /** Nodes that are read by themselves, up to the port. */
  readonly nodeUrls: readonly string[];
}

/** Null: nothing is followed. */
export function sourceOf({ registryUrl, discovery, nodeUrls }: FieldPlaces): {
  /** What it is called where it is shown. */
  readonly name: string;
  readonly make: MakeSource;
} | null {
  const makes: MakeSource[] = [];
  const names: string[] = [];
  const asked = registryUrl === null ? discovery : null;
  if (registryUrl !== null) {
    names.push(registryUrl);
    makes.push((events, allows) => new RegistryClient(registryUrl, events, allows));
  } else if (asked !== null) {
    const where = asked.by === 'multicast' ? 'announced by multicast' : `announced in ${asked.domain}`;
    names.push(`the registry ${where}`);
    makes.push((events, allows) => new RegistryClient(() => registriesAt(asked), events, allows));
  }
  if (nodeUrls.length > 0)
    names.push(nodeUrls.length === 1 ? `the node at ${nodeUrls[0]}` : `${nodeUrls.length} nodes by address`);
  if (nodeUrls.length > 0 || asked !== null) {
    const urls = async () => [...nodeUrls, ...(asked === null ? [] : await nodesWithoutRegistry(asked))];
    makes.push((events, allows) => new NodesClient(urls, events, allows));
  }
  return makes.length === 0 ? null : { name: names.join(' and '), make: together(makes) };
}

const registriesAt = async (place: DiscoveryPlace): Promise<string[]> =>
  registriesInOrder(await findServices(QUERY_SERVICE, place));

/** IS-04, "Discovery: Peer to peer operation": nodes announce themselves for as long as there is no registry. */
async function nodesWithoutRegistry(place: DiscoveryPlace): Promise<string[]> {
  try {
    if ((await registriesAt(place)).length > 0) return [];
    return (await findServices(NODE_SERVICE, place)).map((s) => s.url);
  } catch {
    // The registry client tells that nobody answers; nodes at known addresses are read all the same.
    return [];
  }
}
