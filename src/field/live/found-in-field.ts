import { findInField } from '../../core/findings/find-in-field';
import type { FieldFacts, FoundAt } from '../../core/findings/field-facts';
import type { Finding } from '../../core/findings/finding';
import type { Plan } from '../../core/plan/plan';
import type { AdapterInField } from './network-topics';
import type { TopicName, TopicValue } from './topics';

/** The live figures that findings rest on as they are. */
type Figures = 'links' | 'clocks' | 'names' | 'channelMappings' | 'devicePatches' | 'channelFigures';

/** What the field tells that findings rest on, and the time, to the minute, in milliseconds since 1970. */
export type ToldOfField = { readonly [T in Figures & TopicName]: ReadonlyMap<string, TopicValue<T>> } & Pick<
  FieldFacts,
  'foundAt' | 'seenBy' | 'now'
>;

const MINUTE_MS = 60_000;

/** Findings that rest on the time change from minute to minute. */
export const minuteOf = (at: number): number => Math.floor(at / MINUTE_MS) * MINUTE_MS;

/** What is found wrong by what devices and switches report of themselves, beside what the plan alone tells. */
export function foundInField(plan: Plan, keptTime: FieldFacts['keptTime'], told: ToldOfField): readonly Finding[] {
  const { links, clocks, names, channelMappings, devicePatches, channelFigures, foundAt, seenBy, now } = told;
  return findInField({
    ...plan,
    ...{ foundLinks: links, foundClocks: clocks, foundNames: names, foundMappings: channelMappings },
    foundPatches: devicePatches,
    foundFigures: channelFigures,
    ...{ foundAt, seenBy, now, keptTime },
  });
}

/** By device, where it is asked; those that are not asked are left out. */
export const askedAtOf = (devices: ReadonlyMap<string, TopicValue<'devices'>>): [string, FoundAt][] =>
  [...devices].flatMap(([id, d]) => (d.askedAt === null ? [] : [[id, d.askedAt] as [string, FoundAt]]));

/** By subnet: the adapters of the server that see it. */
export function adaptersBySubnet(adapters: readonly AdapterInField[]): ReadonlyMap<string, readonly string[]> {
  const seenBy = new Map<string, string[]>();
  for (const { name, subnetIds } of adapters) {
    for (const id of subnetIds) seenBy.set(id, [...(seenBy.get(id) ?? []), name]);
  }
  return seenBy;
}
