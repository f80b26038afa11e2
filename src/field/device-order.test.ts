import { feed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
import { lanesInField } from './lane-state';
import { BENCH_MODELS, FieldBench, until } from './test-bench';
import { portOf } from './test-port';

/** Devices without IS-08 in the field: a stage box and an amplifier whose streams carry and feed the same channels for good. */

const NETWORK = {
  registry: { address: '127.99.6.1', port: portOf(18_870), expiryMs: 1200 },
  devicePort: portOf(18_071),
};
const eights = (count: number) => Array.from({ length: count }, (_, n) => ({ first: 1 + 8 * n, channels: 8 }));
const box = { ...BENCH_MODELS.box, sendOrder: eights(3) };
const amp = {
  ...BENCH_MODELS.amp,
  receiveOrder: [
    { first: 1, channels: 4 },
    { first: 5, channels: 4 },
  ],
};

describe('devices without a channel map', () => {
  const bench = new FieldBench(NETWORK, { ...BENCH_MODELS, box, amp });
  beforeAll(() => bench.start());
  afterAll(() => bench.stop());
  const clear = (deviceId: string, ...channels: number[]) =>
    bench.edit({ kind: 'unsubscribe', channels: channels.map((channel) => ({ deviceId, channel })) });
  const heard = (deviceId: string, ...channels: number[]) =>
    channels.map((c) => {
      const from = bench.soundingFrom(deviceId, c);
      return from && `${from.deviceId} ${from.channel}`;
    });
  const failedOf = (report: Awaited<ReturnType<FieldBench['send']>>) => report.devices.flatMap((d) => d.failed);
  const evidence = (deviceId: string) =>
    lanesInField(deviceId, reckon(bench.plan), bench.follower.snapshot(), bench.bindings());

  test('they offer no channel map, and nothing is asked of one', async () => {
    const noMaps = [...bench.follower.snapshot().nodes.values()].filter((n) => n.device?.channelMapHref === null);
    expect(noMaps.map((n) => n.node.label).sort()).toEqual(['amp', 'box']);
    const answer = await fetch(`http://127.99.8.11:${NETWORK.devicePort}/x-nmos/channelmapping/v1.0/io`);
    expect(answer.status).toBe(404);
  });

  test('a lane between the two carries once both hold their stream, and says that the order is that of the model', async () => {
    bench.edit(feed('box', 9, 'amp', 5, 4));
    const report = await bench.sendAll('amp', [5, 6, 7, 8]);
    expect(failedOf(report)).toEqual([]);
    expect(report.devices.flatMap((d) => d.done)).not.toContain('receiver-map');
    await until(() => bench.stateOf('amp', 5) === 'carrying');
    expect(heard('amp', 5, 6, 7, 8)).toEqual(['box 9', 'box 10', 'box 11', 'box 12']);
    // Stream 2 of the box, and the second of the amplifier: neither could be another.
    expect(report.put.map((s) => [s.streamNumber, s.receivers])).toEqual([[2, [{ deviceId: 'amp', streamNumber: 2 }]]]);
    const checks = evidence('amp')
      .lanes.get(5)!
      .checks.map((c) => c.what);
    expect(checks).toEqual(expect.arrayContaining(['sender-order', 'receiver-order']));
    expect(evidence('amp').fieldOnly.size).toBe(0);
  });

  test('a console with a channel map sends the amplifier every channel in its place, and nothing in the others', async () => {
    bench.edit(feed('far', 30, 'amp', 2), feed('far', 7, 'amp', 4));
    expect(failedOf(await bench.sendAll('amp', [2, 4]))).toEqual([]);
    await until(() => bench.stateOf('amp', 2) === 'carrying' && bench.stateOf('amp', 4) === 'carrying');
    expect(heard('amp', 1, 2, 3, 4)).toEqual([null, 'far 30', null, 'far 7']);
    expect(evidence('amp').fieldOnly.size).toBe(0);

    // One of them goes: the stream is laid out again, and the other one is still received.
    clear('amp', 2);
    expect(failedOf(await bench.sendAll('amp', [2]))).toEqual([]);
    await until(() => bench.stateOf('amp', 4) === 'carrying');
    expect(heard('amp', 1, 2, 3, 4)).toEqual([null, null, null, 'far 7']);
    clear('amp', 4);
    expect(failedOf(await bench.sendAll('amp', [4]))).toEqual([]);
    expect(heard('amp', 1, 2, 3, 4)).toEqual([null, null, null, null]);
    // What the box feeds was not touched.
    expect(heard('amp', 5, 8)).toEqual(['box 9', 'box 12']);
  });

  test('a console takes from the box what it wants of a stream that carries all eight', async () => {
    bench.edit(feed('box', 3, 'far', 40, 2));
    expect(failedOf(await bench.sendAll('far', [40, 41]))).toEqual([]);
    await until(() => bench.stateOf('far', 40) === 'carrying');
    expect(heard('far', 39, 40, 41, 42)).toEqual([null, 'box 3', 'box 4', null]);
  });

  test('while a stream is laid out again a receiver without a map is silent rather than wrong, and receives again what fails', async () => {
    bench.edit(feed('far', 1, 'amp', 1, 3), {
      kind: 'lay-out-streams',
      put: [
        {
          ...{ senderDeviceId: 'far', streamNumber: 1, channels: [1, 2, 3], isHeld: false },
          format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
        },
      ],
      drop: [],
    });
    expect(failedOf(await bench.sendAll('amp', [1, 2, 3]))).toEqual([]);
    await until(() => bench.stateOf('amp', 1) === 'carrying');
    bench.edit(feed('far', 9, 'amp', 1), {
      kind: 'lay-out-streams',
      put: [
        {
          ...{ senderDeviceId: 'far', streamNumber: 1, channels: [9, 2, 3], isHeld: false },
          format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
        },
      ],
      drop: [],
    });
    // The console refuses to change what is in the stream: all is as it was.
    const far = bench.nodes.get('far')!;
    const heardMeanwhile: (string | null)[] = [];
    far.trouble = () => {
      heardMeanwhile.push(heard('amp', 1)[0] ?? null);
      return heardMeanwhile.length === 1 ? 'refused' : null;
    };
    const failed = await bench.sendAll('amp', [1, 2, 3]);
    far.trouble = null;
    expect(failed.devices.find((d) => d.deviceId === 'amp')!.done).toEqual(['receiver-mute', 'receiver-restore']);
    expect(heardMeanwhile[0]).toBeNull();
    expect(heard('amp', 1, 2, 3)).toEqual(['far 1', 'far 2', 'far 3']);
    // Then it takes it.
    expect(failedOf(await bench.sendAll('amp', [1, 2, 3]))).toEqual([]);
    expect(heard('amp', 1, 2, 3)).toEqual(['far 9', 'far 2', 'far 3']);
  });

  test('a box whose streams are of another width than its model says is not taken for it', async () => {
    const { model } = { model: { ...box, sendOrder: eights(3).map((r) => ({ ...r, channels: 6 })) } };
    clear('far', 40, 41);
    bench.edit({ kind: 'put-model', model }, feed('box', 17, 'far', 50));
    const report = await bench.sendAll('far', [50]);
    expect(failedOf(report)[0]).toMatchObject({
      step: 'sender',
      failure: { detail: 'it sends channels 8, where the plan has 6' },
    });
  });
});
