import { sameValue } from './same-value';
import type { Command } from './commands';
import type { Plan } from './plan';
import type { Device, Side } from './records';

/** The kinds of records that one plan can take from another, in the order in which they build on each other. */
export const MERGED_KINDS = [
  'places',
  'models',
  'subnets',
  'devices',
  'interfaces',
  'links',
  'switches',
  'references',
  'clockGroups',
  'clocks',
  'slotBuses',
  'slotUnits',
  'labels',
  'subscriptions',
  'layouts',
  'groupChoices',
] as const;
export type MergedKind = (typeof MERGED_KINDS)[number];

export interface MergeTally {
  readonly kind: MergedKind;
  readonly new: number;
  readonly differs: number;
  readonly same: number;
  /** What differs, by the names of this plan: the first of them. */
  readonly differing: readonly string[];
}

export interface PlanMerge {
  readonly tallies: readonly MergeTally[];
  /** How many records the commands bring. */
  readonly taken: number;
  readonly commands: readonly Command[];
}

const NAMED_MAX = 40;

interface Found<T> {
  readonly theirs: T;
  readonly isNew: boolean;
}

/**
 * Holds another plan against this one, record by record (by id, channel or slot). What this plan does not have is taken; what
 * differs only where its kind is in `takeDiffering`. Nothing of this plan is removed, and neither its settings nor what was told
 * to devices is touched.
 */
export function mergePlan(plan: Plan, other: Plan, takeDiffering: ReadonlySet<MergedKind>): PlanMerge {
  const tallies: MergeTally[] = [];
  let taken = 0;
  const compare = <T>(
    kind: MergedKind,
    records: Iterable<readonly [mine: T | undefined, theirs: T]>,
    nameOf: (record: T) => string,
  ): Found<T>[] => {
    const tally = { new: 0, differs: 0, same: 0 };
    const differing: string[] = [];
    const found: Found<T>[] = [];
    for (const [mine, theirs] of records) {
      if (mine === undefined) tally.new += 1;
      else if (sameValue(mine, theirs)) {
        tally.same += 1;
        continue;
      } else {
        tally.differs += 1;
        if (differing.length < NAMED_MAX) differing.push(nameOf(theirs));
        if (!takeDiffering.has(kind)) continue;
      }
      found.push({ theirs, isNew: mine === undefined });
    }
    tallies.push({ kind, ...tally, differing });
    taken += found.length;
    return found;
  };
  const flat = function* <T>(mine: ReadonlyMap<string, T>, theirs: ReadonlyMap<string, T>) {
    for (const [id, record] of theirs) yield [mine.get(id), record] as const;
  };
  const owned = function* <K, T>(
    mine: ReadonlyMap<string, ReadonlyMap<K, T>>,
    theirs: ReadonlyMap<string, ReadonlyMap<K, T>>,
  ) {
    for (const [owner, records] of theirs) {
      for (const [key, record] of records) yield [mine.get(owner)?.get(key), record] as const;
    }
  };
  const deviceName = (id: string) => (plan.devices.get(id) ?? other.devices.get(id))?.name ?? id;
  const ofDevice = (r: { id: string }) => deviceName(r.id);
  const named = (r: { name: string }) => r.name;

  const commands: Command[] = [];
  const places = compare('places', flat(plan.places, other.places), named).map((f) => f.theirs);
  // A place is put after the one that it is in.
  const open = new Map(places.map((p) => [p.id, p]));
  while (open.size > 0) {
    const ready = [...open.values()].filter((p) => p.parentId === null || !open.has(p.parentId));
    for (const place of ready.length > 0 ? ready : open.values()) {
      commands.push({ kind: 'put-place', place });
      open.delete(place.id);
    }
  }
  for (const { theirs } of compare('models', flat(plan.models, other.models), named)) {
    commands.push({ kind: 'put-model', model: theirs });
  }
  const subnets = compare('subnets', flat(plan.subnets, other.subnets), named);
  for (const { theirs } of subnets) {
    commands.push({ kind: 'put-subnet', subnet: { ...theirs, querierIds: [] } });
  }
  const devices = compare('devices', flat(plan.devices, other.devices), named);
  for (const { theirs, isNew } of devices) {
    if (isNew) commands.push({ kind: 'add-device', device: { ...theirs, throughId: null } });
  }
  // What names a device can be told once all devices are there.
  for (const { theirs, isNew } of devices) {
    if (!isNew || theirs.throughId !== null) commands.push(changeOf(theirs));
  }
  for (const { theirs } of subnets) {
    if (theirs.querierIds.length > 0) commands.push({ kind: 'put-subnet', subnet: theirs });
  }
  const byInterface = (i: { deviceId: string; name: string }) => `${deviceName(i.deviceId)}, ${i.name}`;
  for (const { theirs } of compare('interfaces', owned(plan.interfaces, other.interfaces), byInterface)) {
    commands.push({ kind: 'put-interface', interface: theirs });
  }
  const byEnds = (l: { from: { deviceId: string }; to: { deviceId: string } }) =>
    `${deviceName(l.from.deviceId)} to ${deviceName(l.to.deviceId)}`;
  for (const { theirs } of compare('links', flat(plan.links, other.links), byEnds)) {
    commands.push({ kind: 'put-link', link: theirs });
  }
  for (const { theirs } of compare('switches', flat(plan.switches, other.switches), ofDevice)) {
    commands.push({ kind: 'put-switch', settings: theirs });
  }
  for (const { theirs } of compare('references', flat(plan.references, other.references), named)) {
    commands.push({ kind: 'put-reference', reference: theirs });
  }
  for (const { theirs } of compare('clockGroups', flat(plan.clockGroups, other.clockGroups), named)) {
    commands.push({ kind: 'put-clock-group', group: theirs });
  }
  for (const { theirs } of compare('clocks', flat(plan.clocks, other.clocks), ofDevice)) {
    commands.push({ kind: 'put-clock', settings: theirs });
  }
  for (const { theirs } of compare('slotBuses', flat(plan.slotBuses, other.slotBuses), named)) {
    commands.push({ kind: 'put-slot-bus', bus: theirs });
  }
  for (const { theirs } of compare('slotUnits', flat(plan.slotUnits, other.slotUnits), ofDevice)) {
    commands.push({ kind: 'put-slot-unit', unit: theirs });
  }
  const byChannel = (l: { deviceId: string; side: Side; channel: number }) =>
    `${deviceName(l.deviceId)}, ${l.side === 'send' ? 'out' : 'in'} ${l.channel}`;
  for (const { theirs } of compare('labels', owned(plan.labels, other.labels), byChannel)) {
    const { deviceId, side, channel, label } = theirs;
    const last = commands.at(-1);
    const one = { channel, label };
    if (last?.kind === 'label-channels' && last.deviceId === deviceId && last.side === side) {
      commands[commands.length - 1] = { ...last, labels: [...last.labels, one] };
    } else commands.push({ kind: 'label-channels', deviceId, side, labels: [one] });
  }
  const byReceiver = (s: { receiverDeviceId: string; receiverChannel: number }) =>
    `${deviceName(s.receiverDeviceId)}, in ${s.receiverChannel}`;
  const lanes = compare('subscriptions', owned(plan.subscriptions, other.subscriptions), byReceiver);
  for (let from = 0; from < lanes.length; from += LANES_PER_COMMAND) {
    const subscriptions = lanes.slice(from, from + LANES_PER_COMMAND).map((f) => f.theirs);
    commands.push({ kind: 'subscribe', subscriptions });
  }
  const bySlot = (s: { senderDeviceId: string; slot: number }) => `${deviceName(s.senderDeviceId)} S${s.slot}`;
  const layouts = compare('layouts', owned(plan.layouts, other.layouts), bySlot);
  if (layouts.length > 0) commands.push({ kind: 'lay-out-streams', put: layouts.map((f) => f.theirs), drop: [] });
  for (const { theirs } of compare('groupChoices', owned(plan.groupChoices, other.groupChoices), bySlot)) {
    commands.push({ kind: 'put-group-choice', choice: theirs });
  }
  return { tallies, taken, commands };
}

/** What one command of a batch may carry. */
const LANES_PER_COMMAND = 20_000;

function changeOf({ id: deviceId, ...change }: Device): Command {
  return { kind: 'change-device', deviceId, change };
}
