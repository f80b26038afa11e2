import { rawList, rawOf, type Raw } from './raw';
import type { ResourceKind } from './is04-rules';

/** Versions of the Query API of IS-04 that are read, the newest first. Before v1.1 devices do not tell how they are controlled. */
export const QUERY_VERSIONS = ['v1.3', 'v1.2', 'v1.1'] as const;
export type QueryVersion = (typeof QUERY_VERSIONS)[number];

/** The versions in the answer of an API to what it offers: `["v1.2/", "v1.3/"]`. */
export const offeredVersions = (answer: unknown): string[] =>
  (Array.isArray(answer) ? answer : []).map((version) => String(version).replace(/\/$/, ''));

const without = (raw: unknown, ...names: readonly string[]): Raw =>
  Object.fromEntries(Object.entries(rawOf(raw)).filter(([name]) => !names.includes(name)));

/** The list in a field with something done to each of its items; what is no list stays as it is. */
const eachIn = (raw: Raw, name: string, change: (item: unknown) => Raw): Raw =>
  Array.isArray(raw[name]) ? { [name]: rawList(raw[name]).map(change) } : {};

/**
 * A resource of IS-04 v1.3 as v1.2 has it ("Upgrade path": a Query API of an earlier version leaves out what that version does not have): without
 * what tells of authorisation, of the switch that an interface is plugged into, and of events.
 */
export function asVersion12(kind: ResourceKind, raw: Raw): Raw {
  const unauthorised = (item: unknown) => without(item, 'authorization');
  switch (kind) {
    case 'node': {
      const api = rawOf(raw['api']);
      return {
        ...raw,
        ...eachIn(raw, 'services', unauthorised),
        ...eachIn(raw, 'interfaces', (item) => without(item, 'attached_network_device')),
        ...(raw['api'] === undefined ? {} : { api: { ...api, ...eachIn(api, 'endpoints', unauthorised) } }),
      };
    }
    case 'device':
      return { ...raw, ...eachIn(raw, 'controls', unauthorised) };
    case 'source':
    case 'flow':
      return without(raw, 'event_type');
    case 'receiver':
      return raw['caps'] === undefined ? raw : { ...raw, caps: without(raw['caps'], 'event_types') };
    case 'sender':
      return raw;
  }
}
