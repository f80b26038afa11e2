import { routeThrough } from '../core/signal/through';
import { feed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
// The stand-ins are what the field is tried on; the product itself never imports them.
import { StandinNode } from '../standins/node';
import { lanesInField } from './lane-state';
import { BENCH_MODELS, until, benchForEach } from './test-bench';
import { portOf } from './test-port';

const REGISTRY = { address: '127.99.9.8', port: portOf(18_884), expiryMs: 1200 };
const URL_OF_REGISTRY = `http://${REGISTRY.address}:${REGISTRY.port}`;
const PORT = portOf(18_084);
const NETWORK = { registry: REGISTRY, devicePort: PORT };
const { amp } = BENCH_MODELS;

describe('devices that are not as most are, in the field', () => {
  const { bench, bindings, stateOf, edit, sendAll } = benchForEach(NETWORK);

  test('a device that does not answer at one of its addresses is talked to at the next', async () => {
    const { device } = bench().nodeOf('amp');
    const [connection, map] = [device!.connectionHref!, device!.channelMapHref!];
    const nobody = (href: string) => href.replace(`:${PORT}`, ':9');
    await bench().registered('device', device!.id, {
      controls: [nobody(connection), connection]
        .map((href) => ({ type: 'urn:x-nmos:control:sr-ctrl/v1.1', href }))
        .concat([nobody(map), map].map((href) => ({ type: 'urn:x-nmos:control:cm-ctrl/v1.0', href }))),
    });
    await until(() => bench().nodeOf('amp')?.device?.connectionHref === nobody(connection));
    await until(() => bindings().nodeByDevice.get('amp')?.device?.connectionHref === connection);
    edit(feed('box', 1, 'amp', 1, 2));
    await until(() => !bench().follower.snapshot().failures.has(device!.id));
    expect((await sendAll('amp', [1, 2])).devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => stateOf('amp', 2) === 'carrying');
  });

  test('pictures are no streams of ours, and a second device of a node has senders too', async () => {
    const box = bench().nodeOf('box');
    const [first, second] = box.senders;
    await bench().registered('flow', first!.flowId!, { format: 'urn:x-nmos:format:video' });
    await until(() => bench().nodeOf('box').senders.length === box.senders.length - 1);
    expect(bench().nodeOf('box').senders[0]!.id).toBe(second!.id);
    expect(bench().nodeOf('box').others).toEqual({ picture: 1, ancillary: 0 });

    // The last of its senders moves to a device of its own, with connections of its own.
    const last = box.senders.at(-1)!;
    const other = '7b1b1f8e-1111-4111-8111-00000000abcd';
    const device = (await (
      await fetch(`${URL_OF_REGISTRY}/x-nmos/query/v1.3/devices/${box.device!.id}`)
    ).json()) as object;
    await fetch(`${URL_OF_REGISTRY}/x-nmos/registration/v1.3/resource`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({
        type: 'device',
        data: { ...device, id: other, label: 'A second one', senders: [], receivers: [] },
      }),
    });
    await bench().registered('sender', last.id, { device_id: other });
    await until(
      () => bench().nodeOf('box').devices.length === 2 && bench().nodeOf('box').senders.at(-1)!.deviceId === other,
    );
    expect(bench().nodeOf('box').device!.id).toBe(box.device!.id);
    expect(bench().nodeOf('box').senders).toHaveLength(box.senders.length - 1);
  });

  test('what passes through a processing unit is sent hop by hop', async () => {
    const console72 = bench().plan.models.get('console-72')!;
    edit(
      // One whose network outputs are led from nothing else.
      { kind: 'put-model', model: { ...console72, terminals: [], passesThrough: 8 } },
      { kind: 'change-device', deviceId: 'amp', change: { throughId: 'far' } },
    );
    const wishes = [1, 2].map((n) => ({
      ...{ receiverDeviceId: 'amp', receiverChannel: n, senderDeviceId: 'box', senderChannel: n + 4 },
    }));
    edit({ kind: 'subscribe', subscriptions: routeThrough(bench().plan, wishes).subscriptions });
    const report = await sendAll('amp', [1, 2]);
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => ['far', 'amp'].every((id) => stateOf(id, 1) === 'carrying' && stateOf(id, 2) === 'carrying'));
  });

  /** The amplifier as another make would be. */
  async function ampAs(change: Partial<StandinNode['spec']>): Promise<StandinNode> {
    const told = bench().nodes.get('amp')!;
    await told.unplug();
    const other = new StandinNode(
      { ...told.spec, ...change },
      { port: PORT, registryUrl: URL_OF_REGISTRY, heartbeatMs: 300, remember: () => {} },
      undefined,
    );
    bench().nodes.set('amp', other);
    await other.plug();
    return other;
  }

  test('a channel map that always feeds its channels goes over from one stream to the next, and is silent when its receiver is switched off', async () => {
    const always = await ampAs({ isAlwaysFed: true });
    await until(() =>
      [...bench().follower.snapshot().channelMaps.values()].some((m) =>
        m.outputs.some((o) => o.routable?.has(null) === false),
      ),
    );
    edit(feed('box', 1, 'amp', 1, 2));
    expect((await sendAll('amp', [1, 2])).devices.flatMap((d) => d.failed)).toEqual([]);
    // The other channel still wants the stream: its receiver stays on.
    const before = JSON.stringify(always.memory());
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 2 }] });
    expect(await sendAll('amp', [2])).toMatchObject({
      left: [{ deviceId: 'amp', channel: 2, why: 'always-fed' }],
      devices: [],
    });
    expect(JSON.stringify(always.memory())).toBe(before);
    edit(feed('box', 2, 'amp', 2), feed('far', 7, 'amp', 1));
    expect((await sendAll('amp', [1])).devices.flatMap((d) => d.failed)).toEqual([]);
    expect([bench().soundingFrom('amp', 1), bench().soundingFrom('amp', 2)]).toEqual([
      { deviceId: 'far', channel: 7 },
      { deviceId: 'box', channel: 2 },
    ]);
    // Now nobody else wants it: the receiver is switched off, and the sender too.
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 2 }] });
    await until(() => bench().stateOf('amp', 1) === 'carrying');
    const cleared = await sendAll('amp', [2]);
    expect([cleared.left, cleared.devices.flatMap((d) => d.failed)]).toEqual([[], []]);
    expect([bench().soundingFrom('amp', 1), bench().soundingFrom('amp', 2)]).toEqual([
      { deviceId: 'far', channel: 7 },
      null,
    ]);
    const box = bench().nodes.get('box')!;
    expect(box.memory().connections.filter((c) => c.active.master_enable)).toEqual([]);
  });

  test('a device that is fed in blocks is sent whole blocks, and what it cannot take is not tried', async () => {
    // The amplifier stands in for one with a channel map in blocks of four.
    const limits = { blockSize: 4, reordering: true };
    const inBlocks = await ampAs({ receiveMap: limits });
    edit({ kind: 'put-model', model: { ...amp, receiveMap: limits } }, feed('box', 9, 'amp', 1, 3));
    const amps = () =>
      [...bench().follower.snapshot().channelMaps.values()].filter((m) => m.inputs.some((i) => i.limits));
    await until(() => amps()[0]?.inputs.every((i) => i.receiverId === null || i.limits?.blockSize === 4) === true);
    const report = await sendAll('amp', [2]);
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => [1, 2, 3].every((c) => stateOf('amp', c) === 'carrying'));
    // The fourth goes along with its block, and receives an empty position: nothing that the plan does not want.
    const map = inBlocks.memory().map['receives']!;
    expect([map['0'], map['3']]).toEqual([
      { input: 'stream-in-1', channel_index: 0 },
      { input: 'stream-in-1', channel_index: 3 },
    ]);
    expect(lanesInField('amp', reckon(bench().plan), bench().follower.snapshot(), bindings()).fieldOnly.size).toBe(0);

    // One channel of the block cannot go alone: the plan refuses what would be left, and nothing is taken off.
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 2 }] });
    const alone = await sendAll('amp', [2]);
    expect(alone.left).toEqual([{ deviceId: 'amp', channel: 2, why: 'in-a-block' }]);
    expect(inBlocks.memory().map['receives']!['1']).toEqual({ input: 'stream-in-1', channel_index: 1 });
    edit({ kind: 'unsubscribe', channels: [1, 3].map((channel) => ({ deviceId: 'amp', channel })) });
    await sendAll('amp', [1, 2, 3]);
    expect(Object.values(inBlocks.memory().map['receives']!).every((e) => e.input === null)).toBe(true);

    // A plan that does not know of the blocks is refused by the device before anything is touched.
    edit({ kind: 'put-model', model: amp }, feed('box', 1, 'amp', 1, 4));
    await sendAll('amp', [1, 2, 3, 4]);
    await until(() => stateOf('amp', 4) === 'carrying');
    const before = JSON.stringify(inBlocks.memory().map['receives']);
    edit(feed('box', 20, 'amp', 2));
    const failed = (await sendAll('amp', [2])).devices.find((d) => d.deviceId === 'amp')?.failed;
    expect(failed?.[0]).toMatchObject({
      step: 'receiver-map',
      failure: { detail: expect.stringContaining('takes blocks of 4 only: channel 1 would go silent') },
    });
    expect(JSON.stringify(inBlocks.memory().map['receives'])).toBe(before);
  });

  test('a device with two legs is sent both: what an earlier stream left on the second is switched off', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    const [sender] = [...bench().follower.snapshot().nodes.values()].find((n) => n.node.label === 'box')!.senders;
    const at = `http://127.99.8.11:${PORT}/x-nmos/connection/v1.1/single/senders/${sender!.id}`;
    const stale = { destination_ip: '239.99.9.9', rtp_enabled: true };
    const ask = (body: unknown) =>
      fetch(`${at}/staged`, {
        method: 'PATCH',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
    expect((await ask({ transport_params: [{}, stale] })).status).toBe(200);
    // Fewer legs than the device has are against the standard, and refused.
    expect((await ask({ transport_params: [{}] })).status).toBe(400);
    await sendAll('amp', [1, 2]);
    await until(() => stateOf('amp', 1) === 'carrying');
    const active = (await (await fetch(`${at}/active`)).json()) as { transport_params: { rtp_enabled: boolean }[] };
    expect(active.transport_params.map((p) => p.rtp_enabled)).toEqual([true, false]);
    edit({ kind: 'unsubscribe', channels: [1, 2].map((channel) => ({ deviceId: 'amp', channel })) });
    const report = await sendAll('amp', [1, 2]);
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    expect(
      bench()
        .nodes.get('box')!
        .memory()
        .connections.some((c) => c.active.master_enable),
    ).toBe(false);
  });

  test('an end that is locked by an activation somebody scheduled is waited for', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    const receiver = [...bench().follower.snapshot().nodes.values()].find((n) => n.node.label === 'amp')!.receivers[0]!;
    const at = `http://127.99.8.12:${PORT}/x-nmos/connection/v1.1/single/receivers/${receiver.id}/staged`;
    const patch = (body: object) =>
      fetch(at, {
        method: 'PATCH',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
    const activation = { mode: 'activate_scheduled_relative', requested_time: '1:0' };
    expect((await patch({ activation })).status).toBe(202);
    expect((await patch({ master_enable: false })).status).toBe(423);
    const report = await sendAll('amp', [1, 2]);
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => stateOf('amp', 1) === 'carrying');
  });

  test('a device that is registered with an earlier version of IS-04 is found too', async () => {
    const id = '7b1f6c1e-3a52-4e5c-9a0d-1f2e3d4c5b6a';
    const data = {
      id,
      version: '1:0',
      label: 'Old box',
      description: '',
      api: { versions: ['v1.2'], endpoints: [] },
      clocks: [],
      interfaces: [],
      href: 'http://127.99.8.77:80/',
      caps: {},
      services: [],
      tags: {},
    };
    const response = await fetch(`${URL_OF_REGISTRY}/x-nmos/registration/v1.2/resource`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ type: 'node', data }),
    });
    expect(response.status).toBe(201);
    await until(() => bench().follower.snapshot().nodes.get(id)?.node.label === 'Old box');
  });

  test('a sender set to unicast sends each receiver a copy: to its own address, a stream each, carrying at both', async () => {
    edit(feed('box', 1, 'amp', 1, 2), feed('box', 1, 'far', 1, 2), {
      kind: 'change-device',
      deviceId: 'box',
      change: { sendsUnicast: true },
    });
    await sendAll('amp', [1, 2]);
    await sendAll('far', [1, 2]);
    await until(() => stateOf('amp', 1) === 'carrying' && stateOf('far', 2) === 'carrying');
    const streams = reckon(bench().plan).streamsBySender.get('box')!;
    expect(streams.map((x) => x.receiverDeviceIds)).toEqual([['amp'], ['far']]);
    const readings = [...bench().follower.snapshot().readings.values()].filter((r) => r.active.isEnabled);
    const sentTo = new Set(
      readings.flatMap((r) => r.active.legs.filter((l) => l.isEnabled).map((l) => l.destinationIp)),
    );
    // Two senders and two receivers name two addresses on the loopback network, and no group.
    expect([...sentTo].every((ip) => ip?.startsWith('127.'))).toBe(true);
    expect(sentTo.size).toBe(2);
  });

  test('a patch that is not ours is read and never written, and its lanes say so', async () => {
    edit(feed('box', 1, 'amp', 1, 2), feed('far', 1, 'amp', 3));
    await sendAll('amp', [1, 2, 3]);
    await until(() => stateOf('amp', 1) === 'carrying');
    const before = JSON.stringify(bench().nodes.get('amp')!.memory());
    edit({ kind: 'change-device', deviceId: 'amp', change: { isPatchForeign: true } }, feed('box', 5, 'amp', 1, 2));
    const lane = reckon(bench().plan).lanesByReceiver.get('amp')?.get(1);
    expect(lane).toMatchObject({
      verdict: 'caution',
      reception: { caution: { code: 'foreign-patch', end: 'receiver' } },
    });
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 3 }] });
    const report = await sendAll('amp', [1, 2, 3]);
    expect(report.left.map((l) => l.why)).toEqual(['device-foreign', 'device-foreign', 'device-foreign']);
    expect(report.devices.flatMap((d) => (d.deviceId === 'amp' ? d.done : []))).toEqual([]);
    expect(JSON.stringify(bench().nodes.get('amp')!.memory())).toBe(before);

    // Nor is a sender's.
    edit(
      { kind: 'change-device', deviceId: 'amp', change: { isPatchForeign: false } },
      { kind: 'change-device', deviceId: 'box', change: { isPatchForeign: true } },
    );
    const box = JSON.stringify(bench().nodes.get('box')!.memory());
    expect((await sendAll('amp', [1, 2])).left.map((l) => l.why)).toEqual(['sender-foreign', 'sender-foreign']);
    expect(JSON.stringify(bench().nodes.get('box')!.memory())).toBe(box);
  });
});
