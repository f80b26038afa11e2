import type { FollowedPath } from '../core/formats/is04';
import type { Raw } from '../core/formats/raw';

/** Where resources of IS-04 come from: a registry, or nodes that are read one by one. */

export interface SourceEvents {
  /** Some of what there is of one kind: a page of a full read. @param from who reported it, as its address */
  page(path: FollowedPath, resources: readonly Raw[], from: string): void;
  /** A full read of one kind is through: what is not among these ids is gone. */
  full(path: FollowedPath, ids: ReadonlySet<string>): void;
  changed(path: FollowedPath, id: string, post: Raw | null, from: string): void;
  connected(): void;
  /** @param reason empty: there is nothing to connect to, and that is no fault */
  disconnected(reason: string): void;
}

export interface FieldSource {
  start(): void;
  stop(): void;
  /** Reads everything again. */
  readAll(): Promise<void>;
  /** Everything of every kind. */
  resources(): Promise<Record<string, readonly Raw[]>>;
}

/** Makes a source that tells of what it finds. @param allows whether requests may go to an address that is named by others */
export type MakeSource = (events: SourceEvents, allows: (url: string) => boolean) => FieldSource;

/** Several sources as one: what any of them has is there, and it is connected while any of them is. */
export function together(makes: readonly MakeSource[]): MakeSource {
  if (makes.length === 1) return makes[0] as MakeSource;
  return (events, allows) => {
    /** What each has of each kind. Changed in place: a registry tells of thousands of changes, and of some kinds it has tens of thousands. */
    const idsOf = makes.map(() => new Map<FollowedPath, Set<string>>());
    // Null: it is connected. Empty: it has nothing to connect to, or nothing to say yet.
    const reasons: (string | null)[] = makes.map(() => '');
    const sources = makes.map((make, n) =>
      make(
        {
          page: (path, resources, from) => events.page(path, resources, from),
          full: (path, ids) => {
            idsOf[n]?.set(path, new Set(ids));
            // What another source has not read yet it may have too: nothing of it is gone.
            if (idsOf.some((own, m) => !own.has(path) && reasons[m] === null)) return;
            const others = idsOf.filter((own, m) => m !== n && (own.get(path)?.size ?? 0) > 0);
            events.full(path, others.length === 0 ? ids : new Set(idsOf.flatMap((own) => [...(own.get(path) ?? [])])));
          },
          changed: (path, id, post, from) => {
            const own = idsOf[n]?.get(path) ?? new Set();
            if (post === null) own.delete(id);
            else own.add(id);
            idsOf[n]?.set(path, own);
            if (post !== null || !idsOf.some((ids) => ids.get(path)?.has(id))) events.changed(path, id, post, from);
          },
          connected: () => {
            reasons[n] = null;
            events.connected();
          },
          disconnected: (reason) => {
            reasons[n] = reason;
            if (reasons.every((r) => r !== null)) events.disconnected(reasons.filter((r) => r !== '').join('; '));
          },
        },
        allows,
      ),
    );
    return {
      start: () => sources.forEach((s) => s.start()),
      stop: () => sources.forEach((s) => s.stop()),
      readAll: async () => void (await Promise.all(sources.map((s) => s.readAll()))),
      resources: async () => {
        const all = await Promise.all(sources.map((s) => s.resources()));
        const paths = new Set(all.flatMap((one) => Object.keys(one)));
        return Object.fromEntries([...paths].map((path) => [path, all.flatMap((one) => one[path] ?? [])]));
      },
    };
  };
}
