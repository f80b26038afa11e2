import { feed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
import { FieldBench, until } from './test-bench';
import { portOf } from './test-port';

/** Senders that describe their streams otherwise than the plan has them. */

const NETWORK = {
  registry: { address: '127.99.5.1', port: portOf(18_860), expiryMs: 1200 },
  devicePort: portOf(18_061),
};

describe('what a sender says of its stream is held against the plan before anything is sent to a receiver', () => {
  const bench = new FieldBench(NETWORK);
  beforeAll(() => bench.start());
  afterAll(() => bench.stop());
  const box = () => bench.nodes.get('box')!;

  test('what cannot be received as planned is refused with both values, and nothing of it is sent to a receiver', async () => {
    bench.edit(feed('box', 1, 'amp', 1, 2));
    box().says = (audio) => ({ ...audio, legs: audio.legs.map((l) => ({ ...l, port: 5010 })) });
    const report = await bench.sendAll('amp', [1, 2]);
    expect(report.devices.find((d) => d.deviceId === 'box')!.failed[0]).toMatchObject({
      step: 'sender',
      failure: { detail: 'it sends port 5010, where the plan has 5004' },
    });
    expect(report.devices.some((d) => d.deviceId === 'amp' && d.done.includes('receiver'))).toBe(false);
    expect(bench.soundingFrom('amp', 1)).toBeNull();
  });

  test('what can be received all the same is reported as a caution, and loads count what is really sent', async () => {
    box().says = (audio) => ({ ...audio, channels: 8, legs: audio.legs.map((l) => ({ ...l, ttl: 5 })) });
    const load = () => reckon(bench.plan).streamsBySender.get('box')?.[0]?.width;
    expect(load()).toBe(2);
    const report = await bench.sendAll('amp', [1, 2]);
    const sent = report.devices.find((d) => d.deviceId === 'box')!;
    expect(sent.failed).toEqual([]);
    expect(sent.cautions).toEqual([
      {
        streamId: 'box/1',
        differences: [
          { what: 'channels', severity: 'caution', planned: '2', found: '8' },
          { what: 'ttl', severity: 'caution', planned: '32', found: '5' },
        ],
      },
    ]);
    await until(() => bench.stateOf('amp', 1) === 'carrying');
    expect(load()).toBe(8);
    // As soon as it sends just what is planned that counts again.
    box().says = null;
    await bench.sendAll('amp', [1, 2]);
    expect(load()).toBe(2);
  });

  test('what a device does not take by its constraints (IS-05) is reported with both values, and not asked of it', async () => {
    bench.edit(feed('box', 3, 'amp', 3));
    const before = structuredClone(box().memory());
    box().limits = { destination_port: { minimum: 5010, maximum: 5020 } };
    const report = await bench.sendAll('amp', [3]);
    box().limits = {};
    expect(report.devices.find((d) => d.deviceId === 'box')!.failed[0]).toMatchObject({
      step: 'sender',
      failure: { detail: 'it takes only 5010 to 5020 as destination_port on leg 1, and was to take 5004' },
    });
    expect(box().memory()).toEqual(before);
    const again = await bench.sendAll('amp', [3]);
    expect(again.devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => bench.stateOf('amp', 3) === 'carrying');
  });
});
