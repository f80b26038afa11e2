import { index, integer, primaryKey, real, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import type { Command } from '../core/plan/commands';
import type { RecordChange } from '../core/plan/changes';
import type { Model, ModelPort, Switching } from '../core/models/model';
import type { LinkEnd, PlanSettings, SentStream, Side, SubnetRole } from '../core/plan/records';
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
