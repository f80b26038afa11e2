import { problemsOfResource } from '../core/formats/is04-rules';
import { asVersion12 } from '../core/formats/is04-versions';
import type { Raw } from '../core/formats/raw';

/** Resources as nodes register them, and as a query shows them. */

export const RESOURCE_TYPES = ['node', 'device', 'source', 'flow', 'sender', 'receiver'] as const;
export type ResourceType = (typeof RESOURCE_TYPES)[number];
export type Resource = { readonly id: string; readonly version: string; readonly [key: string]: unknown };

/** A resource as it is registered. */
export interface Registered {
  readonly type: ResourceType;
  readonly apiVersion: Version;
  resource: Resource;
  readonly createdAt: bigint;
  updatedAt: bigint;
}

/**
 * What nodes may register with and others may ask with. A query shows what came with an earlier version only where it asks for that; what came with a
 * later one it shows as its own version has it.
 */
export const VERSIONS = ['v1.2', 'v1.3'] as const;
export type Version = (typeof VERSIONS)[number];

export const QUERY = '/x-nmos/query';

/** IS-04 Query API, `query.downgrade`: an earlier version than the one asked with, or that one. */
export const isDowngrade = (downgrade: string | null, version: Version): boolean =>
  downgrade === null || (/^v1\.[0-3]$/.test(downgrade) && downgrade <= version);

/**
 * A resource as a query of this version shows it; null: it does not. What was registered with an earlier one is shown down to `downgrade`, as it is. What
 * was registered with a later one is shown as this one has it, where that can be said in it.
 */
export function shownAs(
  { type, apiVersion, resource }: Pick<Registered, 'type' | 'apiVersion' | 'resource'>,
  version: Version,
  downgrade: string | null,
): Resource | null {
  if (apiVersion === version) return resource;
  if (apiVersion < version) return downgrade !== null && apiVersion >= downgrade ? resource : null;
  const earlier = asVersion12(type, resource as Raw) as Resource;
  return problemsOfResource(type, earlier as Raw, 'v1.2').length === 0 ? earlier : null;
}

/** Basic queries: every named attribute equals the text; dots go into objects, and a list matches by any of its items. */
export function matches(resource: Resource, filters: readonly (readonly [string, string])[]): boolean {
  return filters.every(([key, wanted]) => {
    let values: unknown[] = [resource];
    for (const part of key.split('.')) {
      values = values.flatMap((v) => {
        if (typeof v !== 'object' || v === null) return [];
        const next = (v as Record<string, unknown>)[part];
        return Array.isArray(next) ? (next as unknown[]) : [next];
      });
    }
    return values.some((v) => String(v) === wanted);
  });
}
