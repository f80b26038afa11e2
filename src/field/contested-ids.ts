import { rawOf } from '../core/formats/raw';
import { requestJson } from './http-json';
import type { FieldResources } from './field-resources';
import type { ReachableHosts } from './reachable-hosts';

/** An address that still answers with an id that is registered elsewhere is asked again this often. */
const ASK_AGAIN_MS = 10_000;

/** Nodes whose id another one claims too: found where a node is said to have moved, and still answers where it was. */
export class ContestedIds {
  private readonly checks = new Set<NodeJS.Timeout>();

  constructor(
    private readonly registered: FieldResources,
    private readonly hosts: ReachableHosts,
    private readonly changed: (nodeId: string) => void,
  ) {}

  /** Whether a node answers at an address that it had before: then its id is contested, until that one answers no more. */
  async askWhoIsAt(nodeId: string, href: string): Promise<void> {
    const isSame = await nodeAt(href, this.hosts).catch(() => null);
    const node = this.registered.node(nodeId);
    if (node === undefined) return;
    const isContested = isSame === nodeId && node.href !== href;
    if (this.registered.setContested(nodeId, isContested)) this.changed(nodeId);
    if (!isContested) return;
    const again = setTimeout(() => {
      this.checks.delete(again);
      void this.askWhoIsAt(nodeId, href);
    }, ASK_AGAIN_MS);
    again.unref();
    this.checks.add(again);
  }

  stop(): void {
    for (const timer of this.checks) clearTimeout(timer);
  }
}

/** The id of the node that answers at the address of a Node API (IS-04); null: none does, or it is not talked to. */
async function nodeAt(href: string, hosts: ReachableHosts): Promise<string | null> {
  if (!hosts.allows(href)) return null;
  const { value } = await requestJson(`${href.replace(/\/$/, '')}/x-nmos/node/v1.3/self`);
  const id = rawOf(value)['id'];
  return typeof id === 'string' ? id : null;
}
