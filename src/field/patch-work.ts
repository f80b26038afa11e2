import { placeAmong, type ChannelMap } from '../core/formats/is08';
import { foundPatch, patchDifferences, type PatchDifference } from '../core/patch/patch-in-field';
import { modelOf, type Plan } from '../core/plan/plan';
import type { SignalGraph } from '../core/signal/graph';
import { mappedTerminals } from '../core/signal/mapped-terminals';
import { mapProblem, type MapEntry } from '../core/streams/map-limits';
import type { Bindings } from './binding';
import type { MapAction } from './device-reader';
import type { FieldSnapshot } from './field-snapshot';
import { PatchOrder, type Changing } from './patch-order';

/** What has to be done to devices so that they are patched as planned, and in which order. Touches nothing. */

/** Why a channel, or all of a device, is not patched as planned. Not offered: the device does not let its terminals be patched. */
export type PatchLeftWhy =
  | 'device-missing'
  | 'device-contested'
  | 'device-foreign'
  | 'device-elsewhere'
  | 'not-offered'
  | 'not-routable'
  | 'breaks-block';

export interface PatchLeft {
  readonly deviceId: string;
  /** Null: all of the device. */
  readonly channel: { readonly terminalId: string; readonly channel: number } | null;
  readonly why: PatchLeftWhy;
}

export interface PatchDeviceWork {
  readonly deviceId: string;
  readonly mapHref: string;
  readonly changes: readonly PatchDifference[];
  /** All that is to change, in one step of the device. */
  readonly action: MapAction;
  /** What stands there now. */
  readonly before: MapAction;
  /** Of the changes: those that would carry a wrong sound while other devices change, and are off meanwhile. */
  readonly off: MapAction;
  /** Of these: those that the device does not let be off. */
  readonly exposed: readonly PatchDifference[];
}

export interface PatchWork {
  /** Devices that receive one another's changes go over together, in this order; each group by itself. */
  readonly groups: readonly (readonly PatchDeviceWork[])[];
  readonly left: readonly PatchLeft[];
}

/** A device that changes: its channel map, and where that is sent. */
interface Mapped extends Changing {
  readonly href: string;
  readonly map: ChannelMap;
}

const entryKey = (outputId: string, index: number) => `${outputId} ${index}`;

/** @param maps by node device: its channel map */
export function planPatches(
  deviceIds: readonly string[],
  plan: Plan,
  graph: SignalGraph,
  maps: FieldSnapshot['channelMaps'],
  bindings: Bindings,
): PatchWork {
  const left: PatchLeft[] = [];
  const mapped: Mapped[] = [];
  for (const deviceId of new Set(deviceIds)) {
    const leave = (why: PatchLeftWhy) => left.push({ deviceId, channel: null, why });
    const device = bindings.nodeByDevice.get(deviceId)?.device;
    const model = modelOf(plan, deviceId);
    if (plan.devices.get(deviceId)?.isPatchForeign === true) leave('device-foreign');
    else if (bindings.contested.has(deviceId)) leave('device-contested');
    else if (device == null) leave('device-missing');
    else if (bindings.runElsewhere?.has(deviceId) === true) leave('device-elsewhere');
    else {
      const map = maps.get(device.id);
      const found = map && model && foundPatch(map, model);
      const href = device.channelMapHref;
      if (map === undefined || found == null || href === null) leave('not-offered');
      else {
        const changes = patchDifferences(plan, deviceId, found);
        mapped.push({ deviceId, href, map, changes: possible(plan, deviceId, map, changes, left) });
      }
    }
  }
  const changing = mapped.filter((m) => m.changes.length > 0);
  const order = new PatchOrder(graph, changing);
  return {
    left,
    groups: order.groups().map((group) =>
      group.map(({ deviceId, href: mapHref, map, changes }, place): PatchDeviceWork => {
        const isWrongMeanwhile = (c: PatchDifference) => order.isWrongMeanwhile({ ...c, deviceId }, group, place);
        const wrong = changes.filter(isWrongMeanwhile);
        const { off, exposed } = takenOff(plan, deviceId, map, wrong, changes);
        const action = actionOf(plan, deviceId, map, changes);
        return { deviceId, mapHref, changes, off, exposed, action, before: entriesNow(map, action) };
      }),
    ),
  };
}

/** Where a change stands in the map, and what is to stand there. */
function placed(
  plan: Plan,
  deviceId: string,
  map: ChannelMap,
  { terminalId, channel, planned }: PatchDifference,
): { readonly outputId: string; readonly index: number; readonly entry: MapEntry | null | undefined } | null {
  const { fed, feeding } = mappedTerminals(map, modelOf(plan, deviceId));
  const place = placeAmong(fed.get(terminalId) ?? [], channel);
  if (place === null) return null;
  if (planned === null) return { outputId: place.id, index: place.index, entry: null };
  const from = placeAmong(feeding.get(planned.terminalId) ?? [], planned.channel);
  return {
    outputId: place.id,
    index: place.index,
    entry: from === null ? undefined : { input: from.id, index: from.index },
  };
}

/** The changes that the device takes; why it does not take the others goes to `left`. Of a block all go or none. */
function possible(
  plan: Plan,
  deviceId: string,
  map: ChannelMap,
  changes: readonly PatchDifference[],
  left: PatchLeft[],
): PatchDifference[] {
  const kept = new Map<string, PatchDifference>();
  const leave = ({ terminalId, channel }: PatchDifference, why: PatchLeftWhy) =>
    left.push({ deviceId, channel: { terminalId, channel }, why });
  for (const change of changes) {
    const at = placed(plan, deviceId, map, change);
    if (at === null || at.entry === undefined) {
      leave(change, 'not-offered');
      continue;
    }
    const { routable } = map.outputs.find((o) => o.id === at.outputId) ?? { routable: null };
    if (routable?.has(at.entry?.input ?? null) === false) leave(change, 'not-routable');
    else kept.set(entryKey(at.outputId, at.index), change);
  }
  const limitsOf = (id: string) => map.inputs.find((i) => i.id === id)?.limits ?? null;
  for (const { id } of map.outputs) {
    for (;;) {
      const own = [...kept].filter(([key]) => key.startsWith(`${id} `)).map(([, c]) => c);
      const then = after(plan, deviceId, map, id, own);
      const broken = own.length === 0 ? null : mapProblem(then, limitsOf);
      if (broken === null) break;
      const { blockSize = 1 } = limitsOf(broken.input) ?? {};
      const first = broken.output - ((then.get(broken.output)?.index ?? 0) % blockSize);
      const inBlock = Array.from({ length: blockSize }, (_, n) => first + n);
      const went = inBlock.flatMap((n) => kept.get(entryKey(id, n)) ?? []);
      // What breaks the limits already is not of these changes.
      if (went.length === 0) break;
      for (const n of inBlock) kept.delete(entryKey(id, n));
      for (const change of went) leave(change, 'breaks-block');
    }
  }
  const taken = new Set(kept.values());
  return changes.filter((c) => taken.has(c));
}

function after(
  plan: Plan,
  deviceId: string,
  map: ChannelMap,
  outputId: string,
  changes: readonly PatchDifference[],
): Map<number, MapEntry> {
  const entries = new Map(map.active.get(outputId) ?? []);
  for (const change of changes) {
    const at = placed(plan, deviceId, map, change);
    if (at?.outputId !== outputId) continue;
    if (at.entry == null) entries.delete(at.index);
    else entries.set(at.index, at.entry);
  }
  return entries;
}

function actionOf(plan: Plan, deviceId: string, map: ChannelMap, changes: readonly PatchDifference[]): MapAction {
  const action: MapAction = {};
  for (const change of changes) {
    const at = placed(plan, deviceId, map, change);
    if (at === null || at.entry === undefined) continue;
    const { input = null, index = null } = at.entry ?? {};
    (action[at.outputId] ??= {})[String(at.index)] = { input, channel_index: index };
  }
  return action;
}

function entriesNow(map: ChannelMap, action: MapAction): MapAction {
  return Object.fromEntries(
    Object.entries(action).map(([outputId, entries]) => [
      outputId,
      Object.fromEntries(
        Object.keys(entries).map((index) => {
          const now = map.active.get(outputId)?.get(Number(index));
          return [index, { input: now?.input ?? null, channel_index: now?.index ?? null }];
        }),
      ),
    ]),
  );
}

/** Channels taken off as far as the device lets them be: blocks whole, and only where all of the block changes. */
function takenOff(
  plan: Plan,
  deviceId: string,
  map: ChannelMap,
  wrong: readonly PatchDifference[],
  changes: readonly PatchDifference[],
): Pick<PatchDeviceWork, 'off' | 'exposed'> {
  const off: MapAction = {};
  const exposed: PatchDifference[] = [];
  const changing = new Set(
    changes.flatMap((c) => {
      const at = placed(plan, deviceId, map, c);
      return at === null ? [] : [entryKey(at.outputId, at.index)];
    }),
  );
  for (const change of wrong) {
    const at = placed(plan, deviceId, map, change);
    const output = map.outputs.find((o) => o.id === at?.outputId);
    if (at === null || output === undefined) continue;
    const now = map.active.get(output.id);
    const entry = now?.get(at.index);
    const blockSize = map.inputs.find((i) => i.id === entry?.input)?.limits?.blockSize ?? 1;
    const first = at.index - ((entry?.index ?? 0) % blockSize);
    const block = Array.from({ length: blockSize }, (_, n) => first + n).filter((n) => now?.has(n) === true);
    const canBeOff = output.routable?.has(null) !== false && block.every((n) => changing.has(entryKey(output.id, n)));
    if (!canBeOff) exposed.push(change);
    else for (const n of block) (off[output.id] ??= {})[String(n)] = { input: null, channel_index: null };
  }
  return { off, exposed };
}
