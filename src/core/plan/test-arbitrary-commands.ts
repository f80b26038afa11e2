import fc from 'fast-check';
import { recordsIn, type AnyRecord } from './changes';
import { COMMAND_KINDS, commandShape, derivedCommand, type Command } from './commands';
import type { Plan } from './plan';
import { POINTERS_FROM } from './points-to';
import { declarationOf, TABLE_NAMES, type TableName } from './tables';
import { valueOf, choicesFrom, chosen, pointed, ADAPTED, type Choices, type KeysOf } from './test-arbitrary';

/** Commands for property tests: each fits the plan that it is made for, and its fields are filled as its declaration says. */

/** Fields of commands that name a record, by the table that it is in. */
const NAMED_BY: Readonly<Record<string, TableName>> = {
  deviceId: 'devices',
  senderDeviceId: 'devices',
  receiverDeviceId: 'devices',
  ...Object.fromEntries(
    TABLE_NAMES.flatMap((t) => {
      const words = declarationOf(t).command;
      return words?.id === undefined || words.id === 'deviceId' ? [] : [[words.id, t]];
    }),
  ),
};

/** A command of any kind, made for the plan that it is given: mostly of things that are there. */
type CommandFor = (plan: Plan) => Command | null;

export function arbitraryCommand(kinds: readonly string[] = COMMAND_KINDS): fc.Arbitrary<CommandFor> {
  return fc.oneof(...kinds.map((kind) => commandOfKind(kind)));
}

function commandOfKind(kind: string): fc.Arbitrary<CommandFor> {
  if (kind === 'put-records')
    return fc.constantFrom(...TABLE_NAMES.filter((t) => commandShape(kind, t) !== null)).chain((t) => made(kind, t));
  return made(kind, null);
}

function made(kind: string, records: TableName | null): fc.Arbitrary<CommandFor> {
  const shape = commandShape(kind, records);
  if (shape === null) throw new Error(`no browser may ask for ${kind}`);
  return fc.tuple(valueOf(shape) as fc.Arbitrary<AnyRecord>, fc.nat()).map(([raw, seed]): CommandFor => {
    const make: CommandFor = (plan) => {
      const choices = choicesFrom(seed);
      const keysOf = (t: TableName) =>
        t === 'settings' ? ['settings'] : [...(plan[t] as ReadonlyMap<string, unknown>).keys()];
      const existing = (t: TableName) => chosen([...recordsIn(t, plan[t])], choices.next().value);
      /** Half of what is put takes the place of what is there, in some of its fields. */
      const record = (t: TableName, value: AnyRecord): AnyRecord | null => {
        const whole = pointed(t, value, keysOf, choices);
        const base = choices.next().value < 0.7 ? existing(t) : undefined;
        if (whole === null || base === undefined) return whole && (ADAPTED[t]?.(whole, plan, choices) ?? whole);
        const { owner, key } = declarationOf(t);
        const fixed = new Set([owner, ...key, 'id']);
        const some = Object.entries(whole).filter(([name]) => !fixed.has(name) && choices.next().value < 0.4);
        return { ...base, ...Object.fromEntries(some) };
      };
      const named = (value: AnyRecord): AnyRecord =>
        Object.fromEntries(
          Object.entries(value).map(([name, v]) => {
            const table = kind.endsWith('-clock-group') && name === 'groupId' ? 'clockGroups' : NAMED_BY[name];
            return [name, table === undefined ? v : (chosen(keysOf(table), choices.next().value) ?? v)];
          }),
        );
      const found = derivedCommand(kind);
      const put = found?.verb === 'put' ? found.table : kind === 'add-device' ? 'devices' : null;
      if (put !== null) {
        const field = declarationOf(put).command?.as ?? '';
        const value = record(put, raw[field] as AnyRecord);
        return value && ({ ...raw, [field]: value } as unknown as Command);
      }
      if (records !== null) {
        const values = (raw['records'] as AnyRecord[]).flatMap((r) => record(records, r) ?? []);
        return values.length === 0 ? null : ({ ...raw, records: values } as unknown as Command);
      }
      if (found?.verb === 'remove' && declarationOf(found.table).owner !== null) {
        const one = existing(found.table);
        const fields = Object.keys(raw).filter((name) => name !== 'kind');
        return one === undefined
          ? null
          : ({ ...raw, ...Object.fromEntries(fields.map((f) => [f, one[f]])) } as unknown as Command);
      }
      const lists = Object.fromEntries(
        Object.entries(raw).map(([name, v]) => {
          if (Array.isArray(v)) return [name, (v as AnyRecord[]).map((item) => low(named(item), choices))];
          if (kind === 'change-device' && name === 'change') return [name, changeOf(v as AnyRecord, keysOf, choices)];
          return [name, v];
        }),
      );
      return named(lists) as unknown as Command;
    };
    // So that a failing property says which command it was.
    return Object.assign(make, { [fc.toStringMethod]: () => JSON.stringify({ raw, seed }) });
  });
}

/** Channels that devices have: the first few. */
export function low(item: AnyRecord, choices: Choices): AnyRecord {
  const channels = ['channel', 'receiverChannel', 'senderChannel'].filter((name) => name in item);
  return { ...item, ...Object.fromEntries(channels.map((name) => [name, 1 + Math.floor(choices.next().value * 8)])) };
}

function changeOf(change: AnyRecord, keysOf: KeysOf, choices: Choices): AnyRecord {
  const some = Object.fromEntries(Object.entries(change).filter(() => choices.next().value < 0.3));
  for (const reference of POINTERS_FROM.devices) {
    const field = reference.fieldOf(some, '');
    if (some[field] != null) some[field] = chosen(keysOf(reference.to), choices.next().value);
  }
  return some;
}
