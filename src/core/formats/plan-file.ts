import Ajv, { type ErrorObject, type ValidateFunction } from 'ajv';
import { CLOCK_PROFILES, REFERENCE_KINDS, RELAY_KINDS, SRC_PLACES, WHEN_REFERENCE_LOST } from '../clocks/ability';
import { parseClockIdentity } from '../clocks/dataset';
import { DEVICE_KINDS, POE_CLASSES, PORT_ROLES, ROUTINGS } from '../models/model';
import { parseCidr } from '../network/address';
import { rangeOf } from '../network/subnets';
import { applyChanges, type RecordChange } from '../plan/changes';
import { DEFAULT_SETTINGS, emptyPlan, type Plan } from '../plan/plan';
import { BUS_SHAPES, CABLES, LABEL_MAX, MEDIA_CLOCKS, SIDES, SUBNET_ROLES } from '../plan/records';
import { isSettable, SELECTOR_KINDS } from '../slots/slot-ability';
import type {
  ChannelLabel,
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
  SlotBus,
  SlotUnit,
  Subnet,
  Subscription,
  SwitchSettings,
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
  readonly switches: readonly SwitchSettings[];
  readonly references: readonly Reference[];
  readonly clockGroups: readonly ClockGroup[];
  readonly clocks: readonly ClockSettings[];
  readonly slotBuses: readonly SlotBus[];
  readonly slotUnits: readonly SlotUnit[];
  readonly interfaces: readonly Interface[];
  readonly labels: readonly ChannelLabel[];
  readonly subscriptions: readonly Subscription[];
  readonly sentStreams: readonly SentStream[];
  readonly groupChoices: readonly GroupChoice[];
  readonly layouts: readonly StreamLayout[];
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
  'switches',
  'references',
  'clockGroups',
  'clocks',
  'slotBuses',
  'slotUnits',
  'interfaces',
  'labels',
  'subscriptions',
  'sentStreams',
  'groupChoices',
  'layouts',
] as const;

const text = (maxLength = 200) => ({ type: 'string', maxLength }) as const;
const id = { type: 'string', pattern: '^[A-Za-z0-9._:-]{1,80}$' } as const;
/** A record may be null by its type, as defaults within `anyOf` are not filled in. */
const nullable = (schema: object) =>
  'properties' in schema ? { ...schema, type: ['object', 'null'] } : { anyOf: [schema, { type: 'null' }] };
const whole = (minimum: number, maximum: number) => ({ type: 'integer', minimum, maximum }) as const;
const oneOf = (values: readonly (string | number)[]) => ({ enum: [...values] });
const list = (items: object, maxItems = 100_000) => ({ type: 'array', items, maxItems }) as const;
/** What has a default may be missing: files from before the field was there are read as if it stood in them. */
const optional = (schema: object, value: unknown) => ({ ...schema, default: value });
const record = (properties: Record<string, object>, mayMiss: readonly string[] = []) => ({
  type: 'object',
  properties,
  required: Object.keys(properties).filter(
    (name) => !mayMiss.includes(name) && !('default' in (properties[name] as object)),
  ),
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
const octet = whole(0, 255);
const slotBlock = nullable(whole(1, 4096));
const slotAbility = record({
  slotCount: whole(1, 4096),
  blockSize: whole(1, 4096),
  highestHeard: whole(0, 4096),
  talkBlocks: whole(0, 64),
  hearBlocks: whole(0, 64),
  selector: record({
    kind: oneOf(SELECTOR_KINDS),
    count: whole(1, 16),
    positions: whole(2, 64),
    firstBlockAt: whole(0, 4096),
    offAt: nullable(whole(0, 65_536)),
  }),
});
const clockAbility = record({
  ptpVersions: list(oneOf([1, 2]), 2),
  mayLead: { type: 'boolean' },
  relays: oneOf(RELAY_KINDS),
  profiles: list(oneOf(CLOCK_PROFILES), 3),
  classPrimary: octet,
  classLocked: octet,
  classHoldover: octet,
  classFree: octet,
  clockAccuracy: octet,
  offsetScaledLogVariance: whole(0, 65_535),
  referencesIn: list(oneOf(REFERENCE_KINDS), 8),
  referencesOut: list(oneOf(REFERENCE_KINDS), 8),
  whenReferenceLost: oneOf(WHEN_REFERENCE_LOST),
  holdoverSeconds: { type: 'number', minimum: 0 },
  relockMs: { type: 'number', minimum: 0 },
  freePpm: { type: 'number', minimum: 0 },
  src: oneOf(SRC_PLACES),
  clockGroups: oneOf([1, 2]),
  crossesRateFamilies: { type: 'boolean' },
  isBattery: { type: 'boolean' },
});
const linkEnd = record({ deviceId: id, port: text(80) });
const streamFormat = record({
  encoding: oneOf(ENCODINGS),
  rateHz: oneOf(RATES_HZ),
  packetTimeUs: oneOf(PACKET_TIMES_US),
});

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
      loadCeilingPercent: optional(whole(1, 100), DEFAULT_SETTINGS.loadCeilingPercent),
      controlBitsPerSecond: optional(whole(0, 1_000_000_000), DEFAULT_SETTINGS.controlBitsPerSecond),
      multicastTtl: optional(whole(1, 255), DEFAULT_SETTINGS.multicastTtl),
      ptpDscp: optional(whole(0, 63), DEFAULT_SETTINGS.ptpDscp),
      mediaDscp: optional(whole(0, 63), DEFAULT_SETTINGS.mediaDscp),
      discovery: optional(oneOf(['registry', 'local']), DEFAULT_SETTINGS.discovery),
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
          record(
            {
              name: text(80),
              role: oneOf(PORT_ROLES),
              bitsPerSecond: { type: 'integer', minimum: 1 },
              givesPoeClass: nullable(oneOf(POE_CLASSES)),
              takesPoeClass: nullable(oneOf(POE_CLASSES)),
            },
            ['givesPoeClass', 'takesPoeClass'],
          ),
          512,
        ),
        linkOffsetMinNs: whole(0, 1_000_000_000),
        switching: nullable(
          record({
            forwardingNs: whole(0, 1_000_000_000),
            routing: oneOf(ROUTINGS),
            snooping: optional({ type: 'boolean' }, true),
            querier: optional({ type: 'boolean' }, true),
            groupTableSize: optional(whole(0, 1_000_000), 1000),
            queues: optional(whole(1, 16), 4),
            dscpTrust: optional({ type: 'boolean' }, true),
            timestamping: optional(oneOf(['none', 'transparent', 'boundary']), 'none'),
            energySaving: optional(oneOf(['none', 'switchable', 'fixed']), 'switchable'),
            spanningTree: optional({ type: 'boolean' }, true),
            joinsLinks: optional({ type: 'boolean' }, true),
            poeBudgetW: optional({ type: 'number', minimum: 0 }, 0),
          }),
        ),
        clock: optional(nullable(clockAbility), null),
        slots: optional(nullable(slotAbility), null),
        naming: optional(
          nullable(
            record({
              labelMax: whole(1, LABEL_MAX),
              shortMax: nullable(whole(1, LABEL_MAX)),
              subscribesByName: { type: 'boolean' },
            }),
          ),
          null,
        ),
        receiveMap: optional(nullable(record({ blockSize: whole(1, 64), reordering: { type: 'boolean' } })), null),
        passesThrough: optional(whole(0, 4096), 0),
      }),
    ),
    subnets: list(
      record({
        id,
        name: text(),
        cidr,
        vlan: nullable(whole(1, 4094)),
        role: oneOf(SUBNET_ROLES),
        dhcp: optional(nullable(record({ first: address, last: address })), null),
        gateway: optional(nullable(address), null),
        querierIds: optional(list(id, 100), []),
      }),
    ),
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
        sendsUnicast: optional({ type: 'boolean' }, false),
        isPatchForeign: optional({ type: 'boolean' }, false),
        throughId: optional(nullable(id), null),
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
        cable: optional(nullable(oneOf(CABLES)), null),
        duplex: optional(oneOf(['full', 'half']), 'full'),
        joinedAs: optional(nullable(text(80)), null),
        setAsidePercent: optional(whole(0, 100), 0),
        carries: optional(nullable(list(id, 4094)), null),
      }),
    ),
    switches: optional(
      list(
        record({
          id,
          snooping: { type: 'boolean' },
          trustsDscp: { type: 'boolean' },
          queueByDscp: list(record({ dscp: whole(0, 63), queue: whole(0, 15) }), 64),
          energySaving: { type: 'boolean' },
          spanningTree: { type: 'boolean' },
          bridgePriority: whole(0, 61_440),
          multicastRouting: { type: 'boolean' },
        }),
      ),
      [],
    ),
    references: optional(
      list(
        record({
          id,
          name: text(),
          kind: oneOf(REFERENCE_KINDS),
          fromDeviceId: nullable(id),
          rateHz: nullable(whole(1, 768_000)),
          isFed: { type: 'boolean' },
          offsetNs: whole(-1_000_000_000, 1_000_000_000),
        }),
      ),
      [],
    ),
    clockGroups: optional(
      list(
        record({
          id,
          name: text(),
          rateHz: oneOf(RATES_HZ),
          authority: nullable(record({ kind: oneOf(['device', 'reference']), id })),
        }),
      ),
      [],
    ),
    clocks: optional(
      list(
        record({
          id,
          runsPtp: { type: 'boolean' },
          clientOnly: { type: 'boolean' },
          domainNumber: octet,
          profile: oneOf(CLOCK_PROFILES),
          priority1: octet,
          priority2: octet,
          logAnnounceInterval: whole(-8, 8),
          logSyncInterval: whole(-8, 8),
          logDelayRequestInterval: whole(-8, 8),
          announceTimeout: whole(2, 255),
          clockIdentity: nullable(text(40)),
          relay: oneOf(RELAY_KINDS),
          unicastMasterIds: list(id, 64),
          mediaClock: oneOf(MEDIA_CLOCKS),
          referenceIds: list(id, 64),
          groupId: nullable(id),
          secondGroupId: nullable(id),
        }),
      ),
      [],
    ),
    slotBuses: optional(list(record({ id, name: text(), shape: oneOf(BUS_SHAPES) })), []),
    slotUnits: optional(
      list(record({ id, busId: id, order: whole(1, 100_000), talks: list(slotBlock, 64), hears: list(slotBlock, 64) })),
      [],
    ),
    interfaces: list(record({ deviceId: id, name: text(80), subnetId: nullable(id), address: nullable(address) })),
    labels: list(
      record({
        deviceId: id,
        side: oneOf(SIDES),
        channel,
        label: text(LABEL_MAX),
        short: optional(nullable(text(LABEL_MAX)), null),
      }),
      1_000_000,
    ),
    subscriptions: list(
      record({ receiverDeviceId: id, receiverChannel: channel, senderDeviceId: id, senderChannel: channel }),
      1_000_000,
    ),
    sentStreams: list(
      record({
        senderDeviceId: id,
        slot: whole(1, 4096),
        channels: list(channel, 120),
        format: streamFormat,
        groupA: nullable(address),
        groupB: nullable(address),
        receivers: list(record({ deviceId: id, slot: whole(1, 4096) }), 10_000),
      }),
    ),
    groupChoices: optional(
      list(record({ senderDeviceId: id, slot: whole(1, 4096), groupA: nullable(address), groupB: nullable(address) })),
      [],
    ),
    layouts: optional(
      list(
        record({
          senderDeviceId: id,
          slot: whole(1, 4096),
          channels: { ...list(channel, 120), minItems: 1, uniqueItems: true },
          format: streamFormat,
          isHeld: { type: 'boolean' },
        }),
        100_000,
      ),
      [],
    ),
  }),
};

/** A plan of 100 000 subscriptions is 12 MB. */
export const PLAN_FILE_MAX_BYTES = 60_000_000;

let validate: ValidateFunction | undefined;

type RecordTable = (typeof TABLES)[number] | 'settings';
const recordValidators = new Map<string, ValidateFunction>();

/**
 * What is wrong with one record (or, `partial`, with some of its fields) by the schema of the plan file; null when
 * nothing is. Fills in what may be missing, in place. Used at the edge, so that a record is held to the same shape
 * wherever it comes in.
 */
export function recordProblem(table: RecordTable, value: unknown, partial = false): FileProblem | null {
  const key = `${table}/${partial}`;
  let check = recordValidators.get(key);
  if (check === undefined) {
    const whole =
      table === 'settings'
        ? (PLAN_FILE_SCHEMA.properties['settings'] as object)
        : itemsOf(PLAN_FILE_SCHEMA.properties[table]);
    check = new Ajv({ useDefaults: !partial, allowUnionTypes: true }).compile(
      partial ? { ...whole, required: [] } : whole,
    );
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
  validate ??= new Ajv({ useDefaults: true, allowUnionTypes: true }).compile(PLAN_FILE_SCHEMA);
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
    want(devices, d.throughId, `/devices/${i}/throughId`);
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
  file.groupChoices.forEach((c, i) => want(devices, c.senderDeviceId, `/groupChoices/${i}/senderDeviceId`));
  file.layouts.forEach((l, i) => want(devices, l.senderDeviceId, `/layouts/${i}/senderDeviceId`));
  const once = (keys: readonly string[], table: string) => {
    const seen = new Set<string>();
    keys.forEach((key, i) => {
      if (seen.has(key)) problems.push({ at: `/${table}/${i}`, problem: `${key} stands twice` });
      seen.add(key);
    });
  };
  const ofSlot = (s: { senderDeviceId: string; slot: number }) => `${s.senderDeviceId} ${s.slot}`;
  once(
    file.interfaces.map((i) => `${i.deviceId} ${i.name}`),
    'interfaces',
  );
  once(
    file.labels.map((l) => `${l.deviceId} ${l.side} ${l.channel}`),
    'labels',
  );
  once(
    file.subscriptions.map((s) => `${s.receiverDeviceId} ${s.receiverChannel}`),
    'subscriptions',
  );
  once(file.sentStreams.map(ofSlot), 'sentStreams');
  once(file.groupChoices.map(ofSlot), 'groupChoices');
  once(file.layouts.map(ofSlot), 'layouts');
  file.subnets.forEach((s, i) => {
    if (parseCidr(s.cidr) === null)
      problems.push({ at: `/subnets/${i}/cidr`, problem: `${s.cidr} is not an IPv4 block` });
    if (s.dhcp !== null && rangeOf(s.dhcp) === null) {
      problems.push({ at: `/subnets/${i}/dhcp`, problem: 'is not two addresses, the lower first' });
    }
  });
  ids(file.switches, 'switches');
  file.switches.forEach((s, i) => want(devices, s.id, `/switches/${i}/id`));
  const references = ids(file.references, 'references');
  const groups = ids(file.clockGroups, 'clockGroups');
  ids(file.clocks, 'clocks');
  file.references.forEach((r, i) => want(devices, r.fromDeviceId, `/references/${i}/fromDeviceId`));
  file.clockGroups.forEach(({ authority }, i) => {
    if (authority === null) return;
    want(authority.kind === 'device' ? devices : references, authority.id, `/clockGroups/${i}/authority/id`);
  });
  file.clocks.forEach((c, i) => {
    const at = `/clocks/${i}`;
    want(devices, c.id, `${at}/id`);
    c.unicastMasterIds.forEach((m, n) => want(devices, m, `${at}/unicastMasterIds/${n}`));
    c.referenceIds.forEach((r, n) => want(references, r, `${at}/referenceIds/${n}`));
    want(groups, c.groupId, `${at}/groupId`);
    want(groups, c.secondGroupId, `${at}/secondGroupId`);
    if (c.clockIdentity !== null && parseClockIdentity(c.clockIdentity) === null) {
      problems.push({ at: `${at}/clockIdentity`, problem: 'is not eight octets in hexadecimal' });
    }
  });
  const buses = ids(file.slotBuses, 'slotBuses');
  ids(file.slotUnits, 'slotUnits');
  const abilities = new Map(file.models.map((m) => [m.id, m.slots]));
  const abilityOfDevice = new Map(file.devices.map((d) => [d.id, abilities.get(d.modelId) ?? null]));
  file.slotUnits.forEach((u, i) => {
    const at = `/slotUnits/${i}`;
    want(devices, u.id, `${at}/id`);
    want(buses, u.busId, `${at}/busId`);
    const ability = abilityOfDevice.get(u.id) ?? null;
    if (devices.has(u.id) && ability === null) problems.push({ at: `${at}/id`, problem: `${u.id} has no slots` });
    if (ability === null) return;
    for (const [field, most] of [
      ['talks', ability.talkBlocks],
      ['hears', ability.hearBlocks],
    ] as const) {
      if (u[field].length !== most) problems.push({ at: `${at}/${field}`, problem: `is not ${most} choices long` });
      u[field].forEach((block, n) => {
        if (isSettable(ability, block)) return;
        problems.push({ at: `${at}/${field}/${n}`, problem: `${block ?? 'off'} cannot be set on this model` });
      });
    }
  });
  file.subnets.forEach((s, i) => s.querierIds.forEach((q, n) => want(devices, q, `/subnets/${i}/querierIds/${n}`)));
  file.links.forEach((l, i) => l.carries?.forEach((s, n) => want(subnets, s, `/links/${i}/carries/${n}`)));
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
    switches: flat(plan.switches),
    references: flat(plan.references),
    clockGroups: flat(plan.clockGroups),
    clocks: flat(plan.clocks),
    slotBuses: flat(plan.slotBuses),
    slotUnits: flat(plan.slotUnits),
    interfaces: owned(plan.interfaces),
    labels: owned(plan.labels),
    subscriptions: owned(plan.subscriptions),
    sentStreams: owned(plan.sentStreams),
    groupChoices: owned(plan.groupChoices),
    layouts: owned(plan.layouts),
  };
}

function sortedByKey<K extends string | number, T>(table: ReadonlyMap<K, T>): [K, T][] {
  return [...table.entries()].sort(([a], [b]) => (a < b ? -1 : 1));
}
