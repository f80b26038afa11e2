import type { FlatTable, Plan } from './plan';
import type {
  ChannelLabel,
  ClockGroup,
  ClockSettings,
  Device,
  GroupChoice,
  Interface,
  Link,
  Model,
  Place,
  PlanSettings,
  Reference,
  SentStream,
  SlotBus,
  SlotUnit,
  StreamLayout,
  Subnet,
  Subscription,
  SwitchSettings,
} from './records';

/** The record type of each table. The names are those of the plan file and of the database. */
export interface RecordOfTable {
  settings: PlanSettings;
  places: Place;
  models: Model;
  subnets: Subnet;
  devices: Device;
  links: Link;
  switches: SwitchSettings;
  references: Reference;
  clockGroups: ClockGroup;
  clocks: ClockSettings;
  slotBuses: SlotBus;
  slotUnits: SlotUnit;
  interfaces: Interface;
  labels: ChannelLabel;
  subscriptions: Subscription;
  sentStreams: SentStream;
  groupChoices: GroupChoice;
  layouts: StreamLayout;
}
export type TableName = keyof RecordOfTable;

/** One record replaced: `before` null when it is new, `after` null when it is removed. */
export type RecordChange = {
  [T in TableName]: {
    readonly table: T;
    readonly before: RecordOfTable[T] | null;
    readonly after: RecordOfTable[T] | null;
  };
}[TableName];

const FLAT = [
  'places',
  'models',
  'subnets',
  'devices',
  'links',
  'switches',
  'references',
  'clockGroups',
  'clocks',
  'slotBuses',
  'slotUnits',
] as const;
type FlatName = (typeof FLAT)[number];
const OWNED = ['interfaces', 'labels', 'subscriptions', 'sentStreams', 'groupChoices', 'layouts'] as const;
type OwnedName = (typeof OWNED)[number];

/** Every table, in an order in which records may be written: what is pointed at comes first. */
export const TABLE_NAMES: readonly TableName[] = ['settings', ...FLAT, ...OWNED];

type OwnedKey = readonly [owner: string, key: string | number];

const OWNED_KEY: { readonly [T in OwnedName]: (record: RecordOfTable[T]) => OwnedKey } = {
  interfaces: (r) => [r.deviceId, r.name],
  labels: (r) => [r.deviceId, `${r.side}/${r.channel}`],
  subscriptions: (r) => [r.receiverDeviceId, r.receiverChannel],
  sentStreams: (r) => [r.senderDeviceId, r.slot],
  groupChoices: (r) => [r.senderDeviceId, r.slot],
  layouts: (r) => [r.senderDeviceId, r.slot],
};

function isOwned(table: TableName): table is OwnedName {
  return (OWNED as readonly string[]).includes(table);
}

/** The record's key within its table, as text: what conflicts are told by, e.g. `dome-amp-1/5`. */
export function recordKey<T extends TableName>(table: T, record: RecordOfTable[T]): string {
  if (!isOwned(table)) return (record as { id: string }).id;
  const [owner, key] = (OWNED_KEY[table] as (r: RecordOfTable[T]) => OwnedKey)(record);
  return `${owner}/${key}`;
}

/** Table and key of the record that a change touches. */
export function touchedKey(change: RecordChange): string {
  const record = change.after ?? change.before;
  return record === null ? change.table : `${change.table}:${recordKey(change.table, record)}`;
}

/** The changes that take everything back, in the order in which they must be applied. */
export function inverseOf(changes: readonly RecordChange[]): RecordChange[] {
  return changes.map((c) => ({ table: c.table, before: c.after, after: c.before }) as RecordChange).reverse();
}

/** Applies changes without asking what was there before. Untouched tables and owners keep their identity. */
export function applyChanges(plan: Plan, changes: readonly RecordChange[]): Plan {
  if (changes.length === 0) return plan;
  const flat = new Map<FlatName, Map<string, unknown>>();
  const owned = new Map<OwnedName, Map<string, ReadonlyMap<string | number, unknown>>>();
  const openOwners = new Set<ReadonlyMap<string | number, unknown>>();
  let settings = plan.settings;

  for (const change of changes) {
    const { table } = change;
    const record = change.after ?? change.before;
    if (record === null) continue;
    if (table === 'settings') {
      if (change.after !== null) settings = change.after as PlanSettings;
    } else if (isOwned(table)) {
      let owners = owned.get(table);
      if (owners === undefined) {
        owners = new Map(plan[table] as ReadonlyMap<string, ReadonlyMap<string | number, unknown>>);
        owned.set(table, owners);
      }
      const [owner, key] = (OWNED_KEY[table] as (r: unknown) => OwnedKey)(record);
      let records = owners.get(owner) as Map<string | number, unknown> | undefined;
      if (records === undefined || !openOwners.has(records)) {
        records = new Map(records ?? []);
        openOwners.add(records);
        owners.set(owner, records);
      }
      if (change.after === null) records.delete(key);
      else records.set(key, change.after);
      if (records.size === 0) owners.delete(owner);
    } else {
      let records = flat.get(table);
      if (records === undefined) {
        records = new Map(plan[table] as FlatTable<unknown>);
        flat.set(table, records);
      }
      if (change.after === null) records.delete((record as { id: string }).id);
      else records.set((record as { id: string }).id, change.after);
    }
  }
  return { ...plan, settings, ...Object.fromEntries(flat), ...Object.fromEntries(owned) } as Plan;
}

/** Every record of a plan as a change that adds it to an empty one. */
export function changesOfPlan(plan: Plan): RecordChange[] {
  const changes: RecordChange[] = [{ table: 'settings', before: null, after: plan.settings }];
  for (const table of FLAT) {
    for (const record of plan[table].values()) changes.push({ table, before: null, after: record } as RecordChange);
  }
  for (const table of OWNED) {
    for (const owner of plan[table].values()) {
      for (const record of owner.values()) changes.push({ table, before: null, after: record } as RecordChange);
    }
  }
  return changes;
}

/** The record that a change to the same key would replace. */
export function recordAt(plan: Plan, table: TableName, key: string): unknown {
  if (table === 'settings') return plan.settings;
  if (!isOwned(table)) return plan[table].get(key) ?? null;
  const slash = key.indexOf('/');
  const owner = (plan[table] as ReadonlyMap<string, ReadonlyMap<string | number, unknown>>).get(key.slice(0, slash));
  const rest = key.slice(slash + 1);
  return owner?.get(rest) ?? owner?.get(Number(rest)) ?? null;
}
