import type { Plan } from '../core/plan/plan';
import { importSdp } from '../core/edits/import-sdp';
import { apply, deviceOf, feed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
// The stand-ins are what the field is tried on; the product itself never imports them.
import { Registry } from '../registry/registry';
import { Announcer } from '../standins/announcer';
import { AnnouncementListener } from './announcements';
import { bindDevices, fieldAddress, parseTranslation, planAddress, planAddressesIn } from './binding';
import { lanesInField } from './lane-state';
import { planSend } from './send-plan';
import { send } from './send';
import { BENCH_MODELS, translation, until, benchForEach } from './test-bench';
import { portOf } from './test-port';

const REGISTRY = { address: '127.99.9.1', port: portOf(18_880), expiryMs: 1200 };
const PORT = portOf(18_081);
const NETWORK = { registry: REGISTRY, devicePort: PORT };
const { amp } = BENCH_MODELS;

describe('the field, tried on stand-ins', () => {
  const { bench, bindings, stateOf, sounding, edit, sendAll } = benchForEach(NETWORK);

  test('a lane goes from planned to staged to carrying, for each channel by what both ends report', async () => {
    edit(feed('box', 5, 'amp', 1, 4));
    expect(stateOf('amp', 1)).toBe('planned');
    const staged = await sendAll('amp', [1, 2, 3, 4], false);
    expect(staged.devices.every((d) => d.failed.length === 0)).toBe(true);
    await until(() => stateOf('amp', 1) === 'staged');
    await sendAll('amp', [1, 2, 3, 4]);
    await until(() => [1, 2, 3, 4].every((c) => stateOf('amp', c) === 'carrying'));
  });

  test('a sender that only announces its streams is received as it is, and never written', async () => {
    const place = { address: '127.99.9.1', port: portOf(18_882) };
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
    edit(...importSdp(bench().plan, [{ name: 'boat', text: planAddressesIn(session!.payload, translation) }]).commands);
    edit(feed('boat', 1, 'amp', 5, 2));
    const announced = () => listener.streams();
    const laneOf = () =>
      lanesInField('amp', reckon(bench().plan), bench().follower.snapshot(), bindings(), announced()).lanes.get(6)
        ?.state;
    const channels = [5, 6].map((channel) => ({ deviceId: 'amp', channel }));
    const untold = planSend(channels, reckon(bench().plan), bench().follower.snapshot(), bindings());
    expect(untold.left.map((x) => x.why)).toEqual(['sender-untold', 'sender-untold']);

    const work = planSend(channels, reckon(bench().plan), bench().follower.snapshot(), bindings(), announced());
    const report = await send(work, reckon(bench().plan), bench().follower, bindings(), { start: true }, announced());
    edit({ kind: 'keep-sent-streams', put: report.put, drop: report.drop });
    expect(report.devices.map((d) => [d.deviceId, d.done, d.failed])).toEqual([
      ['boat', ['sender-read'], []],
      ['amp', ['receiver-map', 'receiver'], []],
    ]);
    await until(() => laneOf() === 'carrying');
    const legs = bench()
      .nodes.get('amp')!
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
    // The box gives its first sender a name that sorts last, as registered again.
    await bench().registered('sender', first, { label: 'Zz' });
    await until(
      () =>
        bench().follower.snapshot().nodes.get(bindings().nodeByDevice.get('box')!.node.id)!.senders[0]!.id !== first,
    );
    expect([idOf(1), idOf(2)]).toEqual([first, second]);
    expect(stateOf('amp', 2)).toBe('carrying');
    const before = JSON.stringify(bench().nodes.get('box')!.memory().connections);
    const report = await bench().send(
      [1, 2].flatMap((c) => [
        { deviceId: 'amp', channel: c },
        { deviceId: 'far', channel: c },
      ]),
    );
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    expect(JSON.stringify(bench().nodes.get('box')!.memory().connections)).toBe(before);
    expect([sounding('amp', 1), sounding('far', 1)]).toEqual([1, 9]);
    // A plan that knows nothing of them yet goes by their names, and a box put in its place too.
    const unsent = { ...bench().plan, streamEnds: new Map() };
    expect(bindDevices(unsent, bench().follower.snapshot(), translation).nodeByDevice.get('box')!.senders[0]!.id).toBe(
      second,
    );
  });

  test('a device that is left in peace fails at once, until somebody wants to know whether it is back', async () => {
    edit(feed('box', 1, 'amp', 1));
    const { device } = bench().nodeOf('amp');
    const failureOfAmp = async () =>
      (await sendAll('amp', [1])).devices.find((d) => d.deviceId === 'amp')?.failed[0]?.failure.kind;
    for (const _ of [1, 2]) {
      bench().follower.noteAnswer(device!.id, { kind: 'timeout', afterMs: 3000 });
    }
    expect(await failureOfAmp()).toBe('resting');
    bench().follower.wake(device!.id);
    expect(await failureOfAmp()).toBeUndefined();
  });

  test('a device that says yes and does nothing is found out at once', async () => {
    bench().nodes.get('amp')!.manner = 'lying';
    edit(feed('box', 1, 'amp', 1));
    const report = await sendAll('amp', [1]);
    expect(report.devices.find((d) => d.deviceId === 'amp')!.failed[0]).toMatchObject({
      step: 'receiver',
      failure: { detail: 'accepted, but it receives something else' },
    });
    expect(report.again).toEqual([{ deviceId: 'amp', channel: 1 }]);
  });

  test('lanes out of step and from two senders arrive where the plan says', async () => {
    edit(feed('box', 9, 'amp', 1), feed('box', 2, 'amp', 2), feed('far', 70, 'amp', 3), feed('box', 9, 'amp', 8));
    await sendAll('amp', [1, 2, 3, 8]);
    await until(() => [1, 2, 3, 8].every((c) => stateOf('amp', c) === 'carrying'));
    const map = bench().nodes.get('amp')!.memory().map['receives']!;
    expect(map['0']).toEqual(map['7']);
    expect(map['1']).not.toEqual(map['0']);
  });

  test('a lane waits while its sender is away and carries on when it is back: devices and plan both remember', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    await sendAll('amp', [1, 2]);
    await until(() => stateOf('amp', 1) === 'carrying');
    await bench().nodes.get('box')!.unplug();
    await until(() => stateOf('amp', 1) === 'waiting');
    await bench().nodes.get('box')!.plug();
    await until(() => stateOf('amp', 1) === 'carrying');
    await bench().nodes.get('amp')!.unplug();
    await until(() => stateOf('amp', 1) === 'waiting');
  });

  test('a new lane from the same sender leaves the stream that carries as it is', async () => {
    edit(feed('box', 1, 'amp', 1, 2));
    await sendAll('amp', [1, 2]);
    const before = reckon(bench().plan).groupsByStream.get('box/1');
    edit(feed('box', 1, 'far', 1), feed('box', 7, 'far', 2));
    const after = reckon(bench().plan);
    expect(after.groupsByStream.get('box/1')).toEqual(before);
    expect(after.streamsBySender.get('box')!.map((s) => s.channels)).toEqual([[1, 2], [7]]);
    await sendAll('far', [1, 2]);
    await until(() => stateOf('far', 2) === 'carrying' && stateOf('amp', 2) === 'carrying');
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
    const left = () => lanesInField('amp', reckon(bench().plan), bench().follower.snapshot(), bindings()).fieldOnly;
    expect([...left().keys()]).toEqual([1, 2]);
    await sendAll('amp', [1, 2]);
    await until(() => left().size === 0);
    expect(bench().plan.sentStreams.size).toBe(0);
    const [sender] = [...bench().nodes.get('box')!.memory().connections];
    expect(sender!.active.master_enable).toBe(false);
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
      reckon(bench().plan),
      bench().follower.snapshot(),
      bindings(),
    );
    expect(work.left).toEqual([
      { deviceId: 'amp', channel: 1, why: 'refused' },
      { deviceId: 'ghost', channel: 1, why: 'device-missing' },
    ]);
    expect(work.receivers).toEqual([]);
  });

  test('the registry may go and come back: the follower reads everything again', async () => {
    await bench().registry.stop();
    await until(() => !bench().follower.snapshot().isConnected);
    bench().registry = new Registry(REGISTRY);
    await bench().registry.start();
    await until(() => bench().follower.snapshot().isConnected && bindings().nodeByDevice.size === 3, 12_000);
  }, 20_000);

  test('devices are bound by hand first, then by serial, then by address; a box with another serial is not taken for ours', () => {
    const bound = (p: Plan) => bindDevices(p, bench().follower.snapshot(), translation).boundBy;
    expect([...bound(bench().plan).values()]).toEqual(['serial', 'serial', 'serial']);
    const change = (change: Parameters<typeof deviceOf>[2]) =>
      apply(bench().plan, { kind: 'change-device', deviceId: 'amp', change: change! });
    expect(bound(change({ serial: null })).get('amp')).toBe('address');
    expect(bound(change({ serial: 'OTHER' })).has('amp')).toBe(false);
    expect(bound(change({ nodeId: bench().nodes.get('amp')!.nodeId, serial: null })).get('amp')).toBe('hand');
    expect(bound(change({ nodeId: 'a node that is away' })).has('amp')).toBe(false);
  });
});

test('addresses are translated there and back', () => {
  expect(fieldAddress('10.71.36.21', translation)).toBe('127.71.36.21');
  expect(planAddress('127.71.36.21', translation)).toBe('10.71.36.21');
  expect(fieldAddress('10.71.36.21', parseTranslation(undefined))).toBe('10.71.36.21');
});
