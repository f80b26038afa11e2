import { index, integer, primaryKey, real, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import type { Command } from '../core/plan/commands';
import type { RecordChange } from '../core/plan/changes';
import type { MapLimits, Model, ModelPort, NamingAbility, Switching } from '../core/models/model';
import type { ClockAbility } from '../core/clocks/ability';
import type { SlotAbility } from '../core/slots/slot-ability';
import type {
  BusShape,
  ClockGroup,
  ClockSettings,
  Link,
  LinkEnd,
  PlanSettings,
  Reference,
  SentStream,
  Side,
  Subnet,
  SubnetRole,
  SwitchSettings,
} from '../core/plan/records';
import type { StreamCapability } from '../core/streams/capability';
import type { Encoding, PacketTimeUs, RateHz, StreamFormat } from '../core/streams/format';

/** One row per plan. `revision` counts the batches applied to it. */
export const plans = sqliteTable('plans', {
  id: text('id').primaryKey(),
  revision: integer('revision').notNull(),
  createdAt: integer('created_at').notNull(),
  changedAt: integer('changed_at').notNull(),
  /** When it was put away; it can be brought back. */
  removedAt: integer('removed_at'),
});

const planId = () =>
  text('plan_id')
    .notNull()
    .references(() => plans.id);

/** Every batch ever applied, with what takes it back. Nothing is deleted from it. */
export const journal = sqliteTable(
  'journal',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    planId: planId(),
    revision: integer('revision').notNull(),
    kind: text('kind').$type<'do' | 'undo' | 'redo'>().notNull(),
    /** False for what the system notes by itself, such as what was sent. */
    isUndoable: integer('is_undoable', { mode: 'boolean' }).notNull(),
    /** For an undo or redo: the entry that it takes back or does again. */
    ofEntryId: integer('of_entry_id'),
    /** Set on an entry while it is undone, and on an undo once it was redone. */
    isSpent: integer('is_spent', { mode: 'boolean' }).notNull(),
    authorId: text('author_id').notNull(),
    authorName: text('author_name').notNull(),
    at: integer('at').notNull(),
    title: text('title').notNull(),
    commands: text('commands', { mode: 'json' }).$type<readonly Command[]>().notNull(),
    changes: text('changes', { mode: 'json' }).$type<readonly RecordChange[]>().notNull(),
  },
  (t) => [index('journal_plan_revision').on(t.planId, t.revision)],
);

export const settings = sqliteTable(
  'settings',
  {
    planId: planId(),
    id: text('id').$type<'settings'>().notNull(),
    name: text('name').notNull(),
    preferredEncoding: text('preferred_encoding').$type<PlanSettings['preferredEncoding']>().notNull(),
    preferredPacketTimeUs: integer('preferred_packet_time_us').$type<PacketTimeUs>().notNull(),
    poolA: text('pool_a').notNull(),
    poolB: text('pool_b').notNull(),
    rtpPort: integer('rtp_port').notNull(),
    vlanTagged: integer('vlan_tagged', { mode: 'boolean' }).notNull(),
    loadCeilingPercent: integer('load_ceiling_percent').notNull().default(70),
    controlBitsPerSecond: integer('control_bits_per_second').notNull().default(1_000_000),
    multicastTtl: integer('multicast_ttl').notNull().default(32),
    ptpDscp: integer('ptp_dscp').notNull().default(46),
    mediaDscp: integer('media_dscp').notNull().default(34),
    discovery: text('discovery').$type<PlanSettings['discovery']>().notNull().default('registry'),
  },
  (t) => [primaryKey({ columns: [t.planId] })],
);

export const places = sqliteTable(
  'places',
  { planId: planId(), id: text('id').notNull(), name: text('name').notNull(), parentId: text('parent_id') },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const models = sqliteTable(
  'models',
  {
    planId: planId(),
    id: text('id').notNull(),
    name: text('name').notNull(),
    maker: text('maker').notNull(),
    kind: text('kind').$type<Model['kind']>().notNull(),
    channelsReceive: integer('channels_receive').notNull(),
    channelsSend: integer('channels_send').notNull(),
    channelPool: integer('channel_pool'),
    streamsReceive: integer('streams_receive').notNull(),
    streamsSend: integer('streams_send').notNull(),
    channelsPerStreamMax: integer('channels_per_stream_max').notNull(),
    sends: text('sends', { mode: 'json' }).$type<StreamCapability>().notNull(),
    receives: text('receives', { mode: 'json' }).$type<StreamCapability>().notNull(),
    ratesHz: text('rates_hz', { mode: 'json' }).$type<readonly RateHz[]>().notNull(),
    ports: text('ports', { mode: 'json' }).$type<readonly ModelPort[]>().notNull(),
    linkOffsetMinNs: integer('link_offset_min_ns').notNull(),
    switching: text('switching', { mode: 'json' }).$type<Switching>(),
    clock: text('clock', { mode: 'json' }).$type<ClockAbility>(),
    slots: text('slots', { mode: 'json' }).$type<SlotAbility>(),
    naming: text('naming', { mode: 'json' }).$type<NamingAbility>(),
    receiveMap: text('receive_map', { mode: 'json' }).$type<MapLimits>(),
    passesThrough: integer('passes_through').notNull().default(0),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const subnets = sqliteTable(
  'subnets',
  {
    planId: planId(),
    id: text('id').notNull(),
    name: text('name').notNull(),
    cidr: text('cidr').notNull(),
    vlan: integer('vlan'),
    role: text('role').$type<SubnetRole>().notNull(),
    dhcp: text('dhcp', { mode: 'json' }).$type<Subnet['dhcp']>(),
    gateway: text('gateway'),
    querierIds: text('querier_ids', { mode: 'json' }).$type<readonly string[]>().notNull().default([]),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const devices = sqliteTable(
  'devices',
  {
    planId: planId(),
    id: text('id').notNull(),
    name: text('name').notNull(),
    modelId: text('model_id').notNull(),
    placeId: text('place_id'),
    rateHz: integer('rate_hz').$type<RateHz>().notNull(),
    sendsEncoding: text('sends_encoding').$type<Encoding>(),
    sendsPacketTimeUs: integer('sends_packet_time_us').$type<PacketTimeUs>(),
    linkOffsetNs: integer('link_offset_ns'),
    sendsUnicast: integer('sends_unicast', { mode: 'boolean' }).notNull().default(false),
    isPatchForeign: integer('is_patch_foreign', { mode: 'boolean' }).notNull().default(false),
    throughId: text('through_id'),
    serial: text('serial'),
    nodeId: text('node_id'),
    notes: text('notes').notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const links = sqliteTable(
  'links',
  {
    planId: planId(),
    id: text('id').notNull(),
    from: text('from_end', { mode: 'json' }).$type<LinkEnd>().notNull(),
    to: text('to_end', { mode: 'json' }).$type<LinkEnd>().notNull(),
    bitsPerSecond: integer('bits_per_second').notNull(),
    metres: real('metres').notNull(),
    cable: text('cable').$type<Link['cable']>(),
    duplex: text('duplex').$type<Link['duplex']>().notNull().default('full'),
    joinedAs: text('joined_as'),
    setAsidePercent: integer('set_aside_percent').notNull().default(0),
    carries: text('carries', { mode: 'json' }).$type<Link['carries']>(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const switches = sqliteTable(
  'switch_settings',
  {
    planId: planId(),
    id: text('id').notNull(),
    snooping: integer('snooping', { mode: 'boolean' }).notNull(),
    trustsDscp: integer('trusts_dscp', { mode: 'boolean' }).notNull(),
    queueByDscp: text('queue_by_dscp', { mode: 'json' }).$type<SwitchSettings['queueByDscp']>().notNull(),
    energySaving: integer('energy_saving', { mode: 'boolean' }).notNull(),
    spanningTree: integer('spanning_tree', { mode: 'boolean' }).notNull(),
    bridgePriority: integer('bridge_priority').notNull(),
    multicastRouting: integer('multicast_routing', { mode: 'boolean' }).notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const references = sqliteTable(
  'clock_references',
  {
    planId: planId(),
    id: text('id').notNull(),
    name: text('name').notNull(),
    kind: text('kind').$type<Reference['kind']>().notNull(),
    fromDeviceId: text('from_device_id'),
    rateHz: integer('rate_hz'),
    isFed: integer('is_fed', { mode: 'boolean' }).notNull(),
    offsetNs: integer('offset_ns').notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const clockGroups = sqliteTable(
  'clock_groups',
  {
    planId: planId(),
    id: text('id').notNull(),
    name: text('name').notNull(),
    rateHz: integer('rate_hz').$type<RateHz>().notNull(),
    authority: text('authority', { mode: 'json' }).$type<ClockGroup['authority']>(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const clocks = sqliteTable(
  'clock_settings',
  {
    planId: planId(),
    id: text('id').notNull(),
    runsPtp: integer('runs_ptp', { mode: 'boolean' }).notNull(),
    clientOnly: integer('client_only', { mode: 'boolean' }).notNull(),
    domainNumber: integer('domain_number').notNull(),
    profile: text('profile').$type<ClockSettings['profile']>().notNull(),
    priority1: integer('priority1').notNull(),
    priority2: integer('priority2').notNull(),
    logAnnounceInterval: integer('log_announce_interval').notNull(),
    logSyncInterval: integer('log_sync_interval').notNull(),
    logDelayRequestInterval: integer('log_delay_request_interval').notNull(),
    announceTimeout: integer('announce_timeout').notNull(),
    clockIdentity: text('clock_identity'),
    relay: text('relay').$type<ClockSettings['relay']>().notNull(),
    unicastMasterIds: text('unicast_master_ids', { mode: 'json' }).$type<readonly string[]>().notNull(),
    mediaClock: text('media_clock').$type<ClockSettings['mediaClock']>().notNull(),
    referenceIds: text('reference_ids', { mode: 'json' }).$type<readonly string[]>().notNull(),
    groupId: text('group_id'),
    secondGroupId: text('second_group_id'),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const slotBuses = sqliteTable(
  'slot_buses',
  {
    planId: planId(),
    id: text('id').notNull(),
    name: text('name').notNull(),
    shape: text('shape').$type<BusShape>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const slotUnits = sqliteTable(
  'slot_units',
  {
    planId: planId(),
    id: text('id').notNull(),
    busId: text('bus_id').notNull(),
    order: integer('place_along').notNull(),
    talks: text('talks', { mode: 'json' }).$type<readonly (number | null)[]>().notNull(),
    hears: text('hears', { mode: 'json' }).$type<readonly (number | null)[]>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.id] })],
);

export const interfaces = sqliteTable(
  'interfaces',
  {
    planId: planId(),
    deviceId: text('device_id').notNull(),
    name: text('name').notNull(),
    subnetId: text('subnet_id'),
    address: text('address'),
  },
  (t) => [primaryKey({ columns: [t.planId, t.deviceId, t.name] })],
);

export const labels = sqliteTable(
  'channel_labels',
  {
    planId: planId(),
    deviceId: text('device_id').notNull(),
    side: text('side').$type<Side>().notNull(),
    channel: integer('channel').notNull(),
    label: text('label').notNull(),
    short: text('short'),
  },
  (t) => [primaryKey({ columns: [t.planId, t.deviceId, t.side, t.channel] })],
);

export const subscriptions = sqliteTable(
  'subscriptions',
  {
    planId: planId(),
    receiverDeviceId: text('receiver_device_id').notNull(),
    receiverChannel: integer('receiver_channel').notNull(),
    senderDeviceId: text('sender_device_id').notNull(),
    senderChannel: integer('sender_channel').notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.receiverDeviceId, t.receiverChannel] })],
);

export const sentStreams = sqliteTable(
  'sent_streams',
  {
    planId: planId(),
    senderDeviceId: text('sender_device_id').notNull(),
    slot: integer('slot').notNull(),
    channels: text('channels', { mode: 'json' }).$type<readonly number[]>().notNull(),
    format: text('format', { mode: 'json' }).$type<StreamFormat>().notNull(),
    groupA: text('group_a'),
    groupB: text('group_b'),
    receivers: text('receivers', { mode: 'json' }).$type<SentStream['receivers']>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.senderDeviceId, t.slot] })],
);

export const groupChoices = sqliteTable(
  'group_choices',
  {
    planId: planId(),
    senderDeviceId: text('sender_device_id').notNull(),
    slot: integer('slot').notNull(),
    groupA: text('group_a'),
    groupB: text('group_b'),
  },
  (t) => [primaryKey({ columns: [t.planId, t.senderDeviceId, t.slot] })],
);

export const streamLayouts = sqliteTable(
  'stream_layouts',
  {
    planId: planId(),
    senderDeviceId: text('sender_device_id').notNull(),
    slot: integer('slot').notNull(),
    channels: text('channels', { mode: 'json' }).$type<readonly number[]>().notNull(),
    format: text('format', { mode: 'json' }).$type<StreamFormat>().notNull(),
    isHeld: integer('is_held', { mode: 'boolean' }).notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.senderDeviceId, t.slot] })],
);
