import { problemsOfResource, RESOURCE_KINDS, type ResourceKind } from './is04-rules';

const ID = '3b8be755-08ff-452b-b217-c9151eb21193';
const core = { id: ID, version: '1441700172:318426300', label: 'x', description: '', tags: {} };
/** One sound resource of each kind, as the schemas of IS-04 v1.3 have them. */
const SOUND: Readonly<Record<ResourceKind, Record<string, unknown>>> = {
  node: {
    ...core,
    href: 'http://10.20.1.7:8080/',
    caps: {},
    services: [],
    clocks: [{ name: 'clk0', ref_type: 'ptp', gmid: '08-00-11-ff-fe-21-e1-b0', traceable: true, locked: true }],
    api: { versions: ['v1.3'], endpoints: [{ host: '10.20.1.7', port: 8080, protocol: 'http' }] },
    interfaces: [{ name: 'A', chassis_id: null, port_id: '74-26-96-db-87-31' }],
  },
  device: {
    ...core,
    type: 'urn:x-nmos:device:generic',
    node_id: ID,
    senders: [],
    receivers: [],
    controls: [{ type: 'urn:x-nmos:control:sr-ctrl/v1.1', href: 'http://10.20.1.7:8080/x-nmos/connection/v1.1/' }],
  },
  source: {
    ...core,
    caps: {},
    device_id: ID,
    parents: [],
    clock_name: 'clk0',
    format: 'urn:x-nmos:format:audio',
    channels: [{ label: 'Left' }],
  },
  flow: {
    ...core,
    source_id: ID,
    device_id: ID,
    parents: [],
    format: 'urn:x-nmos:format:audio',
    media_type: 'audio/L24',
    sample_rate: { numerator: 48_000 },
    bit_depth: 24,
  },
  sender: {
    ...core,
    flow_id: ID,
    transport: 'urn:x-nmos:transport:rtp.mcast',
    device_id: ID,
    manifest_href: null,
    interface_bindings: ['A'],
    subscription: { receiver_id: null, active: false },
  },
  receiver: {
    ...core,
    device_id: ID,
    transport: 'urn:x-nmos:transport:rtp.mcast',
    interface_bindings: ['A'],
    subscription: { sender_id: null, active: false },
    format: 'urn:x-nmos:format:audio',
    caps: {},
  },
};

describe('what IS-04 v1.3 wants of resources', () => {
  test.each(RESOURCE_KINDS)('a sound %s has no problem, and lacks each field that is taken from it', (kind) => {
    expect(problemsOfResource(kind, SOUND[kind])).toEqual([]);
    for (const field of Object.keys(SOUND[kind])) {
      const { [field]: _, ...less } = SOUND[kind];
      const isOptional = kind === 'flow' && (field === 'bit_depth' || field === 'format');
      expect([field, problemsOfResource(kind, less).includes(`/${field} is missing`)]).toEqual([
        field,
        !isOptional || field === 'format',
      ]);
    }
  });

  test.each<[ResourceKind, Record<string, unknown>, string]>([
    ['node', { id: ID.toUpperCase() }, '/id is not a UUID in small letters'],
    ['node', { version: '1441700172.3' }, '/version is not <seconds>:<nanoseconds>'],
    ['node', { tags: { a: 'b' } }, '/tags is not lists of texts by name'],
    [
      'node',
      { interfaces: [{ name: 'A', chassis_id: null, port_id: '74:26:96:db:87:31' }] },
      '/interfaces/0/port_id is not a MAC address with dashes',
    ],
    [
      'node',
      { api: { versions: ['v1.3'], endpoints: [{ host: 'a', port: 0, protocol: 'http' }] } },
      '/api/endpoints/0/port is not a port',
    ],
    ['node', { clocks: [{ name: 'ptp', ref_type: 'ptp' }] }, '/clocks/0/name is not clk and a number'],
    ['device', { controls: [{ type: 'urn:x-nmos:control:sr-ctrl/v1.1' }] }, '/controls/0/href is missing'],
    ['device', { type: 'generic' }, '/type is not a device URN'],
    ['flow', { sample_rate: { numerator: '48000' } }, '/sample_rate/numerator is not a whole number'],
    ['sender', { subscription: { receiver_id: null } }, '/subscription/active is missing'],
    ['receiver', { transport: 'rtp' }, '/transport is not a transport URN'],
  ])('a %s with %j', (kind, change, problem) => {
    expect(problemsOfResource(kind, { ...SOUND[kind], ...change })).toEqual([problem]);
  });
});
