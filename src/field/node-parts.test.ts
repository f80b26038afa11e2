import { feed } from '../core/plan/test-plan';
import { FieldBench, until } from './test-bench';
import { partOf, partsOf } from './node-parts';
import { portOf } from './test-port';

/** A frame with two cards that have channel maps of their own: the console is a second device of the amplifier's node. */
describe('devices of one node that are planned each by itself', () => {
  const REGISTRY = { address: '127.99.7.4', port: portOf(18_894), expiryMs: 1200 };
  const bench = new FieldBench({ registry: REGISTRY, devicePort: portOf(18_094) }, undefined, ({ id }) =>
    id === 'far' ? { name: 'Card 2', frameSerial: 'P-1' } : {},
  );
  const nodeId = () => bench.nodes.get('amp')!.nodeId;
  const nodeDeviceId = (id: string) => bench.nodes.get(id)!.deviceId;
  const frame = () => bench.follower.snapshot().nodes.get(nodeId())!;
  const bind = (id: string, to = id) =>
    bench.edit({
      kind: 'change-device',
      deviceId: id,
      change: { nodeId: nodeId(), nodeDeviceId: nodeDeviceId(to) },
    });

  beforeAll(() => bench.start());
  afterAll(() => bench.stop());

  test('each has its own streams and channel map, and a name that tells it apart', () => {
    const parts = partsOf(frame());
    expect(parts.map((p) => p.node.label).sort()).toEqual(['amp, Card 2', expect.stringMatching(/^amp, device [12]$/)]);
    for (const part of parts) {
      expect(part.devices).toEqual([part.device]);
      expect([...part.senders, ...part.receivers].every((end) => end.deviceId === part.device!.id)).toBe(true);
    }
    const ends = parts.flatMap((p) => [...p.senders, ...p.receivers]);
    expect(ends).toHaveLength(frame().senders.length + frame().receivers.length);
    // The same object, as long as nothing of the node changes.
    expect(partOf(frame(), parts[0]!.device!.id)).toBe(parts[0]);
    expect(partOf(frame(), 'gone')).toBeUndefined();
  });

  test('as a whole the device with the most streams has its channels mapped; apart, each is bound and sent its own', async () => {
    expect(bench.bindings().nodeByDevice.get('amp')?.devices).toHaveLength(2);
    bind('amp');
    // Nobody else is the whole of it now.
    expect(
      bench
        .bindings()
        .nodeByDevice.get('amp')
        ?.devices.map((d) => d.id),
    ).toEqual([nodeDeviceId('amp')]);
    bind('far');
    const { nodeByDevice, boundBy } = bench.bindings();
    expect([boundBy.get('amp'), boundBy.get('far')]).toEqual(['hand', 'hand']);
    expect(nodeByDevice.get('far')?.devices.map((d) => d.id)).toEqual([nodeDeviceId('far')]);
    expect(nodeByDevice.get('amp')?.node.id).toBe(nodeByDevice.get('far')?.node.id);

    bench.edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 1, 2), feed('far', 5, 'amp', 8));
    const reports = [await bench.sendAll('amp', [1, 2, 8]), await bench.sendAll('far', [1, 2])];
    expect(reports.map((r) => r.again)).toEqual([[], []]);
    await until(() =>
      [
        ['amp', 1],
        ['amp', 2],
        ['amp', 8],
        ['far', 1],
        ['far', 2],
      ].every(([id, channel]) => bench.stateOf(id as string, channel as number) === 'carrying'),
    );
    expect(bench.soundingFrom('amp', 1)).toEqual({ deviceId: 'box', channel: 1 });
    expect(bench.soundingFrom('far', 2)).toEqual({ deviceId: 'box', channel: 3 });
    expect(bench.soundingFrom('amp', 8)).toEqual({ deviceId: 'far', channel: 5 });
  }, 60_000);

  test('two devices of the plan are not one and the same device of a node', () => {
    bind('far', 'amp');
    const { nodeByDevice } = bench.bindings();
    expect(nodeByDevice.has('amp')).toBe(true);
    expect(nodeByDevice.has('far')).toBe(false);
    bind('far');
  });
});
