import { createServer, type Server } from 'node:http';
import { fileOfPlan } from '../core/formats/plan-file';
import type { Command } from '../core/plan/commands';
import type { Plan } from '../core/plan/plan';
import { importSdp } from '../core/edits/import-sdp';
import { routeThrough } from '../core/signal/through';
import { apply, deviceOf, feed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
// The stand-ins are what the field is tried on; the product itself never imports them.
import { fleetOfPlan } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { Registry } from '../registry/registry';
import { Announcer } from '../standins/announcer';
import { AnnouncementListener } from './announcements';
import { bindDevices, fieldAddress, parseTranslation, planAddress, planAddressesIn } from './binding';
import { FieldFollower } from './follower';
import { lanesInField } from './lane-state';
import { planSend } from './send-plan';
import { send } from './send';
import { BENCH_MODELS, FieldBench, layout, READINGS, startPlan, translation, until } from './test-bench';
import type { SendHooks, SendProgress } from './send-report';

const REGISTRY = { address: '127.99.9.1', port: 18_880, expiryMs: 1200 };
const URL_OF_REGISTRY = `http://${REGISTRY.address}:${REGISTRY.port}`;
const PORT = 18_081;
const NETWORK = { registry: REGISTRY, devicePort: PORT };
const { amp } = BENCH_MODELS;

describe('the field, tried on stand-ins', () => {
  let bench: FieldBench;
  let registry: Registry;
  let nodes: Map<string, StandinNode>;
  let follower: FieldFollower;

  beforeEach(async () => {
    bench = new FieldBench(NETWORK);
    await bench.start();
    ({ registry, nodes, follower } = bench);
  });
  afterEach(() => bench.stop());

  const bindings = () => bench.bindings();
  const stateOf = (deviceId: string, channel: number) => bench.stateOf(deviceId, channel);
  const sounding = (deviceId: string, channel: number) => bench.sounding(deviceId, channel);
  const edit = (...commands: Command[]) => bench.edit(...commands);
  const sendAll = (deviceId: string, channels: number[], start?: boolean, hooks?: SendHooks) =>
    bench.sendAll(deviceId, channels, start, hooks);

  test('a lane goes from planned to staged to carrying, for each channel by what both ends report', async () => {
    edit(feed('box', 5, 'amp', 1, 4));
    expect(stateOf('amp', 1)).toBe('planned');
    const staged = await sendAll('amp', [1, 2, 3, 4], false);
    expect(staged.devices.every((d) => d.failed.length === 0)).toBe(true);
    await until(() => stateOf('amp', 1) === 'staged');
    await sendAll('amp', [1, 2, 3, 4]);
    await until(() => [1, 2, 3, 4].every((c) => stateOf('amp', c) === 'carrying'));
  });

  test('a sender that only announces its streams is heard as it is, and never written', async () => {
    const place = { address: '127.99.9.1', port: 18_882 };
    const listener = new AnnouncementListener([place], () => {});
    listener.start();
    const announcer = new Announcer(
      {
        ...{ id: 'boat', name: 'Boat', address: '127.99.8.90' },
        format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
        streams: [{ channels: 2, group: '239.71.200.9' }],
      },
      { to: place, periodMs: 50 },
    );
    announcer.plug();
    await until(() => listener.streams().size === 1);
    const [session] = listener.state().sessions;
    edit(...importSdp(bench.plan, [{ name: 'boat', text: planAddressesIn(session!.payload, translation) }]).commands);
    edit(feed('boat', 1, 'amp', 5, 2));
    const announced = () => listener.streams();
    const laneOf = () =>
      lanesInField('amp', reckon(bench.plan), follower.snapshot(), bindings(), announced()).lanes.get(6)?.state;
    const channels = [5, 6].map((channel) => ({ deviceId: 'amp', channel }));
    const untold = planSend(channels, reckon(bench.plan), follower.snapshot(), bindings());
    expect(untold.left.map((x) => x.why)).toEqual(['sender-untold', 'sender-untold']);

    const work = planSend(channels, reckon(bench.plan), follower.snapshot(), bindings(), announced());
    const report = await send(work, reckon(bench.plan), follower, bindings(), { start: true }, announced());
    edit({ kind: 'keep-sent-streams', put: report.put, drop: report.drop });
    expect(report.devices.map((d) => [d.deviceId, d.done, d.failed])).toEqual([
      ['boat', ['sender-read'], []],
      ['amp', ['receiver-map', 'receiver'], []],
    ]);
    await until(() => laneOf() === 'carrying');
    const legs = nodes
      .get('amp')!
      .memory()
      .connections.flatMap((c) => c.active.transport_params);
    expect(legs.some((p) => p['multicast_ip'] === '239.71.200.9' && p['rtp_enabled'] === true)).toBe(true);
    // Switched off it takes its announcement back: the lane waits for it.
    announcer.unplug();
    await until(() => listener.streams().size === 0);
    expect(laneOf()).toBe('waiting');
    listener.stop();
  });

  test('streams stay on the senders and receivers that they were first sent on, whatever these are called', async () => {
    edit(feed('box', 1, 'amp', 1, 2), feed('box', 9, 'far', 1, 2));
    await sendAll('amp', [1, 2]);
    await sendAll('far', [1, 2]);
    await until(() => stateOf('amp', 2) === 'carrying' && stateOf('far', 2) === 'carrying');
    const idOf = (n: number) => bindings().nodeByDevice.get('box')!.senders[n - 1]!.id;
    const [first, second] = [idOf(1), idOf(2)];
    expect(first).not.toBe(second);
    // The box gives its first sender a name that sorts last, as registered anew.
    await registered('sender', first, { label: 'Zz' });
    await until(
      () => follower.snapshot().nodes.get(bindings().nodeByDevice.get('box')!.node.id)!.senders[0]!.id !== first,
    );
    expect([idOf(1), idOf(2)]).toEqual([first, second]);
    expect(stateOf('amp', 2)).toBe('carrying');
    const before = JSON.stringify(nodes.get('box')!.memory().connections);
    const report = await bench.send(
      [1, 2].flatMap((c) => [
        { deviceId: 'amp', channel: c },
        { deviceId: 'far', channel: c },
      ]),
    );
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    expect(JSON.stringify(nodes.get('box')!.memory().connections)).toBe(before);
    expect([sounding('amp', 1), sounding('far', 1)]).toEqual([1, 9]);
    // A plan that knows nothing of them yet goes by their names, and a box put in its place too.
    const unsent = { ...bench.plan, streamEnds: new Map() };
    expect(bindDevices(unsent, follower.snapshot(), translation).nodeByDevice.get('box')!.senders[0]!.id).toBe(second);
  });

  /** As the node itself would register it. */
  async function registered(type: 'device' | 'sender' | 'flow', id: string, change: object): Promise<void> {
    const own = (await (await fetch(`${URL_OF_REGISTRY}/x-nmos/query/v1.3/${type}s/${id}`)).json()) as object;
    const answer = await fetch(`${URL_OF_REGISTRY}/x-nmos/registration/v1.3/resource`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ type, data: { ...own, ...change, version: '9999999999:0' } }),
    });
    expect(answer.ok).toBe(true);
  }
  const nodeOf = (deviceId: string) => bindings().nodeByDevice.get(deviceId)!;

  test('a device that does not answer at one of its addresses is talked to at the next', async () => {
    const { device } = nodeOf('amp');
    const [connection, map] = [device!.connectionHref!, device!.channelMapHref!];
    const nobody = (href: string) => href.replace(`:${PORT}`, ':9');
    await registered('device', device!.id, {
      controls: [nobody(connection), connection]
        .map((href) => ({ type: 'urn:x-nmos:control:sr-ctrl/v1.1', href }))
        .concat([nobody(map), map].map((href) => ({ type: 'urn:x-nmos:control:cm-ctrl/v1.0', href }))),
    });
    await until(() => nodeOf('amp')?.device?.connectionHref === nobody(connection));
    await until(() => bindings().nodeByDevice.get('amp')?.device?.connectionHref === connection);
    edit(feed('box', 1, 'amp', 1, 2));
    await until(() => !follower.snapshot().failures.has(device!.id));
    expect((await sendAll('amp', [1, 2])).devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => stateOf('amp', 2) === 'carrying');
  });

  test('pictures are no streams of ours, and a second device of a node has senders too', async () => {
    const box = nodeOf('box');
    const [first, second] = box.senders;
    await registered('flow', first!.flowId!, { format: 'urn:x-nmos:format:video' });
    await until(() => nodeOf('box').senders.length === box.senders.length - 1);
    expect(nodeOf('box').senders[0]!.id).toBe(second!.id);
    expect(nodeOf('box').others).toEqual({ picture: 1, ancillary: 0 });

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
    await registered('sender', last.id, { device_id: other });
    await until(() => nodeOf('box').devices.length === 2 && nodeOf('box').senders.at(-1)!.deviceId === other);
    expect(nodeOf('box').device!.id).toBe(box.device!.id);
    expect(nodeOf('box').senders).toHaveLength(box.senders.length - 1);
  });

  test('what passes through a processing unit is sent hop by hop', async () => {
    const console72 = bench.plan.models.get('console-72')!;
    edit(
      // One whose network outputs are led from nothing else.
      { kind: 'put-model', model: { ...console72, terminals: [], passesThrough: 8 } },
      { kind: 'change-device', deviceId: 'amp', change: { throughId: 'far' } },
    );
    const wishes = [1, 2].map((n) => ({
      ...{ receiverDeviceId: 'amp', receiverChannel: n, senderDeviceId: 'box', senderChannel: n + 4 },
    }));
    edit({ kind: 'subscribe', subscriptions: routeThrough(bench.plan, wishes).subscriptions });
    const report = await sendAll('amp', [1, 2]);
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => ['far', 'amp'].every((id) => stateOf(id, 1) === 'carrying' && stateOf(id, 2) === 'carrying'));
  });

  /** The amplifier as another make would be. */
  async function ampAs(change: Partial<StandinNode['spec']>): Promise<StandinNode> {
    const told = nodes.get('amp')!;
    await told.unplug();
    const other = new StandinNode(
      { ...told.spec, ...change },
      { port: PORT, registryUrl: URL_OF_REGISTRY, heartbeatMs: 300, remember: () => {} },
      undefined,
    );
    nodes.set('amp', other);
    await other.plug();
    return other;
  }

  test('a channel map that always feeds its channels goes over from one stream to the next, and what cannot be taken off is said', async () => {
    const always = await ampAs({ isAlwaysFed: true });
    await until(() =>
      [...follower.snapshot().channelMaps.values()].some((m) => m.outputs.some((o) => o.routable?.has(null) === false)),
    );
    edit(feed('box', 1, 'amp', 1, 2));
    expect((await sendAll('amp', [1, 2])).devices.flatMap((d) => d.failed)).toEqual([]);
    edit(feed('far', 7, 'amp', 1));
    expect((await sendAll('amp', [1])).devices.flatMap((d) => d.failed)).toEqual([]);
    expect([bench.soundingFrom('amp', 1), bench.soundingFrom('amp', 2)]).toEqual([
      { deviceId: 'far', channel: 7 },
      { deviceId: 'box', channel: 2 },
    ]);
    const before = JSON.stringify(always.memory().map);
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 2 }] });
    expect(await sendAll('amp', [2])).toMatchObject({
      left: [{ deviceId: 'amp', channel: 2, why: 'always-fed' }],
      devices: [],
    });
    expect(JSON.stringify(always.memory().map)).toBe(before);
  });

  test('a device that is left in peace fails at once, until somebody wants to know whether it is back', async () => {
    edit(feed('box', 1, 'amp', 1));
    const { device } = nodeOf('amp');
    const failureOfAmp = async () =>
      (await sendAll('amp', [1])).devices.find((d) => d.deviceId === 'amp')?.failed[0]?.failure.kind;
    for (const _ of [1, 2]) {
      follower.noteAnswer(device!.id, { kind: 'timeout', afterMs: 3000 });
    }
    expect(await failureOfAmp()).toBe('resting');
    follower.wake(device!.id);
    expect(await failureOfAmp()).toBeUndefined();
  });

  test('a device that says yes and does nothing is found out at once', async () => {
    nodes.get('amp')!.manner = 'lying';
    edit(feed('box', 1, 'amp', 1));
    const report = await sendAll('amp', [1]);
    expect(report.devices.find((d) => d.deviceId === 'amp')!.failed[0]).toMatchObject({
      step: 'receiver',
      failure: { detail: 'it said yes, and hears something else' },
    });
    expect(report.again).toEqual([{ deviceId: 'amp', channel: 1 }]);
  });

  test('a device that is fed in blocks is told whole blocks, and what it cannot take is not tried', async () => {
    // The amplifier stands in for one with a channel map in blocks of four.
    const limits = { blockSize: 4, reordering: true };
    const inBlocks = await ampAs({ receiveMap: limits });
    edit({ kind: 'put-model', model: { ...amp, receiveMap: limits } }, feed('box', 9, 'amp', 1, 3));
    const amps = () => [...follower.snapshot().channelMaps.values()].filter((m) => m.inputs.some((i) => i.limits));
    await until(() => amps()[0]?.inputs.every((i) => i.receiverId === null || i.limits?.blockSize === 4) === true);
    const report = await sendAll('amp', [2]);
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => [1, 2, 3].every((c) => stateOf('amp', c) === 'carrying'));
    // The fourth goes along with its block, and hears an empty position: nothing that the plan does not want.
    const map = inBlocks.memory().map['receives']!;
    expect([map['0'], map['3']]).toEqual([
      { input: 'stream-in-1', channel_index: 0 },
      { input: 'stream-in-1', channel_index: 3 },
    ]);
    expect(lanesInField('amp', reckon(bench.plan), follower.snapshot(), bindings()).fieldOnly.size).toBe(0);

    // One channel of the block cannot go alone: the plan refuses what would be left, and nothing is taken off.
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 2 }] });
    const alone = await sendAll('amp', [2]);
    expect(alone.left).toEqual([{ deviceId: 'amp', channel: 2, why: 'in-a-block' }]);
    expect(inBlocks.memory().map['receives']!['1']).toEqual({ input: 'stream-in-1', channel_index: 1 });
    edit({ kind: 'unsubscribe', channels: [1, 3].map((channel) => ({ deviceId: 'amp', channel })) });
    await sendAll('amp', [1, 2, 3]);
    expect(Object.values(inBlocks.memory().map['receives']!).every((e) => e.input === null)).toBe(true);

    // A plan that does not know of the blocks is told by the device before anything is touched.
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

  test('a device with two legs is told of both: what an earlier stream left on the second is switched off', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    const [sender] = [...follower.snapshot().nodes.values()].find((n) => n.node.label === 'box')!.senders;
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
      nodes
        .get('box')!
        .memory()
        .connections.some((c) => c.active.master_enable),
    ).toBe(false);
  });

  test('an end that is locked by an activation somebody scheduled is waited for', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    const receiver = [...follower.snapshot().nodes.values()].find((n) => n.node.label === 'amp')!.receivers[0]!;
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
    await until(() => follower.snapshot().nodes.get(id)?.node.label === 'Old box');
  });

  test('lanes out of step and from two senders arrive where the plan says', async () => {
    edit(feed('box', 9, 'amp', 1), feed('box', 2, 'amp', 2), feed('far', 70, 'amp', 3), feed('box', 9, 'amp', 8));
    await sendAll('amp', [1, 2, 3, 8]);
    await until(() => [1, 2, 3, 8].every((c) => stateOf('amp', c) === 'carrying'));
    const map = nodes.get('amp')!.memory().map['receives']!;
    expect(map['0']).toEqual(map['7']);
    expect(map['1']).not.toEqual(map['0']);
  });

  test('a lane waits while its sender is away and carries on when it is back: devices and plan both remember', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    await sendAll('amp', [1, 2]);
    await until(() => stateOf('amp', 1) === 'carrying');
    await nodes.get('box')!.unplug();
    await until(() => stateOf('amp', 1) === 'waiting');
    await nodes.get('box')!.plug();
    await until(() => stateOf('amp', 1) === 'carrying');
    await nodes.get('amp')!.unplug();
    await until(() => stateOf('amp', 1) === 'waiting');
  });

  test('a new lane from the same sender leaves the stream that carries as it is', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    await sendAll('amp', [1, 2]);
    const before = reckon(bench.plan).groupsByStream.get('box/1');
    edit(feed('box', 1, 'far', 1), feed('box', 7, 'far', 2));
    const after = reckon(bench.plan);
    expect(after.groupsByStream.get('box/1')).toEqual(before);
    expect(after.streamsBySender.get('box')!.map((s) => s.channels)).toEqual([[1, 2], [7]]);
    await sendAll('far', [1, 2]);
    await until(() => stateOf('far', 2) === 'carrying' && stateOf('amp', 2) === 'carrying');
  });

  test('a sender that is told to sends each receiver a copy: to its own address, a stream each, carrying at both', async () => {
    edit(feed('box', 1, 'amp', 1, 2), feed('box', 1, 'far', 1, 2), {
      kind: 'change-device',
      deviceId: 'box',
      change: { sendsUnicast: true },
    });
    await sendAll('amp', [1, 2]);
    await sendAll('far', [1, 2]);
    await until(() => stateOf('amp', 1) === 'carrying' && stateOf('far', 2) === 'carrying');
    const streams = reckon(bench.plan).streamsBySender.get('box')!;
    expect(streams.map((x) => x.receiverDeviceIds)).toEqual([['amp'], ['far']]);
    const readings = [...follower.snapshot().readings.values()].filter((r) => r.active.isEnabled);
    const sentTo = new Set(
      readings.flatMap((r) => r.active.legs.filter((l) => l.isEnabled).map((l) => l.destinationIp)),
    );
    // Two senders and two receivers name two addresses on the loopback network, and no group.
    expect([...sentTo].every((ip) => ip?.startsWith('127.'))).toBe(true);
    expect(sentTo.size).toBe(2);
  });

  test.each([
    ['under its own number', 1],
    ['under another number', 2],
  ])(
    'a stream laid out anew %s takes all its hearers over, and at no moment does a wrong channel sound',
    async (_, streamNumber) => {
      edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 1));
      edit(layout(1, [1, 2]));
      await sendAll('amp', [1, 2]);
      await sendAll('far', [1]);
      await until(() => stateOf('amp', 2) === 'carrying' && stateOf('far', 1) === 'carrying');
      expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([1, 2, 2]);

      // Channel 2 moves from the second position to the first, and channel 3 comes to stand where it was.
      edit(feed('box', 3, 'amp', 1));
      if (streamNumber !== 1)
        edit({ kind: 'lay-out-streams', put: [], drop: [{ senderDeviceId: 'box', streamNumber: 1 }] });
      edit(layout(streamNumber, [2, 3]));
      const heard = { amp1: new Set<number | null>(), amp2: new Set<number | null>(), far1: new Set<number | null>() };
      const listen = () => {
        heard.amp1.add(sounding('amp', 1));
        heard.amp2.add(sounding('amp', 2));
        heard.far1.add(sounding('far', 1));
      };
      let isListening = true;
      const loop = () => {
        listen();
        if (isListening) setImmediate(loop);
      };
      loop();
      await sendAll('amp', [1, 2]);
      if (streamNumber !== 1) {
        // The old stream goes on for those who were not chosen, until they go over too.
        expect(sounding('far', 1)).toBe(2);
        await sendAll('far', [1]);
      }
      isListening = false;
      listen();
      expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([3, 2, 2]);
      expect([...heard.amp1].filter((c) => c !== null && c !== 1 && c !== 3)).toEqual([]);
      expect([...heard.amp2].filter((c) => c !== null && c !== 2)).toEqual([]);
      expect([...heard.far1].filter((c) => c !== null && c !== 2)).toEqual([]);
      await until(() => stateOf('amp', 1) === 'carrying' && stateOf('far', 1) === 'carrying');
      expect([...(bench.plan.sentStreams.get('box')?.values() ?? [])].map((s) => [s.streamNumber, s.channels])).toEqual(
        [[streamNumber, [2, 3]]],
      );
    },
  );

  const relaid = async () => {
    edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 1), layout(1, [1, 2]));
    await sendAll('amp', [1, 2]);
    await sendAll('far', [1]);
    await until(() => stateOf('amp', 2) === 'carrying' && stateOf('far', 1) === 'carrying');
    edit(feed('box', 3, 'amp', 1), layout(1, [2, 3]));
  };

  test('each step of each device is told as it begins and as it ends, in the order in which they are done', async () => {
    edit(feed('box', 5, 'amp', 1, 2));
    const told: SendProgress[] = [];
    await sendAll('amp', [1, 2], true, { tell: (p) => told.push(p), isStopped: () => false });
    expect(told.map((p) => `${p.deviceId} ${p.step} ${p.is}`)).toEqual([
      'box sender-map begun',
      'box sender-map done',
      'box sender begun',
      'box sender done',
      'amp receiver-map begun',
      'amp receiver-map done',
      'amp receiver begun',
      'amp receiver done',
      'amp receiver-map begun',
      'amp receiver-map done',
    ]);
  });

  test('a send that is stopped at once touches nothing and says what is still to do', async () => {
    edit(feed('box', 5, 'amp', 1, 2));
    const report = await sendAll('amp', [1, 2], true, { tell: () => {}, isStopped: () => true });
    expect(report.devices).toEqual([]);
    expect(report.put).toEqual([]);
    expect([...report.notBegun].sort()).toEqual(['amp', 'box']);
    expect(report.again).toEqual([
      { deviceId: 'amp', channel: 1 },
      { deviceId: 'amp', channel: 2 },
    ]);
    expect(sounding('amp', 1)).toBeNull();
    // What is left is sent by the same means.
    await sendAll(
      'amp',
      report.again.map((c) => c.channel),
    );
    await until(() => stateOf('amp', 2) === 'carrying');
  });

  test('stopped when receivers have been taken off: they are brought to their end, nobody stays silent', async () => {
    await relaid();
    let isStopped = false;
    const report = await sendAll('amp', [1, 2], true, {
      tell: ({ step, is }) => {
        // Before the second of them has been taken off.
        if (step === 'receiver-map' && is === 'begun') isStopped = true;
      },
      isStopped: () => isStopped,
    });
    expect(report.notBegun).toEqual([]);
    expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([3, 2, 2]);
  });

  test('stopped between senders and receivers: what carries goes on carrying, and the plan notes only what was told', async () => {
    edit(feed('box', 1, 'amp', 1));
    await sendAll('amp', [1]);
    await until(() => stateOf('amp', 1) === 'carrying');
    edit(feed('far', 1, 'amp', 2));
    let isStopped = false;
    const report = await sendAll('amp', [1, 2], true, {
      tell: ({ deviceId, step, is }) => {
        if (deviceId === 'far' && step === 'sender' && is === 'done') isStopped = true;
      },
      isStopped: () => isStopped,
    });
    expect(report.notBegun).toEqual(['amp']);
    expect(sounding('amp', 1)).toBe(1);
    const noted = [...(bench.plan.sentStreams.get('far')?.values() ?? [])];
    expect(noted.map((s) => s.receivers)).toEqual([[]]);
    expect(report.again.map((c) => c.channel)).toEqual([1, 2]);
  });

  test('a stream is not laid out anew under its number while one that hears it is away: it would come back to wrong channels', async () => {
    await relaid();
    await nodes.get('far')!.unplug();
    await until(() => !bindings().nodeByDevice.has('far'));
    const report = await sendAll('amp', [1, 2]);
    expect(report.left.filter((l) => l.deviceId === 'amp').map((l) => l.why)).toEqual(['hearer-away', 'hearer-away']);
    expect([sounding('amp', 1), sounding('amp', 2)]).toEqual([1, 2]);
    await nodes.get('far')!.plug();
    await until(() => stateOf('far', 1) !== 'waiting' && bindings().nodeByDevice.has('far'));
    expect(sounding('far', 1)).toBe(2);
    await until(() => follower.snapshot().readings.size === READINGS && follower.snapshot().channelMaps.size === 3);
    await until(() => bindings().nodeByDevice.get('far')?.receivers.length === 4);
    const again = await sendAll('amp', [1, 2]);
    expect(again).toMatchObject({ left: [] });
    expect(again.devices.flatMap((d) => d.failed)).toEqual([]);
    expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([3, 2, 2]);
  });

  test('nor where one that hears it does not answer: the sender is left as it is, and the report says so', async () => {
    await relaid();
    nodes.get('far')!.delayMs = 4000;
    const report = await sendAll('amp', [1, 2]);
    nodes.get('far')!.delayMs = 0;
    const failed = report.devices.flatMap((d) => d.failed.map((f) => `${d.deviceId} ${f.step}`));
    expect(failed).toEqual(expect.arrayContaining(['far receiver-map', 'box sender']));
    expect(report.put).toEqual([]);
    expect(sounding('far', 1)).toBe(2);
    // The one that was taken off already hears again what it heard.
    expect(sounding('amp', 1)).toBe(1);
  });

  test('a channel that the plan cleared but its device still hears is taken off with the others', async () => {
    await relaid();
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'far', channel: 1 }] });
    await sendAll('amp', [1, 2]);
    expect([sounding('amp', 1), sounding('far', 1)]).toEqual([3, null]);
  });

  test('a stream of a receiver that becomes another takes along all the channels that it feeds', async () => {
    edit(feed('box', 1, 'amp', 1, 2), layout(1, [1, 2]));
    await sendAll('amp', [1, 2]);
    await until(() => stateOf('amp', 2) === 'carrying');
    edit({ kind: 'lay-out-streams', put: [], drop: [{ senderDeviceId: 'box', streamNumber: 1 }] }, layout(2, [2, 1]));
    await sendAll('amp', [1]);
    expect([sounding('amp', 1), sounding('amp', 2)]).toEqual([1, 2]);
    expect([...(bench.plan.sentStreams.get('box')?.keys() ?? [])]).toEqual([2]);
  });

  test('a patch that is not ours is read and never written, and its lanes say so', async () => {
    edit(feed('box', 1, 'amp', 1, 2), feed('far', 1, 'amp', 3));
    await sendAll('amp', [1, 2, 3]);
    await until(() => stateOf('amp', 1) === 'carrying');
    const before = JSON.stringify(nodes.get('amp')!.memory());
    edit({ kind: 'change-device', deviceId: 'amp', change: { isPatchForeign: true } }, feed('box', 5, 'amp', 1, 2));
    const lane = reckon(bench.plan).lanesByReceiver.get('amp')?.get(1);
    expect(lane).toMatchObject({
      verdict: 'caution',
      hearing: { caution: { code: 'foreign-patch', end: 'receiver' } },
    });
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 3 }] });
    const report = await sendAll('amp', [1, 2, 3]);
    expect(report.left.map((l) => l.why)).toEqual(['device-foreign', 'device-foreign', 'device-foreign']);
    expect(report.devices.flatMap((d) => (d.deviceId === 'amp' ? d.done : []))).toEqual([]);
    expect(JSON.stringify(nodes.get('amp')!.memory())).toBe(before);

    // Nor is a sender's.
    edit(
      { kind: 'change-device', deviceId: 'amp', change: { isPatchForeign: false } },
      { kind: 'change-device', deviceId: 'box', change: { isPatchForeign: true } },
    );
    const box = JSON.stringify(nodes.get('box')!.memory());
    expect((await sendAll('amp', [1, 2])).left.map((l) => l.why)).toEqual(['sender-foreign', 'sender-foreign']);
    expect(JSON.stringify(nodes.get('box')!.memory())).toBe(box);
  });

  test('cleared lanes are taken off the devices, and a stream that nobody wants is stopped', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    await sendAll('amp', [1, 2]);
    await until(() => stateOf('amp', 1) === 'carrying');
    edit({
      kind: 'unsubscribe',
      channels: [
        { deviceId: 'amp', channel: 1 },
        { deviceId: 'amp', channel: 2 },
      ],
    });
    const left = () => lanesInField('amp', reckon(bench.plan), follower.snapshot(), bindings()).fieldOnly;
    expect([...left().keys()]).toEqual([1, 2]);
    await sendAll('amp', [1, 2]);
    await until(() => left().size === 0);
    expect(bench.plan.sentStreams.size).toBe(0);
    const [sender] = [...nodes.get('box')!.memory().connections];
    expect(sender!.active.master_enable).toBe(false);
  });

  test('a device that answers too late is reported, with what was done elsewhere, and nothing is noted as sent', async () => {
    edit(feed('box', 1, 'amp', 1));
    nodes.get('box')!.delayMs = 5000;
    const report = await sendAll('amp', [1]);
    const failed = report.devices.find((d) => d.deviceId === 'box')!.failed;
    expect(failed[0]).toMatchObject({ step: 'sender-map', failure: { kind: 'timeout' } });
    expect(report.put).toEqual([]);
    expect(stateOf('amp', 1)).toBe('planned');
    nodes.get('box')!.delayMs = 0;
  }, 15_000);

  test('a device that goes away during a send is reported, and the others are still told', async () => {
    edit(feed('box', 1, 'amp', 1), feed('far', 1, 'amp', 2));
    const reckoning = reckon(bench.plan);
    const work = planSend(
      [1, 2].map((channel) => ({ deviceId: 'amp', channel })),
      reckoning,
      follower.snapshot(),
      bindings(),
    );
    await nodes.get('box')!.unplug();
    const report = await send(work, reckoning, follower, bindings(), { start: true });
    expect(report.devices.find((d) => d.deviceId === 'box')!.failed[0]!.failure.kind).toBe('unreachable');
    expect(report.put.map((s) => s.senderDeviceId)).toEqual(['far']);
    edit({ kind: 'keep-sent-streams', put: report.put, drop: report.drop });
    await until(() => stateOf('amp', 2) === 'carrying');
  });

  test('what is refused or not there is left, and said to be', () => {
    edit(feed('box', 1, 'amp', 1), { kind: 'change-device', deviceId: 'box', change: { rateHz: 96_000 } });
    const ghost = deviceOf('ghost', amp);
    edit(
      { kind: 'add-device', device: ghost },
      { kind: 'put-interface', interface: { deviceId: 'ghost', name: 'A', subnetId: 'a', address: '10.99.8.200' } },
      feed('far', 1, 'ghost', 1),
    );
    const work = planSend(
      [
        { deviceId: 'amp', channel: 1 },
        { deviceId: 'ghost', channel: 1 },
      ],
      reckon(bench.plan),
      follower.snapshot(),
      bindings(),
    );
    expect(work.left).toEqual([
      { deviceId: 'amp', channel: 1, why: 'refused' },
      { deviceId: 'ghost', channel: 1, why: 'device-missing' },
    ]);
    expect(work.receivers).toEqual([]);
  });

  test('the registry may go and come back: the follower reads everything anew', async () => {
    await registry.stop();
    await until(() => !follower.snapshot().isConnected);
    bench.registry = new Registry(REGISTRY);
    await bench.registry.start();
    await until(() => follower.snapshot().isConnected && bindings().nodeByDevice.size === 3, 12_000);
  }, 20_000);

  test('devices are bound by hand first, then by serial, then by address; a box with another serial is not taken for ours', () => {
    const bound = (p: Plan) => bindDevices(p, follower.snapshot(), translation).boundBy;
    expect([...bound(bench.plan).values()]).toEqual(['serial', 'serial', 'serial']);
    const change = (change: Parameters<typeof deviceOf>[2]) =>
      apply(bench.plan, { kind: 'change-device', deviceId: 'amp', change: change! });
    expect(bound(change({ serial: null })).get('amp')).toBe('address');
    expect(bound(change({ serial: 'OTHER' })).has('amp')).toBe(false);
    expect(bound(change({ nodeId: nodes.get('amp')!.nodeId, serial: null })).get('amp')).toBe('hand');
    expect(bound(change({ nodeId: 'a node that is away' })).has('amp')).toBe(false);
  });
});

describe('a registry that does not do as it should', () => {
  let server: Server;
  const answers: { body: string; status: number } = { body: '', status: 200 };
  beforeAll(async () => {
    server = createServer((_, response) =>
      response.writeHead(answers.status, { 'content-type': 'application/json' }).end(answers.body),
    );
    await new Promise<void>((resolve) => server.listen(18_890, '127.99.9.2', resolve));
  });
  afterAll(() => new Promise((resolve) => server.close(resolve)));

  test.each([
    ['says nothing that is JSON', 200, '<html>'],
    ['gives no address for changes', 200, '{"id": 1}'],
    ['refuses', 503, '{"code": 503, "error": "busy"}'],
    ['sends us to nowhere', 200, '{"ws_href": "ws://127.99.9.2:1/none"}'],
  ])('one that %s leaves us unconnected, trying again, and nothing breaks', async (_, status, body) => {
    Object.assign(answers, { status, body });
    let reasons = 0;
    const follower = new FieldFollower('http://127.99.9.2:18890', () => {
      if (!follower.snapshot().isConnected && follower.snapshot().disconnectedBecause !== 'not connected yet')
        reasons += 1;
    });
    follower.start();
    await until(() => reasons >= 2);
    expect(follower.snapshot().nodes.size).toBe(0);
    follower.stop();
  });
});

test('addresses are translated there and back', () => {
  expect(fieldAddress('10.71.36.21', translation)).toBe('127.71.36.21');
  expect(planAddress('127.71.36.21', translation)).toBe('10.71.36.21');
  expect(fieldAddress('10.71.36.21', parseTranslation(undefined))).toBe('10.71.36.21');
});

test('a device that stops answering is gone at once, though its registry waits for heartbeats, and is read anew when it answers', async () => {
  const registry = new Registry({ address: '127.99.9.2', port: 18_881, expiryMs: 600_000 });
  await registry.start();
  const registryUrl = 'http://127.99.9.2:18881';
  const spec = fleetOfPlan(fileOfPlan(startPlan())).find((s) => s.id === 'amp')!;
  const node = new StandinNode(spec, { port: PORT, registryUrl, heartbeatMs: 60_000, remember: () => {} }, undefined);
  await node.plug();
  const told: string[] = [];
  const follower = new FieldFollower(registryUrl, ({ nodes }) => told.push(...nodes));
  follower.start();
  const isThere = () => follower.snapshot().nodes.has(node.nodeId);
  await until(() => isThere() && follower.snapshot().readings.size === 4);
  const readAt = () => [...follower.snapshot().readings.values()][0]!.readAt;
  const before = readAt();

  told.length = 0;
  await node.unplug();
  await until(() => !isThere());
  expect(told).toContain(node.nodeId);
  const held = await follower.resources();
  expect(held['nodes']!.map((n) => n['id'])).toEqual([node.nodeId]);

  await node.plug();
  await until(isThere);
  await until(() => readAt() > before);
  follower.stop();
  await node.unplug();
  await registry.stop();
});

test('a device that takes connections and answers nothing is not known after a while, and known again when it answers', async () => {
  const registry = new Registry({ address: '127.99.9.4', port: 18_881, expiryMs: 600_000 });
  await registry.start();
  const registryUrl = 'http://127.99.9.4:18881';
  const fleet = fleetOfPlan(fileOfPlan(startPlan())).filter((s) => s.id !== 'far');
  const standins = fleet.map(
    (spec) => new StandinNode(spec, { port: PORT, registryUrl, heartbeatMs: 60_000, remember: () => {} }, undefined),
  );
  await Promise.all(standins.map((n) => n.plug()));
  const follower = new FieldFollower(registryUrl, () => {}, undefined, 300);
  follower.start();
  await until(() => follower.snapshot().readings.size === 12 && follower.snapshot().channelMaps.size === 2);
  let plan = apply(startPlan(), feed('box', 5, 'amp', 1, 2));
  const bound = () => bindDevices(plan, follower.snapshot(), translation);
  const reckoning = () => reckon(plan);
  const stateOf = (channel: number) =>
    lanesInField('amp', reckoning(), follower.snapshot(), bound()).lanes.get(channel);
  const channels = [1, 2].map((channel) => ({ deviceId: 'amp', channel }));
  const now = reckoning();
  const report = await send(planSend(channels, now, follower.snapshot(), bound()), now, follower, bound(), {
    start: true,
  });
  plan = apply(plan, { kind: 'keep-sent-streams', put: report.put, drop: [] });
  await until(() => stateOf(1)?.state === 'carrying');

  const amp = standins.find((n) => n.spec.id === 'amp')!;
  amp.delayMs = 60_000;
  await until(() => stateOf(1)?.state === 'unknown');
  expect(stateOf(1)?.checks.at(-1)).toEqual({ what: 'receiver-answers', holds: false });
  // The box it hears answers as before, and whoever sends to both does not wait long for the one that does not.
  expect([...follower.snapshot().notKnown]).toHaveLength(1);
  const begun = Date.now();
  const again = reckoning();
  const late = await send(planSend(channels, again, follower.snapshot(), bound()), again, follower, bound(), {
    start: true,
  });
  expect(Date.now() - begun).toBeLessThan(4000);
  const failed = late.devices.find((d) => d.deviceId === 'amp')!.failed;
  expect(failed.every((f) => f.failure.kind === 'resting' || f.failure.kind === 'timeout')).toBe(true);

  amp.delayMs = 0;
  follower.readDeviceAnew([...follower.snapshot().notKnown][0]!);
  await until(() => stateOf(1)?.state === 'carrying', 45_000);
  follower.stop();
  await Promise.all(standins.map((n) => n.unplug()));
  await registry.stop();
});

test('two boxes with one id are contested: nothing is written to either until one of them is gone', async () => {
  const registry = new Registry({ address: '127.99.9.5', port: 18_881, expiryMs: 600_000 });
  await registry.start();
  const registryUrl = 'http://127.99.9.5:18881';
  const spec = fleetOfPlan(fileOfPlan(startPlan())).find((s) => s.id === 'amp')!;
  const options = { port: PORT, registryUrl, heartbeatMs: 60_000, remember: () => {} };
  const legs = [{ name: 'A', address: '127.99.8.77' }];
  const first = new StandinNode(spec, options, undefined);
  const second = new StandinNode({ ...spec, interfaces: legs, legs }, options, undefined);
  const follower = new FieldFollower(registryUrl, () => {});
  follower.start();
  const plan = apply(startPlan(), feed('box', 1, 'amp', 1, 1));
  const bound = () => bindDevices(plan, follower.snapshot(), translation);
  await first.plug();
  await until(() => bound().nodeByDevice.has('amp'));
  await second.plug();
  await until(() => bound().contested.has('amp'));
  expect(bound().nodeByDevice.has('amp')).toBe(false);
  expect(bound().contested.get('amp')).toMatchObject({ by: 'id' });
  const work = planSend([{ deviceId: 'amp', channel: 1 }], reckon(plan), follower.snapshot(), bound());
  expect(work.left).toEqual([{ deviceId: 'amp', channel: 1, why: 'device-contested' }]);
  follower.stop();
  await Promise.all([first.unplug(), second.unplug()]);
  await registry.stop();
});

test('a serial that two nodes claim ties to neither, unless one of them was bound by hand', async () => {
  const registry = new Registry({ address: '127.99.9.6', port: 18_881, expiryMs: 600_000 });
  await registry.start();
  const options = { port: PORT, registryUrl: 'http://127.99.9.6:18881', heartbeatMs: 60_000, remember: () => {} };
  const spec = fleetOfPlan(fileOfPlan(startPlan())).find((s) => s.id === 'amp')!;
  const legs = [{ name: 'A', address: '127.99.8.78' }];
  const nodes = [
    new StandinNode(spec, options, undefined),
    new StandinNode({ ...spec, serial: 'another', interfaces: legs, legs }, options, undefined),
  ] as const;
  await Promise.all(nodes.map((n) => n.plug()));
  const follower = new FieldFollower(options.registryUrl, () => {});
  follower.start();
  await until(() => follower.snapshot().nodes.size === 2);
  const field = follower.snapshot();
  const same = new Map([...field.nodes].map(([id, n]) => [id, { ...n, node: { ...n.node, serial: 'P-1' } }]));
  const plan = startPlan();
  const both = bindDevices(plan, { ...field, nodes: same }, translation);
  expect([both.nodeByDevice.has('amp'), both.contested.get('amp')]).toEqual([
    false,
    { by: 'serial', value: 'P-1', nodeIds: nodes.map((n) => n.nodeId).sort() },
  ]);
  const byHand = apply(plan, { kind: 'change-device', deviceId: 'amp', change: { nodeId: nodes[0].nodeId } });
  const bound = bindDevices(byHand, { ...field, nodes: same }, translation);
  expect([bound.nodeByDevice.get('amp')?.node.id, bound.contested.size]).toEqual([nodes[0].nodeId, 0]);
  follower.stop();
  await Promise.all(nodes.map((n) => n.unplug()));
  await registry.stop();
});
