import { onceWith } from '../plan/once-for';
import type { ChannelMap } from '../formats/is08';
import { modelOf, type PlanOf } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import { devicePart, nodeIn, NOBODY, terminalIndexAt, type DevicePart } from '../signal/device-part';
import { mappedTerminals } from '../signal/mapped-terminals';
import type { Insides } from '../signal/terminals';

/** Holding the device patch of the plan against the channel map of the device (IS-08). Neither taps nor sends to buses are in IS-08. */

interface PatchedFrom {
  readonly terminalId: string;
  readonly channel: number;
}

/** What a device says feeds a channel: one of its terminals, or an input that is none that its model has. */
export type FoundFeed = PatchedFrom | { readonly input: string; readonly channel: number };

/** Channels one after the other that are fed in step, from `from` on; null: nothing feeds any of them. */
interface FoundRun {
  readonly count: number;
  readonly from: FoundFeed | null;
}

/** By terminal, what feeds its channels from the first on: in runs, as a console has hundreds. Terminals that the device does not offer are not in it. */
export type FoundPatch = Readonly<Record<string, readonly FoundRun[]>>;

/** Channel by channel what feeds it, as runs. */
export function runsOfFeeds(feeds: readonly (FoundFeed | null)[]): FoundRun[] {
  const runs: { count: number; from: FoundFeed | null }[] = [];
  for (const from of feeds) {
    const last = runs[runs.length - 1];
    if (last !== undefined && sameValue(feedInRun(last, last.count), from)) last.count += 1;
    else runs.push({ count: 1, from });
  }
  return runs;
}

/** @param n counted from 0 */
const feedInRun = ({ from }: FoundRun, n: number): FoundFeed | null => from && { ...from, channel: from.channel + n };

/** What feeds each channel of a terminal. */
export const feedsOf = (runs: readonly FoundRun[]): (FoundFeed | null)[] =>
  runs.flatMap((run) => Array.from({ length: run.count }, (_, n) => feedInRun(run, n)));

export interface PatchDifference {
  readonly terminalId: string;
  readonly channel: number;
  readonly planned: PatchedFrom | null;
  readonly found: FoundFeed | null;
}

/** The patch that a channel map shows; null: the device does not offer the terminals of its model to be patched. */
export function foundPatch(map: ChannelMap, model: Insides): FoundPatch | null {
  const { fed, feeding } = mappedTerminals(map, model);
  if (fed.size === 0) return null;
  const terminalOfInput = new Map<string, { readonly terminalId: string; readonly before: number }>();
  for (const [terminalId, inputs] of feeding) {
    let before = 0;
    for (const input of inputs) {
      terminalOfInput.set(input.id, { terminalId, before });
      before += input.channels;
    }
  }
  const patch: Record<string, FoundRun[]> = {};
  for (const [terminalId, outputs] of fed) {
    const feeds = outputs.flatMap((output) =>
      Array.from({ length: output.channels }, (_, index): FoundFeed | null => {
        const entry = map.active.get(output.id)?.get(index);
        if (entry === undefined) return null;
        const from = terminalOfInput.get(entry.input);
        if (from !== undefined) return { terminalId: from.terminalId, channel: from.before + entry.index + 1 };
        const input = map.inputs.find((i) => i.id === entry.input);
        return { input: input?.name ?? entry.input, channel: entry.index + 1 };
      }),
    );
    patch[terminalId] = runsOfFeeds(feeds);
  }
  return patch;
}

/** What feeds a channel within its device by the plan; null: nothing does. */
export function plannedFeed(part: DevicePart, terminalId: string, channel: number): PatchedFrom | null {
  const node = nodeIn(part, terminalId, channel);
  const from = node === NOBODY ? NOBODY : (part.feeders[node] as number);
  if (from < 0) return null;
  const n = terminalIndexAt(part, from);
  return { terminalId: part.terminals[n]?.id ?? '', channel: from - (part.firstNode[n] as number) + 1 };
}

export type PatchedTables = PlanOf<'devices' | 'models' | 'patches' | 'busSends'>;

/** The inside of a device as it is planned. */
export function plannedPart(plan: PatchedTables, deviceId: string): DevicePart | undefined {
  const model = modelOf(plan, deviceId);
  return model && devicePart(deviceId, model, plan.patches.get(deviceId), plan.busSends.get(deviceId));
}

/** The channels that the device feeds otherwise than planned, in the order of terminals and channels. */
export const patchDifferences = (plan: PatchedTables, deviceId: string, found: FoundPatch): PatchDifference[] =>
  compared(found, modelOf(plan, deviceId), plan.patches.get(deviceId), plan.busSends.get(deviceId));

const compared = onceWith(
  (found: FoundPatch, model: Insides | undefined, ...[patches, sends]: PatchRecords): PatchDifference[] => {
    if (model === undefined) return [];
    const part = devicePart('', model, patches, sends);
    return part.terminals.flatMap(({ id: terminalId, channels }) =>
      feedsOf(found[terminalId] ?? [])
        .slice(0, channels)
        .flatMap((now, n): PatchDifference[] => {
          const planned = plannedFeed(part, terminalId, n + 1);
          return sameValue(planned, now) ? [] : [{ terminalId, channel: n + 1, planned, found: now }];
        }),
    );
  },
);
type PatchRecords = [patches: DevicePart['patches'], sends: DevicePart['sends']];
