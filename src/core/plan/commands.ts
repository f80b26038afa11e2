import { layoutShape } from '../streams/layouts-table';
import { LABEL_MAX, SIDES } from './labels-table';
import {
  channel,
  exactly,
  id,
  list,
  missing,
  nullable,
  oneOf,
  partial,
  record,
  streamNumber,
  text,
  type Described,
  type RecordShape,
} from './shape';
import { subscriptionShape } from './subscriptions-table';
import { declarationOf, TABLE_NAMES, TABLES, type RecordOfTable, type TableName } from './tables';

/**
 * Everything that can be done to a plan. Each command is plain data, so that it can be sent, journalled and previewed. Every
 * table has commands that follow from its declaration: `put-<noun>` and `remove-<noun>` for one record, and `put-records` for many.
 * Those here say what a person means better than whole records would.
 */

/** What one command may carry. */
export const RECORDS_PER_COMMAND = 20_000;

const sentStreamKey = record({ senderDeviceId: id, streamNumber });
export type SentStreamKey = Described<typeof sentStreamKey>;

const labelChange = record({
  channel,
  label: nullable(text(LABEL_MAX)),
  short: missing(nullable(text(LABEL_MAX))),
});
export type LabelChange = Described<typeof labelChange>;

const receiverChannel = record({ deviceId: id, channel });

const deviceChange = partial(TABLES.devices.shape, 'id');

const OWN_SHAPES = {
  'change-settings': record({ kind: exactly('change-settings'), settings: partial(TABLES.settings.shape, 'id') }),
  'add-device': record({ kind: exactly('add-device'), device: TABLES.devices.shape }),
  'change-device': record({ kind: exactly('change-device'), deviceId: id, change: deviceChange }),
  /** A null label takes the label away, and the short one with it. A short label that is not named stays as it is. */
  'label-channels': record({
    kind: exactly('label-channels'),
    deviceId: id,
    side: oneOf(SIDES),
    labels: list(labelChange, 4096),
  }),
  subscribe: record({ kind: exactly('subscribe'), subscriptions: list(subscriptionShape, RECORDS_PER_COMMAND, 1) }),
  unsubscribe: record({ kind: exactly('unsubscribe'), channels: list(receiverChannel, RECORDS_PER_COMMAND, 1) }),
  /** How streams are laid out; `drop` gives them back to packing. */
  'lay-out-streams': record({
    kind: exactly('lay-out-streams'),
    put: list(layoutShape, RECORDS_PER_COMMAND),
    drop: list(sentStreamKey, RECORDS_PER_COMMAND),
  }),
  'keep-sent-streams': record({
    kind: exactly('keep-sent-streams'),
    put: list(TABLES.sentStreams.shape, RECORDS_PER_COMMAND),
    drop: list(sentStreamKey, RECORDS_PER_COMMAND),
    /** Which senders and receivers of the devices these streams are. */
    ends: missing(list(TABLES.streamEnds.shape, RECORDS_PER_COMMAND)),
  }),
} as const;

/** Only the server says what was sent. */
const SERVER_ONLY: ReadonlySet<string> = new Set<Command['kind']>(['keep-sent-streams']);

type OwnCommand = { [K in keyof typeof OWN_SHAPES]: Described<(typeof OWN_SHAPES)[K]> }[keyof typeof OWN_SHAPES];

type Tables = typeof TABLES;
type Flat<T> = { readonly [K in keyof T]: T[K] };
type PutOf<T extends TableName> = Tables[T] extends {
  command: { noun: infer N extends string; as: infer A extends string };
}
  ? Flat<{ readonly kind: `put-${N}` } & { readonly [F in A]: RecordOfTable[T] }>
  : never;
type RemoveOf<T extends TableName> = Tables[T] extends {
  command: { noun: infer N extends string; id: infer I extends string };
}
  ? Flat<{ readonly kind: `remove-${N}` } & { readonly [F in I]: string }>
  : Tables[T] extends {
        command: { noun: infer N extends string };
        owner: infer O extends keyof RecordOfTable[T];
        key: readonly (infer K extends keyof RecordOfTable[T])[];
      }
    ? Flat<{ readonly kind: `remove-${N}` } & Pick<RecordOfTable[T], O | K>>
    : never;
type PutRecordsOf<T extends TableName> = {
  readonly kind: 'put-records';
  readonly table: T;
  readonly records: readonly RecordOfTable[T][];
};
type DerivedCommand = { [T in TableName]: PutOf<T> | RemoveOf<T> | PutRecordsOf<T> }[TableName];

export type Command = OwnCommand | DerivedCommand;

/** A derived command: what it does to which table. */
export type Derived = { readonly verb: 'put' | 'remove'; readonly table: TableName };

const derived = new Map<string, Derived>();
for (const table of TABLE_NAMES) {
  const { command } = declarationOf(table);
  if (command === undefined) continue;
  derived.set(`put-${command.noun}`, { verb: 'put', table });
  derived.set(`remove-${command.noun}`, { verb: 'remove', table });
}

/** What a command of this kind does by the declaration of a table; null: it is one of those with a meaning of their own. */
export function derivedCommand(kind: string): Derived | null {
  return derived.get(kind) ?? null;
}

/** The kinds of commands that a browser may ask for. */
export const COMMAND_KINDS: readonly string[] = [...Object.keys(OWN_SHAPES), ...derived.keys(), 'put-records'].filter(
  (kind) => !SERVER_ONLY.has(kind),
);

/** The shape of a command of this kind; of `put-records` by its table, too. Null: no browser may ask for it. */
export function commandShape(kind: string, table: unknown): RecordShape<unknown> | null {
  if (SERVER_ONLY.has(kind)) return null;
  if (Object.hasOwn(OWN_SHAPES, kind)) return OWN_SHAPES[kind as keyof typeof OWN_SHAPES] as RecordShape<unknown>;
  if (kind === 'put-records') {
    if (typeof table !== 'string' || !Object.hasOwn(TABLES, table)) return null;
    const { shape, isServerOnly } = declarationOf(table as TableName);
    if (isServerOnly) return null;
    return record({ kind: exactly(kind), table: exactly(table), records: list(shape, RECORDS_PER_COMMAND, 1) });
  }
  const found = derived.get(kind);
  if (found === undefined) return null;
  const { shape, command, owner, key } = declarationOf(found.table);
  if (command === undefined) return null;
  if (found.verb === 'put') return record({ kind: exactly(kind), [command.as]: shape });
  if (command.id !== undefined) return record({ kind: exactly(kind), [command.id]: id });
  const fields = [owner ?? 'id', ...key].map((field) => [field, shape.properties[field]] as const);
  return record({ kind: exactly(kind), ...(Object.fromEntries(fields) as Record<string, RecordShape<unknown>>) });
}
