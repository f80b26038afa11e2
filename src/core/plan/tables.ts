import { clockGroups } from '../clocks/clock-groups-table';
import { clocks } from '../clocks/clocks-table';
import { coherenceGroups } from '../delay/coherence-groups-table';
import { references } from '../clocks/references-table';
import { models } from '../models/models-table';
import { interfaces } from '../network/interfaces-table';
import { links } from '../network/links-table';
import { subnets } from '../network/subnets-table';
import { switches } from '../network/switches-table';
import { busSends } from '../patch/bus-sends-table';
import { patches } from '../patch/patches-table';
import { substitutions } from '../patch/substitutions-table';
import { ticks } from '../patch/ticks-table';
import { audioCables } from '../signal/audio-cables-table';
import { channelSettings } from '../signal/channel-settings-table';
import { sideTraffic } from '../signal/side-traffic-table';
import { pluggedIn } from '../signal/plugged-in-table';
import { slotBuses } from '../slots/slot-buses-table';
import { slotUnits } from '../slots/slot-units-table';
import { groupChoices } from '../streams/group-choices-table';
import { layouts } from '../streams/layouts-table';
import { sentStreams } from '../streams/sent-streams-table';
import { streamEnds } from '../streams/stream-ends-table';
import { devices } from './devices-table';
import { labels } from './labels-table';
import { places } from './places-table';
import { settings } from './settings-table';
import type { Described } from './shape';
import { subscriptions } from './subscriptions-table';
import type { TableDeclaration } from './table';

/** Every table of a plan, in the order in which a plan file lists them: what is pointed at mostly comes first. */
export const TABLES = {
  settings,
  places,
  models,
  subnets,
  devices,
  links,
  switches,
  references,
  clockGroups,
  clocks,
  slotBuses,
  slotUnits,
  interfaces,
  labels,
  subscriptions,
  sentStreams,
  streamEnds,
  groupChoices,
  layouts,
  pluggedIn,
  channelSettings,
  audioCables,
  patches,
  busSends,
  substitutions,
  coherenceGroups,
  sideTraffic,
  ticks,
} as const;

type Tables = typeof TABLES;
export type TableName = keyof Tables;
/** The record type of each table. The names are those of the plan file and of the database. */
export type RecordOfTable = { readonly [T in TableName]: Described<Tables[T]['shape']> };
type RecordOf<T extends TableName> = RecordOfTable[T];

type FlatTable<T> = ReadonlyMap<string, T>;
/** Records that belong to a device, by device id and then by their key within the device. */
type OwnedTable<K, T> = ReadonlyMap<string, ReadonlyMap<K, T>>;

/** An owned record is keyed by its one key field as it is, or by several as text with slashes between. */
type OwnKey<T extends TableName> = Tables[T]['key'] extends readonly [infer F extends keyof RecordOf<T>]
  ? RecordOf<T>[F]
  : string;
export type TableValue<T extends TableName> = T extends 'settings'
  ? RecordOf<T>
  : Tables[T]['owner'] extends string
    ? OwnedTable<OwnKey<T>, RecordOf<T>>
    : FlatTable<RecordOf<T>>;

export const TABLE_NAMES = Object.keys(TABLES) as readonly TableName[];

/** A declaration for code that treats all tables alike. */
export function declarationOf(table: TableName): TableDeclaration<Record<string, unknown>> {
  return TABLES[table] as unknown as TableDeclaration<Record<string, unknown>>;
}
