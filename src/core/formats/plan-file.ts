import Ajv, { type ErrorObject, type ValidateFunction } from 'ajv';
import { DEVICE_KINDS, PORT_ROLES } from '../models/model';
import { applyChanges, type RecordChange } from '../plan/changes';
import { emptyPlan, type Plan } from '../plan/plan';
import { SIDES, SUBNET_ROLES } from '../plan/records';
import type {
  ChannelLabel,
  Device,
  Interface,
  Link,
  Model,
  Place,
  PlanSettings,
  SentStream,
  Subnet,
  Subscription,
} from '../plan/records';
import { ENCODINGS, PACKET_TIMES_US, RATES_HZ } from '../streams/format';
import { LEVELS } from '../streams/capability';

export const PLAN_FILE_VERSION = 1;

/** The whole plan as one JSON document. */
export interface PlanFile {
  readonly format: 'jade-lane-plan';
  readonly version: typeof PLAN_FILE_VERSION;
  readonly settings: PlanSettings;
  readonly places: readonly Place[];
  readonly models: readonly Model[];
  readonly subnets: readonly Subnet[];
  readonly devices: readonly Device[];
  readonly links: readonly Link[];
  readonly interfaces: readonly Interface[];
  readonly labels: readonly ChannelLabel[];
  readonly subscriptions: readonly Subscription[];
  readonly sentStreams: readonly SentStream[];
}

export interface FileProblem {
  /** JSON pointer to what is wrong, `/` for the whole document. */
  readonly at: string;
  readonly problem: string;
}
export type PlanFileResult =
  { readonly ok: true; readonly plan: Plan } | { readonly ok: false; readonly problems: readonly FileProblem[] };

const TABLES = [
  'places',
  'models',
  'subnets',
  'devices',
  'links',
  'interfaces',
  'labels',
  'subscriptions',
  'sentStreams',
] as const;

const text = (maxLength = 200) => ({ type: 'string', maxLength }) as const;
const id = { type: 'string', pattern: '^[A-Za-z0-9._:-]{1,80}$' } as const;
const nullable = (schema: object) => ({ anyOf: [schema, { type: 'null' }] });
const whole = (minimum: number, maximum: number) => ({ type: 'integer', minimum, maximum }) as const;
const oneOf = (values: readonly (string | number)[]) => ({ enum: [...values] });
const list = (items: object, maxItems = 100_000) => ({ type: 'array', items, maxItems }) as const;
const record = (properties: Record<string, object>) => ({
  type: 'object',
  properties,
  required: Object.keys(properties),
  additionalProperties: false,
});

const address = { type: 'string', pattern: '^\\d{1,3}(\\.\\d{1,3}){3}$' } as const;
const cidr = { type: 'string', pattern: '^\\d{1,3}(\\.\\d{1,3}){3}/\\d{1,2}$' } as const;
const channel = whole(1, 4096);
const formatRange = record({
  encodings: list(oneOf(ENCODINGS), 8),
  ratesHz: list(oneOf(RATES_HZ), 8),
  packetTimesUs: list(oneOf(PACKET_TIMES_US), 8),
  channelsMax: whole(1, 120),
});
const capability = record({ formats: list(formatRange, 32), levels: list(oneOf(LEVELS), 6) });
const linkEnd = record({ deviceId: id, port: text(80) });

/** JSON Schema (draft 7) of a plan file. */
export const PLAN_FILE_SCHEMA: { readonly properties: Record<string, object>; readonly [key: string]: unknown } = {
  $schema: 'http://json-schema.org/draft-07/schema#',
  title: 'Jade Lane plan',
  ...record({
    format: { const: 'jade-lane-plan' },
    version: { const: PLAN_FILE_VERSION },
    settings: record({
      id: { const: 'settings' },
      name: text(),
      preferredEncoding: oneOf(ENCODINGS),
      preferredPacketTimeUs: oneOf(PACKET_TIMES_US),
      poolA: cidr,
      poolB: cidr,
      rtpPort: whole(1024, 65_534),
      vlanTagged: { type: 'boolean' },
    }),
    places: list(record({ id, name: text(), parentId: nullable(id) })),
    models: list(
      record({
        id,
        name: text(),
        maker: text(),
        kind: oneOf(DEVICE_KINDS),
        channelsReceive: whole(0, 4096),
        channelsSend: whole(0, 4096),
        channelPool: nullable(whole(0, 8192)),
        streamsReceive: whole(0, 4096),
        streamsSend: whole(0, 4096),
        channelsPerStreamMax: whole(0, 120),
        sends: capability,
        receives: capability,
        ratesHz: list(oneOf(RATES_HZ), 8),
        ports: list(
          record({ name: text(80), role: oneOf(PORT_ROLES), bitsPerSecond: { type: 'integer', minimum: 1 } }),
          512,
        ),
        linkOffsetMinNs: whole(0, 1_000_000_000),
        switching: nullable(
          record({ forwardingNs: whole(0, 1_000_000_000), routing: oneOf(['none', 'unicast', 'multicast']) }),
        ),
      }),
    ),
    subnets: list(record({ id, name: text(), cidr, vlan: nullable(whole(1, 4094)), role: oneOf(SUBNET_ROLES) })),
    devices: list(
      record({
        id,
        name: text(),
        modelId: id,
        placeId: nullable(id),
        rateHz: oneOf(RATES_HZ),
        sendsEncoding: nullable(oneOf(ENCODINGS)),
        sendsPacketTimeUs: nullable(oneOf(PACKET_TIMES_US)),
        linkOffsetNs: nullable(whole(0, 1_000_000_000)),
        serial: nullable(text(80)),
        nodeId: nullable(text(80)),
        notes: text(4000),
      }),
    ),
    links: list(
      record({
        id,
        from: linkEnd,
        to: linkEnd,
        bitsPerSecond: { type: 'integer', minimum: 1 },
        metres: { type: 'number', minimum: 0 },
      }),
    ),
    interfaces: list(record({ deviceId: id, name: text(80), subnetId: nullable(id), address: nullable(address) })),
    labels: list(record({ deviceId: id, side: oneOf(SIDES), channel, label: text(80) }), 1_000_000),
    subscriptions: list(
      record({ receiverDeviceId: id, receiverChannel: channel, senderDeviceId: id, senderChannel: channel }),
      1_000_000,
    ),
    sentStreams: list(
      record({
        senderDeviceId: id,
        slot: whole(1, 4096),
        channels: list(channel, 120),
        format: record({
          encoding: oneOf(ENCODINGS),
          rateHz: oneOf(RATES_HZ),
          packetTimeUs: oneOf(PACKET_TIMES_US),
        }),
        groupA: nullable(address),
        groupB: nullable(address),
        receivers: list(record({ deviceId: id, slot: whole(1, 4096) }), 10_000),
      }),
    ),
  }),
};

let validate: ValidateFunction | undefined;

type RecordTable = (typeof TABLES)[number] | 'settings';
const recordValidators = new Map<string, ValidateFunction>();

/**
 * What is wrong with one record (or, `partial`, with some of its fields) by the schema of the plan file; null when
 * nothing is. Used at the edge, so that a record is held to the same shape wherever it comes in.
 */
export function recordProblem(table: RecordTable, value: unknown, partial = false): FileProblem | null {
  const key = `${table}/${partial}`;
  let check = recordValidators.get(key);
  if (check === undefined) {
    const whole =
      table === 'settings'
        ? (PLAN_FILE_SCHEMA.properties['settings'] as object)
        : itemsOf(PLAN_FILE_SCHEMA.properties[table]);
    check = new Ajv().compile(partial ? { ...whole, required: [] } : whole);
    recordValidators.set(key, check);
  }
  return check(value) ? null : problemOf((check.errors ?? [])[0] as ErrorObject);
}

function itemsOf(schema: object | undefined): object {
  return (schema as { items: object }).items;
}

/** Reads a plan file: shape first, then that every record points at something that is there. Nothing is half read. */
export function readPlanFile(content: string): PlanFileResult {
  let document: unknown;
  try {
    document = JSON.parse(content);
  } catch (error) {
    return { ok: false, problems: [{ at: '/', problem: `not JSON: ${(error as Error).message}` }] };
  }
  validate ??= new Ajv({ allErrors: false, verbose: false }).compile(PLAN_FILE_SCHEMA);
  if (!validate(document)) return { ok: false, problems: (validate.errors ?? []).map(problemOf) };
  const file = document as unknown as PlanFile;
  const problems = danglingReferences(file);
  return problems.length > 0 ? { ok: false, problems } : { ok: true, plan: planOfFile(file) };
}

function problemOf(error: ErrorObject): FileProblem {
  const detail = 'allowedValues' in error.params ? `: ${(error.params['allowedValues'] as unknown[]).join(', ')}` : '';
  const extra = 'additionalProperty' in error.params ? ` (${String(error.params['additionalProperty'])})` : '';
  return { at: error.instancePath || '/', problem: `${error.message ?? 'is not as expected'}${detail}${extra}` };
}

function danglingReferences(file: PlanFile): FileProblem[] {
  const problems: FileProblem[] = [];
  const ids = (records: readonly { readonly id: string }[], table: string) => {
    const seen = new Set<string>();
    records.forEach((r, i) => {
      if (seen.has(r.id)) problems.push({ at: `/${table}/${i}/id`, problem: `${r.id} stands twice` });
      seen.add(r.id);
    });
    return seen;
  };
  const places = ids(file.places, 'places');
  const models = ids(file.models, 'models');
  const subnets = ids(file.subnets, 'subnets');
  const devices = ids(file.devices, 'devices');
  ids(file.links, 'links');
  const want = (known: ReadonlySet<string>, value: string | null, at: string) => {
    if (value !== null && !known.has(value)) problems.push({ at, problem: `${value} is not in the file` });
  };
  file.places.forEach((p, i) => want(places, p.parentId, `/places/${i}/parentId`));
  file.devices.forEach((d, i) => {
    want(models, d.modelId, `/devices/${i}/modelId`);
    want(places, d.placeId, `/devices/${i}/placeId`);
  });
  file.links.forEach((l, i) => {
    want(devices, l.from.deviceId, `/links/${i}/from/deviceId`);
    want(devices, l.to.deviceId, `/links/${i}/to/deviceId`);
  });
  file.interfaces.forEach((x, i) => {
    want(devices, x.deviceId, `/interfaces/${i}/deviceId`);
    want(subnets, x.subnetId, `/interfaces/${i}/subnetId`);
  });
  file.labels.forEach((l, i) => want(devices, l.deviceId, `/labels/${i}/deviceId`));
  file.subscriptions.forEach((s, i) => {
    want(devices, s.receiverDeviceId, `/subscriptions/${i}/receiverDeviceId`);
    want(devices, s.senderDeviceId, `/subscriptions/${i}/senderDeviceId`);
  });
  file.sentStreams.forEach((s, i) => want(devices, s.senderDeviceId, `/sentStreams/${i}/senderDeviceId`));
  return problems.slice(0, 100);
}

/** The plan of a file that is known to be sound, such as one that the server itself wrote. */
export function planOfFile(file: PlanFile): Plan {
  const changes: RecordChange[] = [{ table: 'settings', before: null, after: file.settings }];
  for (const table of TABLES) {
    for (const after of file[table]) changes.push({ table, before: null, after } as RecordChange);
  }
  return applyChanges(emptyPlan(file.settings.name), changes);
}

/** The file of a plan. Records are sorted by their keys, so that equal plans give equal files. */
export function fileOfPlan(plan: Plan): PlanFile {
  const flat = <T>(table: ReadonlyMap<string, T>) => sortedByKey(table).map(([, r]) => r);
  const owned = <K extends string | number, T>(table: ReadonlyMap<string, ReadonlyMap<K, T>>) =>
    sortedByKey(table).flatMap(([, inner]) => sortedByKey(inner).map(([, r]) => r));
  return {
    format: 'jade-lane-plan',
    version: PLAN_FILE_VERSION,
    settings: plan.settings,
    places: flat(plan.places),
    models: flat(plan.models),
    subnets: flat(plan.subnets),
    devices: flat(plan.devices),
    links: flat(plan.links),
    interfaces: owned(plan.interfaces),
    labels: owned(plan.labels),
    subscriptions: owned(plan.subscriptions),
    sentStreams: owned(plan.sentStreams),
  };
}

function sortedByKey<K extends string | number, T>(table: ReadonlyMap<K, T>): [K, T][] {
  return [...table.entries()].sort(([a], [b]) => (a < b ? -1 : 1));
}
