import { WebSocket } from 'ws';
import type { StandinSpec } from './fleet';
import { StandinNode } from './node';
import { Registry } from '../registry/registry';
import type { Resource } from '../registry/resources';
import { readSdp } from '../core/formats/sdp';
import { portOf } from '../field/test-port';

const REGISTRY = { address: '127.99.0.1', port: portOf(18_870), expiryMs: 900 };
const QUERY = `http://${REGISTRY.address}:${REGISTRY.port}/x-nmos/query/v1.3`;
const REGISTRATION = `http://${REGISTRY.address}:${REGISTRY.port}/x-nmos/registration/v1.3`;
const spec: StandinSpec = {
  id: 'box',
  name: 'Test box',
  serial: 'T-1',
  interfaces: [
    { name: 'A', address: '127.99.0.11' },
    { name: 'B', address: '127.99.1.11' },
  ],
  legs: [
    { name: 'A', address: '127.99.0.11' },
    { name: 'B', address: '127.99.1.11' },
  ],
  channelsReceive: 4,
  channelsSend: 6,
  streamsReceive: 2,
  streamsSend: 2,
  channelsPerStream: 8,
  rateHz: 48_000,
  encoding: 'L24',
  packetTimeUs: 1000,
  ratesHz: [48_000, 96_000],
};
const BOX = `http://127.99.0.11:${portOf(18_080)}/x-nmos`;

interface Answer {
  status: number;
  body: any; // oxlint-disable-line typescript/no-explicit-any -- answers are looked at freely in tests
  headers: Headers;
}
async function ask(method: string, url: string, body?: unknown): Promise<Answer> {
  const response = await fetch(url, {
    method,
    ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
  });
  const text = await response.text();
  let value: unknown = text;
  try {
    value = JSON.parse(text);
  } catch {
    // plain text stays text
  }
  return { status: response.status, body: value, headers: response.headers };
}
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
async function until(check: () => Promise<boolean> | boolean, ms = 30_000): Promise<void> {
  const end = Date.now() + ms;
  while (!(await check())) {
    if (Date.now() > end) throw new Error('did not happen in time');
    await pause(25);
  }
}

let registry: Registry;
beforeAll(async () => {
  registry = new Registry(REGISTRY);
  await registry.start();
});
afterAll(() => registry.stop());

const uuid = (n: number) => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
const nodeResource = (n: number) => ({
  id: uuid(n),
  version: `${n}:0`,
  label: `Node ${n}`,
  description: '',
  tags: { room: [`r${n % 2}`] },
  href: 'http://127.0.0.1/',
  caps: {},
  services: [],
  clocks: [],
  api: { versions: ['v1.3'], endpoints: [] },
  interfaces: [],
});
const deviceResource = (n: number, nodeId: string) => ({
  ...{ id: uuid(n), version: '1:0', label: `Device ${n}`, description: '', tags: {} },
  ...{ type: 'urn:x-nmos:device:generic', node_id: nodeId, senders: [], receivers: [], controls: [] },
});

describe('the registry (IS-04)', () => {
  test('takes what is complete, says 201 then 200, and refuses what points at nothing', async () => {
    const post = (type: string, data: unknown) => ask('POST', `${REGISTRATION}/resource`, { type, data });
    const first = await post('node', nodeResource(1));
    expect(first.status).toBe(201);
    expect(first.headers.get('location')).toContain(`/resource/nodes/${uuid(1)}`);
    expect((await post('node', { ...nodeResource(1), version: '2:0' })).status).toBe(200);
    expect((await post('device', deviceResource(2, uuid(99)))).body.error).toMatch(/node_id/);
    expect((await post('node', { ...nodeResource(2), version: 'yesterday' })).status).toBe(400);
    expect((await post('node', { ...nodeResource(2), href: 'here' })).body.error).toBe('data/href is not an address');
    expect((await post('cat', nodeResource(2))).status).toBe(400);
    expect((await ask('POST', `${REGISTRATION}/health/nodes/nobody`)).status).toBe(404);
    expect((await ask('DELETE', `${REGISTRATION}/resource/nodes/${uuid(1)}`)).status).toBe(204);
    expect((await ask('GET', `${QUERY}/nodes/${uuid(1)}`)).status).toBe(404);
  });

  test('what came with an earlier version is shown only where that is asked for', async () => {
    const earlier = REGISTRATION.replace('v1.3', 'v1.2');
    const data = nodeResource(7);
    expect((await ask('POST', `${earlier}/resource`, { type: 'node', data })).status).toBe(201);
    expect((await ask('POST', `${REGISTRATION}/resource`, { type: 'node', data })).status).toBe(409);
    const ids = async (query: string) => {
      const { body } = await ask('GET', `${QUERY}/nodes${query}`);
      return (body as { id: string }[]).map((n) => n.id);
    };
    expect(await ids('')).not.toContain(data.id);
    expect(await ids('?query.downgrade=v1.3')).not.toContain(data.id);
    expect(await ids('?query.downgrade=v1.2')).toContain(data.id);
    expect((await ask('GET', `${QUERY}/nodes?query.downgrade=old`)).status).toBe(400);
    expect((await ask('DELETE', `${earlier}/resource/nodes/${data.id}`)).status).toBe(204);
  });

  describe('asked with v1.2', () => {
    const earlier = QUERY.replace('v1.3', 'v1.2');
    const late = {
      ...nodeResource(41),
      services: [{ href: 'http://127.0.0.1/', type: 'urn:x-test:service', authorization: false }],
      api: { versions: ['v1.3'], endpoints: [{ host: '127.0.0.1', port: 80, protocol: 'http', authorization: true }] },
      interfaces: [
        {
          ...{ name: 'eth0', chassis_id: null, port_id: '00-11-22-33-44-55' },
          attached_network_device: { chassis_id: 'a', port_id: 'b' },
        },
      ],
    };
    const asEarlier = {
      ...nodeResource(41),
      services: [{ href: 'http://127.0.0.1/', type: 'urn:x-test:service' }],
      api: { versions: ['v1.3'], endpoints: [{ host: '127.0.0.1', port: 80, protocol: 'http' }] },
      interfaces: [{ name: 'eth0', chassis_id: null, port_id: '00-11-22-33-44-55' }],
    };
    const post = (type: string, data: unknown, version = 'v1.3') =>
      ask('POST', `${REGISTRATION.replace('v1.3', version)}/resource`, { type, data });
    const sender = (n: number, change: object) => ({
      ...{ id: uuid(n), version: '1:0', label: `Sender ${n}`, description: '', tags: {} },
      ...{ flow_id: null, transport: 'urn:x-nmos:transport:rtp.mcast', device_id: uuid(42), interface_bindings: [] },
      ...{ manifest_href: 'http://127.0.0.1/sdp', subscription: { receiver_id: null, active: false } },
      ...change,
    });
    beforeAll(async () => {
      expect((await post('node', late)).status).toBe(201);
      expect((await post('device', deviceResource(42, uuid(41)))).status).toBe(201);
    });
    afterAll(() => ask('DELETE', `${REGISTRATION}/resource/nodes/${uuid(41)}`));

    test('it is there beside v1.3, and what was registered with v1.3 is told as v1.2 has it', async () => {
      expect((await ask('GET', QUERY.replace('/v1.3', ''))).body).toEqual(['v1.2/', 'v1.3/']);
      expect((await ask('GET', `${earlier}/nodes/${uuid(41)}`)).body).toEqual(asEarlier);
      expect((await ask('GET', `${earlier}/nodes?label=Node%2041`)).body).toEqual([asEarlier]);
      expect((await ask('GET', `${QUERY}/nodes/${uuid(41)}`)).body).toEqual(late);
      // A filter by what v1.2 does not have finds nothing.
      expect((await ask('GET', `${earlier}/nodes?api.endpoints.authorization=true`)).body).toEqual([]);
      // Only downwards is asked for what is earlier.
      expect((await ask('GET', `${earlier}/nodes?query.downgrade=v1.3`)).status).toBe(400);
      expect((await ask('GET', `${earlier}/nodes`)).headers.get('link')).toContain('/x-nmos/query/v1.2/nodes?');
    });

    test('what v1.2 cannot say is not shown there, and refused where it registers', async () => {
      const silent = sender(43, { manifest_href: null });
      expect((await post('sender', silent)).status).toBe(201);
      expect((await post('sender', sender(44, {}))).status).toBe(201);
      const shown = (await ask('GET', `${earlier}/senders?device_id=${uuid(42)}`)).body as Resource[];
      expect(shown.map((s) => s.id)).toEqual([uuid(44)]);
      const refused = async (change: object) => (await post('sender', sender(45, change), 'v1.2')).body.error as string;
      expect(await refused({ manifest_href: null })).toBe('data/manifest_href is not an address');
      expect(await refused({ transport: 'urn:x-nmos:transport:mqtt' })).toContain('a transport of IS-04 v1.2');
      expect(await refused({ subscription: undefined })).toBe('data/subscription is missing');
    });

    test('subscriptions are of one version: they tell of changes as that has it', async () => {
      const request = { resource_path: '/nodes', params: {}, persist: false, max_update_rate_ms: 20, secure: false };
      const { status, body } = await ask('POST', `${earlier}/subscriptions`, request);
      expect([status, body.ws_href]).toEqual([201, expect.stringContaining('/x-nmos/query/v1.2/ws/')]);
      expect((await ask('GET', `${QUERY}/subscriptions/${body.id as string}`)).status).toBe(404);
      const wrong = { ...request, params: { 'query.downgrade': 'v1.3' } };
      expect((await ask('POST', `${earlier}/subscriptions`, wrong)).status).toBe(400);
      const socket = new WebSocket(body.ws_href as string);
      const told: { path: string; post?: Resource }[] = [];
      socket.on('message', (data) => told.push(...JSON.parse(String(data)).grain.data));
      await until(() => told.some((c) => c.path === uuid(41)));
      await post('node', { ...late, label: 'Other' });
      await until(() => told.some((c) => c.post?.['label'] === 'Other'));
      expect(told.filter((c) => c.path === uuid(41)).map((c) => c.post)).toEqual([
        asEarlier,
        { ...asEarlier, label: 'Other' },
      ]);
      await post('node', late);
      socket.close();
    });
  });

  test('forgets a node that is silent, with all that hangs on it', async () => {
    await ask('POST', `${REGISTRATION}/resource`, { type: 'node', data: nodeResource(3) });
    await ask('POST', `${REGISTRATION}/resource`, {
      type: 'device',
      data: deviceResource(4, uuid(3)),
    });
    for (let beat = 0; beat < 4; beat += 1) {
      await pause(400);
      expect((await ask('POST', `${REGISTRATION}/health/nodes/${uuid(3)}`)).status).toBe(200);
    }
    expect((await ask('GET', `${QUERY}/devices/${uuid(4)}`)).status).toBe(200);
    await until(async () => (await ask('GET', `${QUERY}/devices/${uuid(4)}`)).status === 404);
    expect((await ask('GET', `${QUERY}/nodes/${uuid(3)}`)).status).toBe(404);
  });

  test('pages through everything once, in order, by the links it gives', async () => {
    for (let n = 10; n < 17; n += 1)
      await ask('POST', `${REGISTRATION}/resource`, { type: 'node', data: nodeResource(n) });
    const seen: string[] = [];
    let url: string | null = `${QUERY}/nodes?paging.order=create&paging.since=0:0&paging.limit=3`;
    for (let page = 0; url !== null && page < 10; page += 1) {
      const { body, headers }: Answer = await ask('GET', url);
      seen.push(...(body as Resource[]).map((r) => r.id).reverse());
      expect(headers.get('x-paging-limit')).toBe('3');
      url =
        (body as unknown[]).length === 0
          ? null
          : (/<([^>]+)>; rel="next"/.exec(headers.get('link') ?? '')?.[1] ?? null);
    }
    expect(seen).toEqual([10, 11, 12, 13, 14, 15, 16].map((n) => uuid(n)));
    expect((await ask('GET', `${QUERY}/nodes?paging.limit=none`)).status).toBe(400);
    expect((await ask('GET', `${QUERY}/nodes?query.rql=eq(a,b)`)).status).toBe(501);
  });

  test('filters by attribute, also inside objects and lists', async () => {
    for (let n = 20; n < 24; n += 1)
      await ask('POST', `${REGISTRATION}/resource`, { type: 'node', data: nodeResource(n) });
    const ids = async (query: string) =>
      ((await ask('GET', `${QUERY}/nodes?${query}`)).body as Resource[]).map((r) => r.id);
    expect(await ids('label=Node%2021')).toEqual([uuid(21)]);
    expect((await ids('tags.room=r1')).sort()).toEqual(expect.arrayContaining([uuid(21), uuid(23)]));
    expect(await ids('label=none')).toEqual([]);
  });

  test('tells subscribers first what is there, then what comes, changes and goes', async () => {
    await ask('POST', `${REGISTRATION}/resource`, { type: 'node', data: nodeResource(30) });
    const { status, body } = await ask('POST', `${QUERY}/subscriptions`, {
      resource_path: '/nodes',
      params: {},
      persist: false,
      max_update_rate_ms: 20,
      secure: false,
    });
    expect(status).toBe(201);
    const socket = new WebSocket(body.ws_href as string);
    const changes: { path: string; pre?: Resource; post?: Resource }[] = [];
    socket.on('message', (data) => changes.push(...JSON.parse(String(data)).grain.data));
    const of = (id: string) => changes.filter((c) => c.path === id);
    await until(() => of(uuid(30)).length === 1);
    expect(of(uuid(30))[0]).toMatchObject({ pre: { id: uuid(30) }, post: { id: uuid(30) } });
    await ask('POST', `${REGISTRATION}/resource`, { type: 'node', data: nodeResource(31) });
    await until(() => of(uuid(31)).length === 1);
    expect(of(uuid(31))[0]?.pre).toBeUndefined();
    await ask('POST', `${REGISTRATION}/resource`, { type: 'node', data: { ...nodeResource(31), label: 'New name' } });
    await until(() => of(uuid(31)).length === 2);
    expect(of(uuid(31))[1]).toMatchObject({ pre: { label: 'Node 31' }, post: { label: 'New name' } });
    await ask('DELETE', `${REGISTRATION}/resource/nodes/${uuid(31)}`);
    await until(() => of(uuid(31)).length === 3);
    expect(of(uuid(31))[2]?.post).toBeUndefined();
    socket.close();
    await until(async () => (await ask('GET', `${QUERY}/subscriptions/${body.id as string}`)).status === 404);
  });
});

describe('a stand-in (IS-04 node, IS-05, IS-08)', () => {
  let node: StandinNode;
  const options = {
    port: portOf(18_080),
    registryUrl: `http://${REGISTRY.address}:${REGISTRY.port}`,
    heartbeatMs: 300,
    remember: () => {},
  };
  beforeAll(async () => {
    node = new StandinNode(spec, options, undefined);
    await node.plug();
  });
  afterAll(() => node.unplug());
  const ends = async (kind: 'senders' | 'receivers') =>
    (await ask('GET', `${BOX}/connection/v1.1/single/${kind}`)).body.map((id: string) => id.slice(0, -1)) as string[];

  test('registers itself with everything, and answers the same at its node API', async () => {
    await until(async () => (await ask('GET', `${QUERY}/nodes/${node.nodeId}`)).status === 200);
    const device = (await ask('GET', `${QUERY}/devices/${node.deviceId}`)).body;
    expect([device.senders.length, device.receivers.length]).toEqual([2, 2]);
    expect((await ask('GET', `${BOX}/node/v1.3/devices`)).body[0]).toEqual(device);
  });

  test.each(['heard again by its heartbeat', 'renamed at once'])(
    'forgotten by the registry and %s, it registers everything again',
    async (how) => {
      const known = async (kind: string) =>
        (await ask('GET', `${QUERY}/${kind}?device_id=${node.deviceId}`)).body.length as number;
      const isWhole = async () => (await known('senders')) === 2 && (await known('receivers')) === 2;
      await until(isWhole);
      await ask('DELETE', `${REGISTRATION}/resource/nodes/${node.nodeId}`);
      if (how === 'renamed at once') node.rename('Test box');
      await until(isWhole);
    },
  );

  test('stages without touching active, activates at once, and tells the registry', async () => {
    const [id] = await ends('senders');
    const at = `${BOX}/connection/v1.1/single/senders/${id}`;
    const staged = await ask('PATCH', `${at}/staged`, {
      master_enable: true,
      transport_params: [
        { destination_ip: '239.71.1.1', rtp_enabled: true },
        { destination_ip: '239.72.1.1', rtp_enabled: true },
      ],
    });
    expect(staged.body).toMatchObject({
      master_enable: true,
      transport_params: [{ destination_ip: '239.71.1.1' }, { destination_ip: '239.72.1.1' }],
    });
    expect((await ask('GET', `${at}/active`)).body.master_enable).toBe(false);
    expect((await ask('GET', `${at}/transportfile`)).status).toBe(404);
    const done = await ask('PATCH', `${at}/staged`, { activation: { mode: 'activate_immediate' } });
    expect(done.body.activation).toMatchObject({ mode: 'activate_immediate', requested_time: null });
    expect((await ask('GET', `${at}/staged`)).body.activation.mode).toBeNull();
    expect((await ask('GET', `${at}/active`)).body).toMatchObject({
      master_enable: true,
      activation: { mode: 'activate_immediate' },
    });
    await until(async () => (await ask('GET', `${QUERY}/senders/${id}`)).body.subscription.active === true);
    const { audio, problems } = readSdp((await ask('GET', `${at}/transportfile`)).body as string);
    expect(problems).toEqual([]);
    expect(audio?.legs.map((l) => l.group)).toEqual(['239.71.1.1', '239.72.1.1']);
  });

  test('a receiver takes its addresses from the SDP it is given', async () => {
    const [senderId] = await ends('senders');
    const [id] = await ends('receivers');
    const sdp = (await ask('GET', `${BOX}/connection/v1.1/single/senders/${senderId}/transportfile`)).body as string;
    const { status, body } = await ask('PATCH', `${BOX}/connection/v1.1/single/receivers/${id}/staged`, {
      sender_id: senderId,
      master_enable: true,
      transport_file: { data: sdp, type: 'application/sdp' },
      activation: { mode: 'activate_immediate' },
    });
    expect(status).toBe(200);
    expect(body.transport_params.map((p: { multicast_ip: string }) => p.multicast_ip)).toEqual([
      '239.71.1.1',
      '239.72.1.1',
    ]);
  });

  test.each([
    ['an unknown parameter', { transport_params: [{ colour: 'red' }, {}] }, /transport_params\[0\]\.colour/],
    ['a wrong type', { master_enable: 'yes' }, /master_enable/],
    ['a port out of range', { transport_params: [{ destination_port: 80 }, {}] }, /destination_port/],
    ['an address that is not its own', { transport_params: [{ source_ip: '10.1.1.1' }, {}] }, /source_ip/],
    ['more legs than it has', { transport_params: [{}, {}, {}] }, /not just 2 legs/],
    ['fewer legs than it has', { transport_params: [{}] }, /not just 2 legs/],
    ['no legs at all', { transport_params: [] }, /not just 2 legs/],
    ['a leg that is none', { transport_params: [{}, null] }, /transport_params\[1\] is not an object/],
    ['a switch that cannot be left to it', { transport_params: [{ rtp_enabled: 'auto' }, {}] }, /rtp_enabled/],
    [
      'a group that is not given',
      { transport_params: [{ destination_ip: null }, {}] },
      /destination_ip may not be null/,
    ],
    ['half a port', { transport_params: [{ destination_port: 5004.5 }, {}] }, /destination_port/],
    ['an activation without a mode', { activation: { requested_time: null } }, /activation\.mode is missing/],
    ['a receiver that is no id', { receiver_id: 'the other end' }, /receiver_id is not an id/],
    ['a mode that is none', { activation: { mode: 'whenever' } }, /mode/],
  ])('refuses %s and changes nothing', async (_, change, words) => {
    const [id] = await ends('senders');
    const at = `${BOX}/connection/v1.1/single/senders/${id}/staged`;
    const before = (await ask('GET', at)).body;
    const { status, body } = await ask('PATCH', at, change);
    expect(status).toBe(400);
    expect(body.error).toMatch(words);
    expect((await ask('GET', at)).body).toEqual(before);
  });

  test('a scheduled activation waits, locks the end, can be called off, and comes true', async () => {
    const [, id] = await ends('senders');
    const at = `${BOX}/connection/v1.1/single/senders/${id}`;
    const schedule = {
      master_enable: true,
      transport_params: [{ destination_ip: '239.71.2.2', rtp_enabled: true }, {}],
      activation: { mode: 'activate_scheduled_relative', requested_time: '0:300000000' },
    };
    expect((await ask('PATCH', `${at}/staged`, schedule)).status).toBe(202);
    expect((await ask('PATCH', `${at}/staged`, { master_enable: false })).status).toBe(423);
    expect((await ask('PATCH', `${at}/staged`, { activation: { mode: null } })).status).toBe(200);
    await pause(400);
    expect((await ask('GET', `${at}/active`)).body.master_enable).toBe(false);
    expect((await ask('PATCH', `${at}/staged`, schedule)).status).toBe(202);
    await until(async () => (await ask('GET', `${at}/active`)).body.master_enable === true);
  });

  test('bulk answers one by one, and one that is wrong does not stop the others', async () => {
    const [a] = await ends('receivers');
    const { status, body } = await ask('POST', `${BOX}/connection/v1.1/bulk/receivers`, [
      { id: a, params: { master_enable: true } },
      { id: 'nobody', params: {} },
      { id: a, params: { colour: 1 } },
    ]);
    expect(status).toBe(200);
    expect(body.map((r: { code: number }) => r.code)).toEqual([200, 404, 400]);
  });

  test.each([
    ['refusing', 500],
    ['lying', 200],
  ] as const)(
    'one that is set to be %s answers %d and changes nothing; sound again, it does what it is told',
    async (manner, status) => {
      const [id] = await ends('senders');
      const staged = `${BOX}/connection/v1.1/single/senders/${id}/staged`;
      const patch = (isOn: boolean) => ask('PATCH', staged, { master_enable: isOn });
      const isOn = async () => (await ask('GET', staged)).body.master_enable as boolean;
      const before = await isOn();
      node.manner = manner;
      expect((await patch(!before)).status).toBe(status);
      expect(await isOn()).toBe(before);
      node.manner = 'sound';
      expect((await patch(!before)).status).toBe(200);
      expect(await isOn()).toBe(!before);
      await patch(before);
    },
  );

  test('maps channels, refuses what is not there, and its stream is as wide as what is mapped', async () => {
    const map = `${BOX}/channelmapping/v1.0/map`;
    const to = (action: unknown) =>
      ask('POST', `${map}/activations`, { activation: { mode: 'activate_immediate' }, action });
    expect(
      (
        await to({
          'stream-out-1': { 0: { input: 'sends', channel_index: 4 }, 2: { input: 'sends', channel_index: 1 } },
        })
      ).status,
    ).toBe(200);
    expect((await ask('GET', `${map}/active`)).body.map['stream-out-1'][2]).toEqual({
      input: 'sends',
      channel_index: 1,
    });
    expect((await to({ nowhere: {} })).body.error).toMatch(/nowhere is not an output/);
    expect((await to({ receives: { 0: { input: 'stream-in-1', channel_index: 8 } } })).body.error).toMatch(
      /channel_index is not a channel/,
    );
    expect((await to({ receives: { 9: { input: null, channel_index: null } } })).status).toBe(400);
    const [id] = await ends('senders');
    const sdp = (await ask('GET', `${BOX}/connection/v1.1/single/senders/${id}/transportfile`)).body as string;
    expect(readSdp(sdp).audio?.channels).toBe(3);
    const io = (await ask('GET', `${BOX}/channelmapping/v1.0/io`)).body;
    expect(io.inputs['stream-in-1'].parent.type).toBe('receiver');
    expect(io.outputs.receives.source_id).toBeNull();
  });

  test('a device whose inputs are routed in blocks says so, takes whole blocks, and refuses half of one', async () => {
    const limited = new StandinNode(
      {
        ...spec,
        ...{
          id: 'blocks',
          name: 'Blocks',
          serial: 'T-2',
          channelsReceive: 8,
          receiveMap: { blockSize: 4, reordering: false },
        },
        interfaces: [{ name: 'A', address: '127.99.0.12' }],
        legs: [{ name: 'A', address: '127.99.0.12' }],
      },
      {
        port: portOf(18_080),
        registryUrl: `http://${REGISTRY.address}:${REGISTRY.port}`,
        heartbeatMs: 200,
        remember: () => undefined,
      },
      undefined,
    );
    await limited.plug();
    const base = `http://127.99.0.12:${portOf(18_080)}/x-nmos/channelmapping/v1.0`;
    const caps = { reordering: false, block_size: 4 };
    expect((await ask('GET', `${base}/inputs/stream-in-2/caps`)).body).toEqual(caps);
    expect((await ask('GET', `${base}/io`)).body.inputs['stream-in-1'].caps).toEqual(caps);
    expect((await ask('GET', `${base}/inputs/sends/caps`)).body).toEqual({ reordering: true, block_size: 1 });
    const map = (from: number, entries: readonly (number | null)[]) =>
      ask('POST', `${base}/map/activations`, {
        activation: { mode: 'activate_immediate' },
        action: {
          receives: Object.fromEntries(
            entries.map((index, n) => [
              String(from + n),
              { input: index === null ? null : 'stream-in-1', channel_index: index },
            ]),
          ),
        },
      });
    expect(await map(0, [0, 1, 2])).toMatchObject({
      status: 400,
      body: { error: expect.stringMatching(/whole blocks/) },
    });
    expect((await map(0, [4, 5, 6, 7])).status).toBe(200);
    expect(await map(4, [0, 1, 2, 3])).toMatchObject({
      status: 400,
      body: { error: expect.stringMatching(/its order/) },
    });
    expect((await map(0, [0, 1, 2, 3])).status).toBe(200);
    expect((await map(4, [4, 5, 6, 7])).status).toBe(200);
    // One channel of a block cannot be taken off alone.
    expect((await map(5, [null])).status).toBe(400);
    expect((await map(4, [null, null, null, null])).status).toBe(200);
    await limited.unplug();
  });

  test('answers every path of IS-08 that it lists, one thing at a time as all at once', async () => {
    const base = `${BOX}/channelmapping/v1.0`;
    const get = async (path: string) => (await ask('GET', `${base}/${path}`)).body;
    expect((await ask('GET', `${BOX}/channelmapping`)).body).toEqual(['v1.0/']);
    expect(await get('')).toEqual(['inputs/', 'outputs/', 'map/', 'io/']);
    const io = await get('io');
    for (const [side, parts] of [
      ['inputs', ['properties', 'parent', 'channels', 'caps']],
      ['outputs', ['properties', 'sourceid', 'channels', 'caps']],
    ] as const) {
      const ids = ((await get(side)) as string[]).map((id) => id.slice(0, -1));
      expect(ids.sort()).toEqual(Object.keys(io[side]).sort());
      for (const id of ids) {
        expect(await get(`${side}/${id}`)).toEqual(parts.map((p) => `${p}/`));
        for (const part of parts) {
          expect(await get(`${side}/${id}/${part}`)).toEqual(io[side][id][part === 'sourceid' ? 'source_id' : part]);
        }
      }
      expect((await ask('GET', `${base}/${side}/nobody/caps`)).status).toBe(404);
    }
    const active = await get('map/active');
    for (const id of Object.keys(io.outputs)) {
      expect(await get(`map/active/${id}`)).toEqual({ ...active, map: { [id]: active.map[id] } });
    }
  });

  test('maps channels later: the output is locked till then, and it can be called off', async () => {
    const map = `${BOX}/channelmapping/v1.0/map`;
    const action = { receives: { 3: { input: 'stream-in-1', channel_index: 0 } } };
    const schedule = (requested_time: string) =>
      ask('POST', `${map}/activations`, {
        activation: { mode: 'activate_scheduled_relative', requested_time },
        action,
      });
    const fed = async () => (await ask('GET', `${map}/active/receives`)).body.map.receives[3];
    expect((await schedule('soon')).status).toBe(400);
    const far = await schedule('60:0');
    expect(far.status).toBe(202);
    const [id] = Object.keys(far.body);
    expect((await ask('GET', `${map}/activations/${id}`)).body.action).toEqual(action);
    expect(Object.keys((await ask('GET', `${map}/activations`)).body)).toEqual([id]);
    expect((await schedule('0:1')).status).toBe(423);
    expect((await ask('DELETE', `${map}/activations/${id}`)).status).toBe(204);
    expect((await ask('GET', `${map}/activations/${id}`)).status).toBe(404);
    expect(await fed()).toEqual({ input: null, channel_index: null });
    expect((await schedule('0:200000000')).status).toBe(202);
    await until(async () => (await fed()).input === 'stream-in-1');
    expect((await ask('GET', `${map}/active`)).body.activation.mode).toBe('activate_scheduled_relative');
  });

  test('remembers what it was told when it starts again', async () => {
    const memory = JSON.parse(JSON.stringify(node.memory()));
    await node.unplug();
    await expect(fetch(`${BOX}/node/v1.3/self`)).rejects.toThrow();
    node = new StandinNode(spec, options, memory);
    await node.plug();
    const [id] = await ends('senders');
    expect(
      (await ask('GET', `${BOX}/connection/v1.1/single/senders/${id}/active`)).body.transport_params[0].destination_ip,
    ).toBe('239.71.1.1');
    expect((await ask('GET', `${BOX}/channelmapping/v1.0/map/active`)).body.map['stream-out-1'][0]).toEqual({
      input: 'sends',
      channel_index: 4,
    });
  });
});
