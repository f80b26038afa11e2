import { nodeUrlOf } from '../field/node-address';
import type { Refusal } from '../field/reachable-hosts';
import type { Author, FieldPlaces, NodeByAddress } from './messages';
import { RequestProblem } from './problem';
import { serverState } from './state';

/** Device discovery: what was set at the start, and what people say at the page. */

export function readFieldPlaces(): FieldPlaces {
  const { places, follower } = serverState();
  const { nodes } = places;
  const stateOf = (url: string): Pick<NodeByAddress, 'reading' | 'refusal'> => ({
    reading: nodes.reading(url),
    refusal: wordsOf(places.refusesToAsk(url)),
  });
  const snapshot = follower?.snapshot() ?? null;
  return {
    followed:
      snapshot === null
        ? null
        : {
            name: snapshot.registryUrl,
            isConnected: snapshot.isConnected,
            because: snapshot.isConnected ? null : snapshot.disconnectedBecause,
          },
    nodes: [
      ...nodes.fixed.map((url) => ({ url, by: null, at: null, ...stateOf(url) })),
      ...places
        .typed()
        .filter((row) => !nodes.fixed.includes(row.value))
        .map((row) => ({ url: row.value, by: row.authorName, at: row.at, ...stateOf(row.value) })),
    ],
    adapters: places.adapters().map(({ name, address, network, isUsed }) => ({ name, address, network, isUsed })),
    chosenBy: places.chosenBy(),
  };
}

/** So many nodes by address: where there are more of them a registry is what is missing. */
const NODES_MAX = 256;

/** Has a node read by its address from now on. It need not answer yet. */
export function addNodeByAddress(author: Author, typed: string): FieldPlaces {
  const { places } = serverState();
  const url = nodeUrlOf(typed);
  if (url === null) {
    throw new RequestProblem(
      400,
      'invalid',
      'address is not of the form 10.20.0.31 or http://10.20.0.31:8080.',
      'address',
    );
  }
  const refusal = places.refusesToAdd(url);
  if (refusal !== null) {
    throw new RequestProblem(409, 'not-allowed', `${url} is not asked: ${REFUSALS[refusal]}.`, 'address');
  }
  if (places.nodes.urls().includes(url)) {
    throw new RequestProblem(409, 'known', `${url} is among them already.`, 'address');
  }
  if (places.nodes.urls().length >= NODES_MAX) {
    throw new RequestProblem(409, 'too-many', `At most ${NODES_MAX} nodes are read by address.`, 'address');
  }
  places.add(url, author.name, Date.now());
  return readFieldPlaces();
}

/** A node that is set at the start stays: only its setting takes it out. */
export function removeNodeByAddress(url: string): FieldPlaces {
  if (!serverState().places.remove(url)) {
    throw new RequestProblem(404, 'no-node', 'No such node was added.', 'address');
  }
  return readFieldPlaces();
}

/** @param names null: all adapters, those that are plugged in later too */
export function chooseAdapters(author: Author, names: readonly string[] | null): FieldPlaces {
  const { places } = serverState();
  const known = new Set(places.adapters().map((a) => a.name));
  for (const [n, name] of (names ?? []).entries()) {
    if (known.has(name)) continue;
    throw new RequestProblem(409, 'no-adapter', `The server has no adapter ${name} now.`, `names[${n}]`);
  }
  places.choose(names === null ? null : [...new Set(names)], author.name, Date.now());
  return readFieldPlaces();
}

/** Why a node by address is not asked, in words. */
const REFUSALS: Readonly<Record<Refusal, string>> = {
  'no-address': 'it is not the address of a node',
  'this-server': 'it is this server itself',
  name: 'names are used only if the setting JADE_DEVICE_HOSTS has them; enter its address',
  'unused-adapter': 'its network is on an adapter that is not used',
  'other-network': 'it is outside the networks that are used',
};

const wordsOf = (refusal: Refusal | null): string | null => (refusal === null ? null : REFUSALS[refusal]);
