import { isMulticast, parseAddress, parseCidr } from '../network/address';
import { rangeOf } from '../network/subnets';
import { applyChanges, inverseOf, recordKey, type RecordChange, type RecordOfTable, type TableName } from './changes';
import { channelCount, interfacesOf, labelledCount, layoutsOf, modelOf, subscriptionsOf, type Plan } from './plan';
import { passingUnits } from './through';
import { abilityOf } from '../clocks/ability';
import { parseClockIdentity } from '../clocks/dataset';
import { blockCount, isSettable } from '../slots/slot-ability';
import type {
  ClockGroup,
  ClockSettings,
  Device,
  GroupChoice,
  StreamLayout,
  Interface,
  Link,
  Model,
  Place,
  PlanSettings,
  Reference,
  SentStream,
  Side,
  SlotBus,
  SlotUnit,
  Subnet,
  Subscription,
  SwitchSettings,
} from './records';

/** Everything that can be done to a plan. Each command is plain data, so that it can be sent, journalled and previewed. */
export type Command =
  | { readonly kind: 'change-settings'; readonly settings: Partial<Omit<PlanSettings, 'id'>> }
  | { readonly kind: 'put-place'; readonly place: Place }
  | { readonly kind: 'remove-place'; readonly placeId: string }
  | { readonly kind: 'put-subnet'; readonly subnet: Subnet }
  | { readonly kind: 'remove-subnet'; readonly subnetId: string }
  | { readonly kind: 'put-model'; readonly model: Model }
  | { readonly kind: 'put-link'; readonly link: Link }
  | { readonly kind: 'remove-link'; readonly linkId: string }
  | { readonly kind: 'put-switch'; readonly settings: SwitchSettings }
  | { readonly kind: 'put-clock'; readonly settings: ClockSettings }
  | { readonly kind: 'put-reference'; readonly reference: Reference }
  | { readonly kind: 'remove-reference'; readonly referenceId: string }
  | { readonly kind: 'put-clock-group'; readonly group: ClockGroup }
  | { readonly kind: 'remove-clock-group'; readonly groupId: string }
  | { readonly kind: 'put-slot-bus'; readonly bus: SlotBus }
  /** Its units are then on no bus. */
  | { readonly kind: 'remove-slot-bus'; readonly busId: string }
  | { readonly kind: 'put-slot-unit'; readonly unit: SlotUnit }
  | { readonly kind: 'remove-slot-unit'; readonly deviceId: string }
  | { readonly kind: 'put-group-choice'; readonly choice: GroupChoice }
  | { readonly kind: 'remove-group-choice'; readonly senderDeviceId: string; readonly slot: number }
  | {
      /** How streams are laid out; `drop` gives them back to packing. */
      readonly kind: 'lay-out-streams';
      readonly put: readonly StreamLayout[];
      readonly drop: readonly SentStreamKey[];
    }
  | { readonly kind: 'add-device'; readonly device: Device }
  | { readonly kind: 'change-device'; readonly deviceId: string; readonly change: DeviceChange }
  | { readonly kind: 'remove-device'; readonly deviceId: string }
  | { readonly kind: 'put-interface'; readonly interface: Interface }
  | { readonly kind: 'remove-interface'; readonly deviceId: string; readonly name: string }
  | {
      readonly kind: 'label-channels';
      readonly deviceId: string;
      readonly side: Side;
      /** A null label takes the label away, and the short one with it. A short label that is not named stays as it is. */
      readonly labels: readonly LabelChange[];
    }
  | { readonly kind: 'subscribe'; readonly subscriptions: readonly Subscription[] }
  | {
      readonly kind: 'unsubscribe';
      readonly channels: readonly { readonly deviceId: string; readonly channel: number }[];
    }
  | {
      readonly kind: 'keep-sent-streams';
      readonly put: readonly SentStream[];
      readonly drop: readonly SentStreamKey[];
    };

export interface LabelChange {
  readonly channel: number;
  readonly label: string | null;
  readonly short?: string | null;
}
export type DeviceChange = Partial<Omit<Device, 'id'>>;
export interface SentStreamKey {
  readonly senderDeviceId: string;
  readonly slot: number;
}

/** Why a command cannot be applied: what names something that is not there, or is there already. Nothing was changed. */
export interface CommandProblem {
  readonly reason: 'unknown' | 'exists' | 'in-use' | 'out-of-range';
  /** Which field of which command of the batch, e.g. `commands[0].subscriptions[3].receiverChannel`. */
  readonly field: string;
  readonly value: string;
  readonly limit?: string;
}

export type ApplyResult =
  | {
      readonly ok: true;
      readonly plan: Plan;
      readonly changes: readonly RecordChange[];
      readonly inverse: readonly RecordChange[];
    }
  | { readonly ok: false; readonly problem: CommandProblem };

/**
 * Applies a batch: all of it or nothing. `inverse` takes it back exactly. Pure; the cost is that of the records touched
 * and of the table maps that hold them.
 */
export function applyCommands(plan: Plan, commands: readonly Command[]): ApplyResult {
  let current = plan;
  const changes: RecordChange[] = [];
  for (const [index, command] of commands.entries()) {
    const step = changesOfCommand(current, command);
    if (!Array.isArray(step)) {
      const problem = step as CommandProblem;
      return { ok: false, problem: { ...problem, field: `commands[${index}].${problem.field}` } };
    }
    changes.push(...step);
    current = applyChanges(current, step);
  }
  const merged = mergeChanges(changes);
  return { ok: true, plan: current, changes: merged, inverse: inverseOf(merged) };
}

/** Folds changes of the same record into one, so that a batch names each record once; drops those that changed nothing. */
export function mergeChanges(changes: readonly RecordChange[]): RecordChange[] {
  const byKey = new Map<string, RecordChange>();
  for (const change of changes) {
    const record = change.after ?? change.before;
    if (record === null) continue;
    const key = `${change.table}:${recordKey(change.table, record as never)}`;
    const earlier = byKey.get(key);
    byKey.set(key, earlier ? ({ ...change, before: earlier.before } as RecordChange) : change);
  }
  return [...byKey.values()].filter((c) => JSON.stringify(c.before) !== JSON.stringify(c.after));
}

/** Multicast, RFC 5771. */
const GROUPS = '224.0.0.0 to 239.255.255.255';

const unknown = (field: string, value: string): CommandProblem => ({ reason: 'unknown', field, value });

function put<T extends TableName>(table: T, before: RecordOfTable[T] | null | undefined, after: RecordOfTable[T]) {
  return [{ table, before: before ?? null, after } as unknown as RecordChange];
}
function remove<T extends TableName>(table: T, before: RecordOfTable[T]) {
  return { table, before, after: null } as unknown as RecordChange;
}

function changesOfCommand(plan: Plan, command: Command): RecordChange[] | CommandProblem {
  switch (command.kind) {
    case 'change-settings':
      for (const field of ['poolA', 'poolB'] as const) {
        const pool = command.settings[field];
        const block = pool === undefined ? undefined : parseCidr(pool);
        if (pool !== undefined && (!block || !isMulticast(block.base))) {
          return { reason: 'out-of-range', field: `settings.${field}`, value: pool, limit: GROUPS };
        }
      }
      return put('settings', plan.settings, { ...plan.settings, ...command.settings });
    case 'put-place': {
      const { place } = command;
      if (place.parentId !== null && !plan.places.has(place.parentId)) return unknown('place.parentId', place.parentId);
      for (let up: string | null = place.parentId; up !== null; up = plan.places.get(up)?.parentId ?? null) {
        if (up === place.id) return { reason: 'in-use', field: 'place.parentId', value: up };
      }
      return put('places', plan.places.get(place.id), place);
    }
    case 'remove-place': {
      const place = plan.places.get(command.placeId);
      if (place === undefined) return unknown('placeId', command.placeId);
      const user =
        [...plan.devices.values()].find((d) => d.placeId === place.id)?.id ??
        [...plan.places.values()].find((p) => p.parentId === place.id)?.id;
      return user ? { reason: 'in-use', field: 'placeId', value: user } : [remove('places', place)];
    }
    case 'put-subnet': {
      const { cidr, dhcp } = command.subnet;
      if (parseCidr(cidr) === null) {
        return { reason: 'out-of-range', field: 'subnet.cidr', value: cidr, limit: 'an IPv4 block with /0 to /32' };
      }
      if (dhcp !== null && rangeOf(dhcp) === null) {
        const value = `${dhcp.first} to ${dhcp.last}`;
        return { reason: 'out-of-range', field: 'subnet.dhcp', value, limit: 'two addresses, the lower first' };
      }
      for (const [index, id] of command.subnet.querierIds.entries()) {
        if (!plan.devices.has(id)) return unknown(`subnet.querierIds[${index}]`, id);
      }
      return put('subnets', plan.subnets.get(command.subnet.id), command.subnet);
    }
    case 'remove-subnet': {
      const subnet = plan.subnets.get(command.subnetId);
      if (subnet === undefined) return unknown('subnetId', command.subnetId);
      for (const [deviceId, owned] of plan.interfaces) {
        for (const i of owned.values()) {
          if (i.subnetId === subnet.id) return { reason: 'in-use', field: 'subnetId', value: deviceId };
        }
      }
      const changes: RecordChange[] = [];
      for (const link of plan.links.values()) {
        if (!link.carries?.includes(subnet.id)) continue;
        changes.push(...put('links', link, { ...link, carries: link.carries.filter((id) => id !== subnet.id) }));
      }
      return [...changes, remove('subnets', subnet)];
    }
    case 'put-model':
      return put('models', plan.models.get(command.model.id), command.model);
    case 'put-switch': {
      const { settings } = command;
      if (!modelOf(plan, settings.id)?.switching) return unknown('settings.id', settings.id);
      return put('switches', plan.switches.get(settings.id), settings);
    }
    case 'put-clock':
      return clockChanges(plan, command.settings);
    case 'put-reference': {
      const { reference } = command;
      const { fromDeviceId } = reference;
      if (fromDeviceId !== null && !plan.devices.has(fromDeviceId)) {
        return unknown('reference.fromDeviceId', fromDeviceId);
      }
      return put('references', plan.references.get(reference.id), reference);
    }
    case 'remove-reference':
      return removalOfReference(plan, command.referenceId);
    case 'put-clock-group': {
      const { authority } = command.group;
      const isThere = authority?.kind === 'device' ? plan.devices : plan.references;
      if (authority !== null && !isThere.has(authority.id)) return unknown('group.authority.id', authority.id);
      return put('clockGroups', plan.clockGroups.get(command.group.id), command.group);
    }
    case 'remove-clock-group':
      return removalOfClockGroup(plan, command.groupId);
    case 'put-slot-bus':
      return put('slotBuses', plan.slotBuses.get(command.bus.id), command.bus);
    case 'remove-slot-bus': {
      const bus = plan.slotBuses.get(command.busId);
      if (bus === undefined) return unknown('busId', command.busId);
      const units = [...plan.slotUnits.values()].filter((u) => u.busId === bus.id);
      return [...units.map((u) => remove('slotUnits', u)), remove('slotBuses', bus)];
    }
    case 'put-slot-unit':
      return slotUnitChanges(plan, command.unit);
    case 'remove-slot-unit': {
      const unit = plan.slotUnits.get(command.deviceId);
      return unit ? [remove('slotUnits', unit)] : unknown('deviceId', command.deviceId);
    }
    case 'put-group-choice': {
      const { choice } = command;
      if (!plan.devices.has(choice.senderDeviceId)) return unknown('choice.senderDeviceId', choice.senderDeviceId);
      for (const field of ['groupA', 'groupB'] as const) {
        const text = choice[field];
        const group = text === null ? null : parseAddress(text);
        if (text !== null && (group === null || !isMulticast(group))) {
          return { reason: 'out-of-range', field: `choice.${field}`, value: text, limit: GROUPS };
        }
      }
      return put('groupChoices', plan.groupChoices.get(choice.senderDeviceId)?.get(choice.slot), choice);
    }
    case 'remove-group-choice': {
      const choice = plan.groupChoices.get(command.senderDeviceId)?.get(command.slot);
      return choice ? [remove('groupChoices', choice)] : unknown('slot', `${command.senderDeviceId}/${command.slot}`);
    }
    case 'lay-out-streams':
      return layoutChanges(plan, command);
    case 'put-link': {
      for (const [index, id] of (command.link.carries ?? []).entries()) {
        if (!plan.subnets.has(id)) return unknown(`link.carries[${index}]`, id);
      }
      for (const end of ['from', 'to'] as const) {
        const { deviceId, port } = command.link[end];
        const device = plan.devices.get(deviceId);
        if (device === undefined) return unknown(`link.${end}.deviceId`, deviceId);
        const model = plan.models.get(device.modelId);
        if (!model?.ports.some((p) => p.name === port)) return unknown(`link.${end}.port`, port);
      }
      return put('links', plan.links.get(command.link.id), command.link);
    }
    case 'remove-link': {
      const link = plan.links.get(command.linkId);
      return link ? [remove('links', link)] : unknown('linkId', command.linkId);
    }
    case 'add-device':
      if (plan.devices.has(command.device.id)) {
        return { reason: 'exists', field: 'device.id', value: command.device.id };
      }
      return deviceProblem(plan, command.device, 'device') ?? put('devices', null, command.device);
    case 'change-device': {
      const device = plan.devices.get(command.deviceId);
      if (device === undefined) return unknown('deviceId', command.deviceId);
      const after = { ...device, ...command.change };
      const problem = deviceProblem(plan, after, 'change');
      return problem ?? [...slotUnitOfModel(plan, after), ...put('devices', device, after)];
    }
    case 'remove-device':
      return removalOfDevice(plan, command.deviceId);
    case 'put-interface': {
      const i = command.interface;
      if (!plan.devices.has(i.deviceId)) return unknown('interface.deviceId', i.deviceId);
      if (i.subnetId !== null && !plan.subnets.has(i.subnetId)) return unknown('interface.subnetId', i.subnetId);
      return put('interfaces', interfacesOf(plan, i.deviceId).get(i.name), i);
    }
    case 'remove-interface': {
      const found = interfacesOf(plan, command.deviceId).get(command.name);
      return found ? [remove('interfaces', found)] : unknown('name', `${command.deviceId}/${command.name}`);
    }
    case 'label-channels':
      return labelChanges(plan, command);
    case 'subscribe':
      return subscribeChanges(plan, command.subscriptions);
    case 'unsubscribe': {
      const changes: RecordChange[] = [];
      for (const { deviceId, channel } of command.channels) {
        const before = subscriptionsOf(plan, deviceId).get(channel);
        if (before) changes.push(remove('subscriptions', before));
      }
      return changes;
    }
    case 'keep-sent-streams': {
      const changes: RecordChange[] = [];
      for (const key of command.drop) {
        const before = plan.sentStreams.get(key.senderDeviceId)?.get(key.slot);
        if (before) changes.push(remove('sentStreams', before));
      }
      for (const [index, stream] of command.put.entries()) {
        if (!plan.devices.has(stream.senderDeviceId)) {
          return unknown(`put[${index}].senderDeviceId`, stream.senderDeviceId);
        }
        changes.push(...put('sentStreams', plan.sentStreams.get(stream.senderDeviceId)?.get(stream.slot), stream));
      }
      return changes;
    }
  }
}

function deviceProblem(plan: Plan, device: Device, field: string): CommandProblem | null {
  if (!plan.models.has(device.modelId)) return unknown(`${field}.modelId`, device.modelId);
  if (device.placeId !== null && !plan.places.has(device.placeId)) return unknown(`${field}.placeId`, device.placeId);
  const { throughId } = device;
  if (throughId === null) return null;
  const unit = plan.devices.get(throughId);
  if (throughId === device.id || unit === undefined) return unknown(`${field}.throughId`, throughId);
  // A unit stands at the end: it goes through no other, and what goes through another is none.
  const isChained = unit.throughId !== null || passingUnits(plan).has(device.id);
  return isChained ? { reason: 'in-use', field: `${field}.throughId`, value: throughId } : null;
}

/** A device goes with its interfaces, labels, cables, sent streams, and the subscriptions that it hears or that hear it. */
function removalOfDevice(plan: Plan, deviceId: string): RecordChange[] | CommandProblem {
  const device = plan.devices.get(deviceId);
  if (device === undefined) return unknown('deviceId', deviceId);
  const changes: RecordChange[] = [];
  for (const link of plan.links.values()) {
    if (link.from.deviceId === deviceId || link.to.deviceId === deviceId) changes.push(remove('links', link));
  }
  for (const [receiverId, feeds] of plan.subscriptions) {
    for (const s of feeds.values()) {
      if (receiverId === deviceId || s.senderDeviceId === deviceId) changes.push(remove('subscriptions', s));
    }
  }
  for (const i of interfacesOf(plan, deviceId).values()) changes.push(remove('interfaces', i));
  for (const l of plan.labels.get(deviceId)?.values() ?? []) changes.push(remove('labels', l));
  for (const s of plan.sentStreams.get(deviceId)?.values() ?? []) changes.push(remove('sentStreams', s));
  for (const c of plan.groupChoices.get(deviceId)?.values() ?? []) changes.push(remove('groupChoices', c));
  for (const l of layoutsOf(plan, deviceId).values()) changes.push(remove('layouts', l));
  const slotUnit = plan.slotUnits.get(deviceId);
  if (slotUnit) changes.push(remove('slotUnits', slotUnit));
  const switchSettings = plan.switches.get(deviceId);
  if (switchSettings) changes.push(remove('switches', switchSettings));
  changes.push(...clockChangesWithout(plan, deviceId));
  for (const other of plan.devices.values()) {
    if (other.throughId === deviceId) changes.push(...put('devices', other, { ...other, throughId: null }));
  }
  for (const subnet of plan.subnets.values()) {
    if (!subnet.querierIds.includes(deviceId)) continue;
    const querierIds = subnet.querierIds.filter((id) => id !== deviceId);
    changes.push(...put('subnets', subnet, { ...subnet, querierIds }));
  }
  changes.push(remove('devices', device));
  return changes;
}

function clockChanges(plan: Plan, settings: ClockSettings): RecordChange[] | CommandProblem {
  const model = modelOf(plan, settings.id);
  if (model === undefined || abilityOf(model) === null) return unknown('settings.id', settings.id);
  for (const [index, id] of settings.unicastMasterIds.entries()) {
    if (!plan.devices.has(id)) return unknown(`settings.unicastMasterIds[${index}]`, id);
  }
  for (const [index, id] of settings.referenceIds.entries()) {
    if (!plan.references.has(id)) return unknown(`settings.referenceIds[${index}]`, id);
  }
  for (const field of ['groupId', 'secondGroupId'] as const) {
    const id = settings[field];
    if (id !== null && !plan.clockGroups.has(id)) return unknown(`settings.${field}`, id);
  }
  const written = settings.clockIdentity;
  const clockIdentity = written === null ? null : parseClockIdentity(written);
  if (written !== null && clockIdentity === null) {
    const limit = 'eight octets in hexadecimal';
    return { reason: 'out-of-range', field: 'settings.clockIdentity', value: written, limit };
  }
  return put('clocks', plan.clocks.get(settings.id), { ...settings, clockIdentity });
}

/** A device that becomes another model keeps its blocks only where they can still be set. */
function slotUnitOfModel(plan: Plan, device: Device): RecordChange[] {
  const unit = plan.slotUnits.get(device.id);
  const ability = plan.models.get(device.modelId)?.slots ?? null;
  if (unit === undefined) return [];
  if (ability === null) return [remove('slotUnits', unit)];
  const isSame = unit.talks.length === ability.talkBlocks && unit.hears.length === ability.hearBlocks;
  return isSame && [...unit.talks, ...unit.hears].every((block) => isSettable(ability, block))
    ? []
    : [remove('slotUnits', unit)];
}

function slotUnitChanges(plan: Plan, unit: SlotUnit): RecordChange[] | CommandProblem {
  const ability = modelOf(plan, unit.id)?.slots ?? null;
  if (ability === null) return unknown('unit.id', unit.id);
  if (!plan.slotBuses.has(unit.busId)) return unknown('unit.busId', unit.busId);
  for (const [field, count] of [
    ['talks', ability.talkBlocks],
    ['hears', ability.hearBlocks],
  ] as const) {
    const blocks = unit[field];
    if (blocks.length !== count) {
      const limit = `${count} choices`;
      return { reason: 'out-of-range', field: `unit.${field}`, value: String(blocks.length), limit };
    }
    const wrong = blocks.findIndex((block) => !isSettable(ability, block));
    if (wrong >= 0) {
      const value = String(blocks[wrong] ?? 'off');
      const limit = `1 to ${blockCount(ability)}${isSettable(ability, null) ? ', or off' : ''}`;
      return { reason: 'out-of-range', field: `unit.${field}[${wrong}]`, value, limit };
    }
  }
  return put('slotUnits', plan.slotUnits.get(unit.id), unit);
}

function layoutChanges(plan: Plan, { put: layouts, drop }: Extract<Command, { kind: 'lay-out-streams' }>) {
  const changes: RecordChange[] = [];
  for (const key of drop) {
    const before = layoutsOf(plan, key.senderDeviceId).get(key.slot);
    if (before) changes.push(remove('layouts', before));
  }
  for (const [index, layout] of layouts.entries()) {
    const { senderDeviceId, slot, channels } = layout;
    if (!plan.devices.has(senderDeviceId)) return unknown(`put[${index}].senderDeviceId`, senderDeviceId);
    const count = channelCount(plan, senderDeviceId, 'send');
    const seen = new Set<number>();
    for (const [n, channel] of channels.entries()) {
      const field = `put[${index}].channels[${n}]`;
      if (channel < 1 || channel > count) return outOfRange(field, channel, count);
      if (seen.has(channel)) {
        return { reason: 'out-of-range' as const, field, value: String(channel), limit: 'each channel once' };
      }
      seen.add(channel);
    }
    changes.push(...put('layouts', layoutsOf(plan, senderDeviceId).get(slot), layout));
  }
  return changes;
}

function removalOfReference(plan: Plan, referenceId: string): RecordChange[] | CommandProblem {
  const reference = plan.references.get(referenceId);
  if (reference === undefined) return unknown('referenceId', referenceId);
  const changes: RecordChange[] = [];
  for (const clock of plan.clocks.values()) {
    if (!clock.referenceIds.includes(referenceId)) continue;
    const referenceIds = clock.referenceIds.filter((id) => id !== referenceId);
    changes.push(...put('clocks', clock, { ...clock, referenceIds }));
  }
  changes.push(...groupsWithout(plan, 'reference', referenceId), remove('references', reference));
  return changes;
}

function groupsWithout(plan: Plan, kind: 'device' | 'reference', id: string): RecordChange[] {
  return [...plan.clockGroups.values()]
    .filter((g) => g.authority?.kind === kind && g.authority.id === id)
    .flatMap((g) => put('clockGroups', g, { ...g, authority: null }));
}

function removalOfClockGroup(plan: Plan, groupId: string): RecordChange[] | CommandProblem {
  const group = plan.clockGroups.get(groupId);
  if (group === undefined) return unknown('groupId', groupId);
  const changes: RecordChange[] = [];
  for (const clock of plan.clocks.values()) {
    if (clock.groupId !== groupId && clock.secondGroupId !== groupId) continue;
    const without = (own: string | null) => (own === groupId ? null : own);
    const after = { ...clock, groupId: without(clock.groupId), secondGroupId: without(clock.secondGroupId) };
    changes.push(...put('clocks', clock, after));
  }
  return [...changes, remove('clockGroups', group)];
}

/** What other records say of a device as a clock goes with it: who asks it, what it gives, what it decides. */
function clockChangesWithout(plan: Plan, deviceId: string): RecordChange[] {
  const changes: RecordChange[] = [];
  for (const clock of plan.clocks.values()) {
    if (clock.id === deviceId) changes.push(remove('clocks', clock));
    else if (clock.unicastMasterIds.includes(deviceId)) {
      const unicastMasterIds = clock.unicastMasterIds.filter((id) => id !== deviceId);
      changes.push(...put('clocks', clock, { ...clock, unicastMasterIds }));
    }
  }
  for (const reference of plan.references.values()) {
    if (reference.fromDeviceId !== deviceId) continue;
    changes.push(...put('references', reference, { ...reference, fromDeviceId: null, isFed: false }));
  }
  changes.push(...groupsWithout(plan, 'device', deviceId));
  return changes;
}

function labelChanges(plan: Plan, command: Extract<Command, { kind: 'label-channels' }>) {
  const { deviceId, side } = command;
  if (!plan.devices.has(deviceId)) return unknown('deviceId', deviceId);
  const count = labelledCount(plan, deviceId, side);
  const changes: RecordChange[] = [];
  for (const [index, { channel, label, short }] of command.labels.entries()) {
    if (channel < 1 || channel > count) return outOfRange(`labels[${index}].channel`, channel, count);
    const before = plan.labels.get(deviceId)?.get(`${side}/${channel}`) ?? null;
    const shortNow = short === undefined ? (before?.short ?? null) : short === '' ? null : short;
    const after = label === null || label === '' ? null : { deviceId, side, channel, label, short: shortNow };
    if (before?.label !== after?.label || before?.short !== after?.short) {
      changes.push({ table: 'labels', before, after });
    }
  }
  return changes;
}

function outOfRange(field: string, value: number, count: number): CommandProblem {
  return { reason: 'out-of-range', field, value: String(value), limit: `1 to ${count}` };
}

function subscribeChanges(plan: Plan, subscriptions: readonly Subscription[]): RecordChange[] | CommandProblem {
  const changes: RecordChange[] = [];
  for (const [index, s] of subscriptions.entries()) {
    const at = `subscriptions[${index}]`;
    if (!plan.devices.has(s.receiverDeviceId)) return unknown(`${at}.receiverDeviceId`, s.receiverDeviceId);
    if (!plan.devices.has(s.senderDeviceId)) return unknown(`${at}.senderDeviceId`, s.senderDeviceId);
    const receives = channelCount(plan, s.receiverDeviceId, 'receive');
    if (s.receiverChannel < 1 || s.receiverChannel > receives) {
      return outOfRange(`${at}.receiverChannel`, s.receiverChannel, receives);
    }
    const sends = channelCount(plan, s.senderDeviceId, 'send');
    if (s.senderChannel < 1 || s.senderChannel > sends) {
      return outOfRange(`${at}.senderChannel`, s.senderChannel, sends);
    }
    const before = subscriptionsOf(plan, s.receiverDeviceId).get(s.receiverChannel) ?? null;
    changes.push({ table: 'subscriptions', before, after: s });
  }
  return changes;
}
