import { planOfFile } from '../core/formats/plan-file';
import { skerryPoint } from '../demo/skerry-point';
import { StandinSwitch, switchesOfPlan } from '../standins/switch';
import { SwitchWatch } from './switch-watch';

const PORT = 18_656;
const file = skerryPoint();
/** Two switches of the demo at their loopback addresses; the others have no address in this plan. */
const WATCHED = ['south-edge-a', 'south-edge-b'];
const plan = planOfFile(file);

describe('the switches of an open plan', () => {
  const standins = switchesOfPlan(file)
    .filter((s) => WATCHED.includes(s.id))
    .map((s) => new StandinSwitch(s, PORT));
  const [a, b] = standins as [StandinSwitch, StandinSwitch];
  let changes = 0;
  const quiet = { ...plan, interfaces: new Map([...plan.interfaces].filter(([id]) => WATCHED.includes(id))) };
  const watch = new SwitchWatch(
    () => quiet,
    PORT,
    { from: '10.', to: '127.' },
    () => (changes += 1),
  );
  beforeAll(() => Promise.all(standins.map((s) => s.plug())));
  afterAll(async () => {
    watch.stop();
    await Promise.all(standins.map((s) => s.unplug()));
  });

  test('tell how each of their cables came up', async () => {
    a.bringUp('Port 4', { bitsPerSecond: 1e8, duplex: 'half' });
    await watch.read();
    expect(changes).toBe(1);
    expect(watch.links().get('drop-dome-amp-1-a')).toEqual({ isUp: true, bitsPerSecond: 1e8, duplex: 'half' });
    expect(watch.links().get('drop-dome-amp-1-b')).toEqual({ isUp: true, bitsPerSecond: 1e9, duplex: 'full' });
    expect(watch.links().has('drop-loft-console-a')).toBe(false);
    expect(watch.states().get('south-edge-a')).toMatchObject({ failure: null });
  });

  test('one that stops answering keeps its last word with the age it has, and says why it is not heard', async () => {
    await watch.read();
    const before = watch.states().get('south-edge-b')!;
    await b.unplug();
    await watch.read();
    const after = watch.states().get('south-edge-b')!;
    expect(after.failure).toMatchObject({ kind: 'unreachable' });
    expect(after.readAt).toBe(before.readAt);
    expect(watch.links().get('drop-dome-amp-1-b')).toBeDefined();
    await b.plug();
    await watch.read();
    expect(watch.states().get('south-edge-b')!.failure).toBeNull();
  });

  test('one that never answered has no age', async () => {
    await Promise.all(standins.map((s) => s.unplug()));
    const fresh = new SwitchWatch(
      () => quiet,
      PORT,
      { from: '10.', to: '127.' },
      () => {},
    );
    await fresh.read();
    expect([...fresh.states().values()].map((s) => s.readAt)).toEqual([null, null]);
    expect(fresh.links().size).toBe(0);
  });
});
