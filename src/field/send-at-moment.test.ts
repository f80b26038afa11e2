import { feed } from '../core/plan/test-plan';
import { activationAt, lateBy } from './moment';
import { FieldBench, until } from './test-bench';
import { portOf } from './test-port';

/** Many devices change over at one moment: everything stands before it, nothing moves before it, and who is late is reported. */

const NETWORK = {
  registry: { address: '127.99.2.1', port: portOf(18_840), expiryMs: 1200 },
  devicePort: portOf(18_041),
};
const AMP_URL = `http://127.99.8.12:${NETWORK.devicePort}`;

test('a moment as it is sent to devices: TAI is 37 s ahead of UTC, or how long it still is', () => {
  const atMs = Date.UTC(2026, 5, 1, 20, 0, 0);
  expect(activationAt({ atMs, by: 'clock' })).toEqual({
    mode: 'activate_scheduled_absolute',
    requested_time: `${atMs / 1000 + 37}:0`,
  });
  expect(activationAt({ atMs, by: 'countdown' }, atMs - 1500)).toEqual({
    mode: 'activate_scheduled_relative',
    requested_time: '1:500000000',
  });
  expect(lateBy({ atMs, by: 'clock' }, { activation_time: `${atMs / 1000 + 37}:12000000` })).toBe(12);
  expect(lateBy({ atMs, by: 'clock' }, { activation_time: null })).toBeNull();
});

describe('changing over at a moment', () => {
  const bench = new FieldBench(NETWORK);
  beforeAll(() => bench.start());
  afterAll(() => bench.stop());
  const sounds = () => [
    bench.soundingFrom('amp', 1)?.channel ?? null,
    bench.soundingFrom('amp', 2)?.channel ?? null,
    bench.soundingFrom('far', 40)?.channel ?? null,
  ];
  const CHANNELS = [
    { deviceId: 'amp', channel: 1 },
    { deviceId: 'amp', channel: 2 },
    { deviceId: 'far', channel: 40 },
  ];
  const sendAt = (by: 'clock' | 'countdown', inMs: number, hooks?: Parameters<FieldBench['send']>[2]) =>
    bench.send(CHANNELS, true, hooks, { atMs: Date.now() + inMs, by });

  test.each(['clock', 'countdown'] as const)(
    'all are as they were until then, and different after (%s)',
    async (by) => {
      bench.edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 40));
      await bench.send(CHANNELS);
      expect(sounds()).toEqual([1, 2, 2]);
      // Others are wanted: the amplifier from the console, the console from another channel of the box.
      bench.edit(feed('far', 7, 'amp', 1, 2), feed('box', 9, 'far', 40));
      const atMs = Date.now() + 4000;
      const done = bench.send(CHANNELS, true, undefined, { atMs, by });
      // Looked at again and again: what was seen before the moment counts, however slow the machine is.
      let seen = 0;
      while (Date.now() < atMs - 50) {
        const now = sounds();
        if (Date.now() < atMs - 50) {
          expect(now).toEqual([1, 2, 2]);
          seen += 1;
        }
        await new Promise((resolve) => setTimeout(resolve, 20));
      }
      expect(seen).toBeGreaterThan(0);
      const report = await done;
      expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
      expect(sounds()).toEqual([7, 8, 9]);
      for (const id of ['amp', 'far']) {
        const late = report.devices.find((d) => d.deviceId === id)!.lateMs!;
        expect(late).toBeGreaterThan(-50);
        expect(late).toBeLessThan(10_000);
      }
      await until(() => bench.stateOf('amp', 1) === 'carrying' && bench.stateOf('far', 40) === 'carrying');
    },
  );

  test('who is late is reported with by how much, and who never does it has failed and is asked again', async () => {
    bench.edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 40));
    bench.nodes.get('amp')!.lagMs = 400;
    const late = await sendAt('clock', 2500);
    expect(late.devices.find((d) => d.deviceId === 'amp')!.lateMs).toBeGreaterThan(390);
    expect(sounds()).toEqual([1, 2, 2]);
    bench.edit(feed('far', 7, 'amp', 1, 2));
    bench.nodes.get('amp')!.lagMs = 60_000;
    const never = await sendAt('clock', 2500);
    const failed = never.devices.find((d) => d.deviceId === 'amp')!.failed;
    expect(failed.map((f) => f.step)).toContain('receiver-map');
    expect(failed[0]).toMatchObject({ failure: { detail: 'it had not changed over 2 s after the moment' } });
    expect(never.again).toEqual(CHANNELS.slice(0, 2));
    // What it receives was not taken away.
    expect(sounds().slice(0, 2)).toEqual([1, 2]);
    bench.nodes.get('amp')!.lagMs = 0;
    // It does not change over by itself later: the request for the moment is withdrawn.
    const again = await bench.send(CHANNELS);
    expect(again.devices.flatMap((d) => d.failed)).toEqual([]);
    expect(sounds().slice(0, 2)).toEqual([7, 8]);
  }, 60_000);

  /** On a slow machine a moment that is taken back must be so far off that this comes before it. */
  const TAKEN_BACK_WITHIN_MS = 5000;
  /** Whether the amplifier holds anything back for a moment, in its receivers or its map. */
  const isHoldingBack = async () => {
    const activations = await fetch(`${AMP_URL}/x-nmos/channelmapping/v1.0/map/activations`);
    const isMapHeld = Object.keys((await activations.json()) as object).length > 0;
    const { connections } = bench.nodes.get('amp')!.memory();
    return isMapHeld || connections.some((c) => c.staged.activation.mode !== null);
  };

  test('a send that is stopped before the moment takes it back: nothing changes over', async () => {
    bench.edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 40));
    await bench.send(CHANNELS);
    const before = sounds();
    bench.edit(feed('far', 7, 'amp', 1, 2));
    let isStopped = false;
    const atMs = Date.now() + TAKEN_BACK_WITHIN_MS;
    const hooks = { tell: () => {}, isStopped: () => isStopped };
    const going = bench.send(CHANNELS, true, hooks, { atMs, by: 'clock' });
    while (!(await isHoldingBack())) await new Promise((resolve) => setTimeout(resolve, 20));
    isStopped = true;
    const report = await going;
    expect(report.notBegun).toContain('amp');
    expect(await isHoldingBack()).toBe(false);
    expect(sounds()).toEqual(before);
    // And nothing is locked: it can be sent at once.
    const again = await bench.send(CHANNELS);
    expect(again.devices.flatMap((d) => d.failed)).toEqual([]);
    expect(sounds().slice(0, 2)).toEqual([7, 8]);
  }, 60_000);

  test.each(['PATCH', 'POST'])(
    'a device that says no to a %s and has taken it all the same does not change over alone',
    async (method) => {
      bench.edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 40));
      await bench.send(CHANNELS);
      const amp = bench.nodes.get('amp')!;
      const activeOf = () => structuredClone([amp.memory().connections.map((c) => c.active), amp.memory().map]);
      const before = activeOf();
      bench.edit(feed('far', 7, 'amp', 1, 2));
      let asked = 0;
      amp.trouble = (request) => (request.method === method && (asked += 1) === 1 ? 'done-and-refused' : null);
      const atMs = Date.now() + TAKEN_BACK_WITHIN_MS;
      const report = await bench.send(CHANNELS, true, undefined, { atMs, by: 'clock' });
      amp.trouble = null;
      const step = method === 'PATCH' ? 'receiver' : 'receiver-moment';
      expect(report.devices.find((d) => d.deviceId === 'amp')!.failed.map((f) => f.step)).toContain(step);
      expect(await isHoldingBack()).toBe(false);
      expect(activeOf()).toEqual(before);
      expect(sounds().slice(0, 2)).toEqual([1, 2]);
    },
    60_000,
  );
});
