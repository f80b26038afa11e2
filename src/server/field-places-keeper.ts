import type { NodeList } from '../field/node-list';
import { hostOf, type ReachableHosts, type Refusal } from '../field/reachable-hosts';
import type { UsedAdapter } from '../field/adapters';
import type { FieldPlaceRow, FieldPlaceStore } from '../store/field-place-store';

/** What is passed on when people change where devices are looked for; what is missing stays as it is. */
interface PlacesChange {
  /** The hosts that people named: they are talked to. */
  readonly hosts?: ReadonlySet<string>;
  /** The names of the adapters that are used; null: all. */
  readonly adapters?: readonly string[] | null;
}

/** Keeps where people said that devices are looked for, beyond what was set at the start, and sees that it is done. */
export class FieldPlacesKeeper {
  constructor(
    private readonly store: FieldPlaceStore,
    readonly nodes: NodeList,
    private readonly hosts: ReachableHosts,
    private readonly changed: (change: PlacesChange) => void,
  ) {}

  /** Takes up what was said before the server was started. */
  begin(): void {
    this.useNodes();
    this.useAdapters();
  }

  typed(): readonly FieldPlaceRow[] {
    return this.store.all('node');
  }

  /** Why a node at this address may not be typed in; null: it may. */
  refusesToAdd(url: string): Refusal | null {
    return this.hosts.refusesToName(url);
  }

  /** Why a node that was typed in is not asked: its adapter may have been put aside since. Null: it is. */
  refusesToAsk(url: string): Refusal | null {
    return this.hosts.refuses(url);
  }

  add(url: string, authorName: string, at: number): void {
    this.store.add({ kind: 'node', value: url, authorName, at });
    this.useNodes();
  }

  /** Returns whether it was there. */
  remove(url: string): boolean {
    const wasThere = this.store.remove('node', url);
    if (wasThere) this.useNodes();
    return wasThere;
  }

  adapters(): readonly UsedAdapter[] {
    return this.hosts.adapters();
  }

  /** Who chose adapters; null: nobody, all are used. */
  chosenBy(): { readonly name: string; readonly at: number } | null {
    const [first] = this.store.all('adapter');
    return first === undefined ? null : { name: first.authorName, at: first.at };
  }

  /** @param names null: all, those that are plugged in later too */
  choose(names: readonly string[] | null, authorName: string, at: number): void {
    this.store.replace(
      'adapter',
      (names ?? []).map((value) => ({ value, authorName, at })),
    );
    this.useAdapters();
  }

  /** The addresses of the adapters that people chose; none: they chose none. */
  usedAddresses(): readonly string[] {
    if (this.store.all('adapter').length === 0) return [];
    return this.adapters().flatMap((a) => (a.isUsed ? [a.address] : []));
  }

  private useNodes(): void {
    const urls = this.typed().map((row) => row.value);
    this.changed({ hosts: new Set(urls.flatMap((url) => hostOf(url) ?? [])) });
    this.nodes.setTyped(urls);
  }

  private useAdapters(): void {
    const names = this.store.all('adapter').map((row) => row.value);
    this.changed({ adapters: names.length === 0 ? null : names });
  }
}
