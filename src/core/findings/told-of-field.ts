import type { Plan } from '../plan/plan';
import type { FieldFacts, FoundAt } from './field-facts';

/** What the field tells that findings rest on, and the time, to the minute, in milliseconds since 1970. */
export type ToldOfField = Omit<FieldFacts, keyof Plan | 'keptTime'>;

const MINUTE_MS = 60_000;

/** Findings that rest on the time change from minute to minute. */
export const minuteOf = (at: number): number => Math.floor(at / MINUTE_MS) * MINUTE_MS;

/** By device, where it is asked; those that are not asked are left out. */
export const askedAtOf = (devices: ReadonlyMap<string, { readonly askedAt: FoundAt | null }>): [string, FoundAt][] =>
  [...devices].flatMap(([id, { askedAt }]): [string, FoundAt][] => (askedAt === null ? [] : [[id, askedAt]]));

/** By subnet: the adapters of the server that see it. */
export function adaptersBySubnet(
  adapters: readonly { readonly name: string; readonly subnetIds: readonly string[] }[],
): ReadonlyMap<string, readonly string[]> {
  const seenBy = new Map<string, string[]>();
  for (const { name, subnetIds } of adapters) {
    for (const id of subnetIds) seenBy.set(id, [...(seenBy.get(id) ?? []), name]);
  }
  return seenBy;
}
