import {
  each,
  fields,
  href,
  is,
  mac,
  matches,
  maybe,
  object,
  orNull,
  problemsIn,
  text,
  truth,
  urn,
  uuid,
  version,
  type Check,
} from './json-checks';
import { isRaw, type Raw } from './raw';

/** What the schemas of IS-04 v1.3 want of each resource, as far as a system that carries sound depends on it. */

export const RESOURCE_KINDS = ['node', 'device', 'source', 'flow', 'sender', 'receiver'] as const;
export type ResourceKind = (typeof RESOURCE_KINDS)[number];

/** The field of a resource that names what it hangs on, and what that is; null: it stands by itself. */
export const PARENT_OF = {
  node: null,
  device: ['node_id', 'node'],
  source: ['device_id', 'device'],
  flow: ['source_id', 'source'],
  sender: ['device_id', 'device'],
  receiver: ['device_id', 'device'],
} as const satisfies Record<ResourceKind, readonly [string, ResourceKind] | null>;

const CORE = {
  id: uuid,
  version,
  label: text,
  description: text,
  tags: is('lists of texts by name', (v) => isRaw(v) && Object.values(v).every((list) => each(text)(list) === null)),
};
const chassis = is('a text or null', (v) => v === null || typeof v === 'string');

const TRANSPORT_OF_12 = matches('a transport of IS-04 v1.2', /^urn:x-nmos:transport:(rtp|rtp\.ucast|rtp\.mcast|dash)$/);

const RULES: Readonly<Record<ResourceKind, Readonly<Record<string, Check>>>> = {
  node: {
    ...CORE,
    href,
    caps: object,
    services: each(fields({ href, type: text })),
    clocks: each(
      fields({
        name: matches('clk and a number', /^clk\d+$/),
        ref_type: is('internal or ptp', (v) => v === 'internal' || v === 'ptp'),
        gmid: maybe(matches('a clock identity', /^([0-9a-f]{2}-){7}[0-9a-f]{2}$/)),
        traceable: maybe(truth),
        locked: maybe(truth),
      }),
    ),
    api: fields({
      versions: each(matches('a version', /^v\d+\.\d+$/)),
      endpoints: each(
        fields({
          host: text,
          port: is('a port', (v) => Number.isInteger(v) && (v as number) >= 1 && (v as number) <= 65_535),
          protocol: is('http or https', (v) => v === 'http' || v === 'https'),
        }),
      ),
    }),
    interfaces: each(
      fields({
        name: text,
        chassis_id: chassis,
        port_id: mac,
        attached_network_device: maybe(fields({ chassis_id: text, port_id: text })),
      }),
    ),
  },
  device: {
    ...CORE,
    type: urn('device'),
    node_id: uuid,
    senders: each(uuid),
    receivers: each(uuid),
    controls: each(fields({ href, type: is('a URN', (v) => typeof v === 'string' && v.startsWith('urn:')) })),
  },
  source: {
    ...CORE,
    caps: object,
    device_id: uuid,
    parents: each(uuid),
    clock_name: orNull(text),
    format: urn('format'),
    channels: maybe(each(fields({ label: text }))),
    event_type: maybe(matches('a type of events', /^(boolean|string|number|object)(\/[^\s/]+)*$/)),
  },
  flow: {
    ...CORE,
    source_id: uuid,
    device_id: uuid,
    parents: each(uuid),
    format: urn('format'),
    media_type: maybe(matches('a media type', /^[^\s/]+\/[^\s/]+$/)),
    sample_rate: maybe(
      fields({
        numerator: is('a whole number', Number.isInteger),
        denominator: maybe(is('a whole number', Number.isInteger)),
      }),
    ),
    bit_depth: maybe(is('a whole number', Number.isInteger)),
    event_type: maybe(matches('a type of events', /^(boolean|string|number|object)(\/[^\s/]+)*$/)),
  },
  sender: {
    ...CORE,
    flow_id: orNull(uuid),
    transport: urn('transport'),
    device_id: uuid,
    manifest_href: orNull(href),
    interface_bindings: each(text),
    subscription: fields({ receiver_id: orNull(uuid), active: truth }),
  },
  receiver: {
    ...CORE,
    device_id: uuid,
    transport: urn('transport'),
    interface_bindings: each(text),
    subscription: fields({ sender_id: orNull(uuid), active: truth }),
    format: urn('format'),
    caps: object,
  },
};

/** What v1.2 has otherwise: every sender has a transport file, and every transport is one of RTP or DASH. */
const RULES_OF_12: Readonly<Partial<Record<ResourceKind, Readonly<Record<string, Check>>>>> = {
  sender: { ...RULES.sender, manifest_href: href, transport: TRANSPORT_OF_12 },
  receiver: { ...RULES.receiver, transport: TRANSPORT_OF_12 },
};

/** What of a resource is not as IS-04 has it, each with its place: `/controls/0/href is not an address`. */
export function problemsOfResource(kind: ResourceKind, raw: Raw, version: 'v1.2' | 'v1.3' = 'v1.3'): string[] {
  const problems = problemsIn(raw, (version === 'v1.2' ? RULES_OF_12[kind] : undefined) ?? RULES[kind]);
  // Sound says how many channels, how fast and how deep.
  if (raw['format'] === 'urn:x-nmos:format:audio') {
    if (kind === 'source' && raw['channels'] === undefined) problems.push('/channels is missing');
    if (kind === 'flow' && raw['sample_rate'] === undefined) problems.push('/sample_rate is missing');
    if (kind === 'flow' && raw['media_type'] === undefined) problems.push('/media_type is missing');
  }
  // Events say of what type they are, and travel as JSON.
  if (raw['event_type'] !== undefined && kind === 'flow' && raw['media_type'] !== 'application/json') {
    problems.push('/media_type is not application/json');
  }
  return problems;
}
