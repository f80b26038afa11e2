import { inverseOf, recordPlace, type AnyRecord, type RecordChange, type RecordPlace } from './changes';
import { derivedCommand, type Command } from './commands';
import { Draft, type CommandProblem } from './draft';
import { channelCount, labelledCount, type Plan } from './plan';
import type { InSteps } from './in-steps';
import { sameValue } from './same-value';
import { poolProblem } from './settings-table';
import { declarationOf, type RecordOfTable, type TableName } from './tables';

export type { CommandProblem } from './draft';

export type ApplyResult =
  | {
      readonly ok: true;
      readonly plan: Plan;
      readonly changes: readonly RecordChange[];
      readonly inverse: readonly RecordChange[];
    }
  | { readonly ok: false; readonly problem: CommandProblem };

/**
 * Applies a batch: all of it or nothing. `inverse` takes it back exactly. What the tables declare holds for the batch as a whole:
 * a record may point at one that a later command brings. Pure; the cost is that of the records touched, and of the tables that
 * hold them once.
 */
export function applyCommands(plan: Plan, commands: readonly Command[]): ApplyResult {
  const draft = new Draft(plan);
  for (let index = 0; index < commands.length; index += 1) {
    const problem = write(draft, commands[index] as Command, index);
    if (problem !== null) return { ok: false, problem: { ...problem, field: `commands[${index}].${problem.field}` } };
  }
  return resultOf(draft, draft.settle('command'));
}

/** Brings records back as they were (undo, redo), with what the tables declare of those that others changed meanwhile. */
export function restoreRecords(plan: Plan, changes: readonly RecordChange[]): ApplyResult {
  const draft = new Draft(plan);
  writeChanges(draft, changes);
  return resultOf(draft, draft.settle('restoring'));
}

/** So many records are looked at in a step. */
const MENDED_AT_ONCE = 10_000;

/** A plan from before a promise held, made sound: what points at nothing is emptied or goes. */
export function* mendPlan(plan: Plan, empty: Plan, everything: readonly RecordChange[]): InSteps<ApplyResult> {
  const draft = new Draft(empty);
  const parts: (readonly RecordChange[])[] = [];
  for (let at = 0; at < everything.length; at += MENDED_AT_ONCE) parts.push(everything.slice(at, at + MENDED_AT_ONCE));
  for (const part of parts) {
    writeChanges(draft, part);
    yield;
  }
  const problem = yield* draft.settleInSteps('mending');
  if (problem !== null) return { ok: false, problem };
  const mended = draft.plan();
  const changes: RecordChange[] = [];
  for (const part of parts) {
    for (const { table, after } of part) {
      const now = draft.get(table, recordPlace(table, after));
      if (!sameValue(now, after)) changes.push({ table, before: after, after: now } as unknown as RecordChange);
    }
    yield;
  }
  return { ok: true, plan: changes.length === 0 ? plan : mended, changes, inverse: inverseOf(changes) };
}

function writeChanges(draft: Draft, changes: readonly RecordChange[]): void {
  for (const [index, { table, before, after }] of changes.entries()) {
    const origin = { command: index, field: table, index: null };
    if (after !== null) draft.put(table, after, origin);
    else if (before !== null) draft.remove(table, recordPlace(table, before), origin);
  }
}

function resultOf(draft: Draft, problem: CommandProblem | null): ApplyResult {
  if (problem !== null) return { ok: false, problem };
  const changes = draft.changes();
  return { ok: true, plan: draft.plan(), changes, inverse: inverseOf(changes) };
}

const unknown = (field: string, value: string): CommandProblem => ({ reason: 'unknown', field, value });
const outOfRange = (field: string, value: number, count: number): CommandProblem => ({
  reason: 'out-of-range',
  field,
  value: String(value),
  limit: `1 to ${count}`,
});
const ofDevice = (deviceId: string): RecordPlace => ({ owner: null, key: deviceId });

/** What is wrong by the command alone; what follows from it is for the draft to settle. */
function write(draft: Draft, command: Command, index: number): CommandProblem | null {
  const single = (field: string) => ({ command: index, field, index: null });
  switch (command.kind) {
    case 'change-settings': {
      const problem = poolProblem(command.settings);
      if (problem !== null) {
        const { path, ...rest } = problem;
        return { ...rest, field: `settings.${path}` };
      }
      draft.put('settings', { ...draft.now.settings, ...command.settings, id: 'settings' }, single('settings'));
      return null;
    }
    case 'add-device':
      if (draft.now.devices.has(command.device.id)) {
        return { reason: 'exists', field: 'device.id', value: command.device.id };
      }
      draft.put('devices', command.device, single('device'));
      return null;
    case 'change-device': {
      const device = draft.get('devices', ofDevice(command.deviceId));
      if (device === null) return unknown('deviceId', command.deviceId);
      draft.put('devices', { ...device, ...command.change, id: device.id }, single('change'));
      return null;
    }
    case 'label-channels':
      return labelChannels(draft, command, index);
    case 'subscribe':
      return subscribe(draft, command, index);
    case 'unsubscribe':
      for (const { deviceId, channel } of command.channels) {
        const place = { owner: deviceId, key: channel };
        if (draft.get('subscriptions', place) !== null) draft.remove('subscriptions', place, single('channels'));
      }
      return null;
    case 'lay-out-streams':
      return putAndDrop(draft, 'layouts', command, index);
    case 'keep-sent-streams':
      for (const [n, record] of (command.ends ?? []).entries()) {
        draft.put('streamEnds', record, { command: index, field: 'ends', index: n });
      }
      return putAndDrop(draft, 'sentStreams', command, index);
    case 'put-records':
      for (const [n, record] of command.records.entries()) {
        const origin = { command: index, field: 'records', index: n, isAsItStands: true };
        draft.put(command.table, record as RecordOfTable[TableName], origin);
      }
      return null;
    default:
      return writeDerived(draft, command as Derived, index);
  }
}

type Own =
  | 'change-settings'
  | 'add-device'
  | 'change-device'
  | 'label-channels'
  | 'subscribe'
  | 'unsubscribe'
  | 'lay-out-streams'
  | 'keep-sent-streams'
  | 'put-records';
type Derived = Exclude<Command, { kind: Own }>;

function writeDerived(draft: Draft, command: Derived, index: number): CommandProblem | null {
  const found = derivedCommand(command.kind);
  if (found === null) throw new Error(`no such command: ${(command as { kind: string }).kind}`);
  const { table, verb } = found;
  const { command: words, owner, key } = declarationOf(table);
  const fields = command as unknown as AnyRecord;
  const as = words?.as ?? '';
  if (verb === 'put') {
    draft.put(table, fields[as] as RecordOfTable[TableName], { command: index, field: as, index: null });
    return null;
  }
  const field = words?.id ?? key[key.length - 1] ?? owner ?? '';
  const place = words?.id === undefined ? recordPlace(table, fields) : ofDevice(fields[words.id] as string);
  if (draft.get(table, place) === null) {
    return unknown(field, place.owner === null ? String(place.key) : `${place.owner}/${place.key}`);
  }
  draft.remove(table, place, { command: index, field, index: null });
  return null;
}

function putAndDrop<T extends 'layouts' | 'sentStreams'>(
  draft: Draft,
  table: T,
  {
    put,
    drop,
  }: { put: readonly RecordOfTable[T][]; drop: readonly { senderDeviceId: string; streamNumber: number }[] },
  index: number,
): null {
  for (const { senderDeviceId, streamNumber } of drop) {
    const place = { owner: senderDeviceId, key: streamNumber };
    if (draft.get(table, place) !== null) draft.remove(table, place, { command: index, field: 'drop', index: null });
  }
  for (const [n, record] of put.entries()) draft.put(table, record, { command: index, field: 'put', index: n });
  return null;
}

function labelChannels(
  draft: Draft,
  { deviceId, side, labels }: Extract<Command, { kind: 'label-channels' }>,
  index: number,
): CommandProblem | null {
  if (!draft.now.devices.has(deviceId)) return unknown('deviceId', deviceId);
  const count = labelledCount(draft.now, deviceId, side);
  for (const [n, { channel, label, short }] of labels.entries()) {
    if (channel < 1 || channel > count) return outOfRange(`labels[${n}].channel`, channel, count);
    const place = { owner: deviceId, key: `${side}/${channel}` };
    const before = draft.get('labels', place);
    const origin = { command: index, field: 'labels', index: n };
    if (label === null || label === '') {
      if (before !== null) draft.remove('labels', place, origin);
      continue;
    }
    const shortNow = short === undefined ? (before?.short ?? null) : short === '' ? null : short;
    draft.put('labels', { deviceId, side, channel, label, short: shortNow }, origin);
  }
  return null;
}

function subscribe(
  draft: Draft,
  { subscriptions }: Extract<Command, { kind: 'subscribe' }>,
  index: number,
): CommandProblem | null {
  const { devices } = draft.now;
  for (let n = 0; n < subscriptions.length; n += 1) {
    const s = subscriptions[n] as (typeof subscriptions)[number];
    const at = (field: string) => `subscriptions[${n}].${field}`;
    if (!devices.has(s.receiverDeviceId)) return unknown(at('receiverDeviceId'), s.receiverDeviceId);
    if (!devices.has(s.senderDeviceId)) return unknown(at('senderDeviceId'), s.senderDeviceId);
    const receives = channelCount(draft.now, s.receiverDeviceId, 'receive');
    if (s.receiverChannel < 1 || s.receiverChannel > receives) {
      return outOfRange(at('receiverChannel'), s.receiverChannel, receives);
    }
    const sends = channelCount(draft.now, s.senderDeviceId, 'send');
    if (s.senderChannel < 1 || s.senderChannel > sends) return outOfRange(at('senderChannel'), s.senderChannel, sends);
    draft.put('subscriptions', s, { command: index, field: 'subscriptions', index: n });
  }
  return null;
}
