import { planOfFile } from '../core/formats/plan-file';
import { skerryPoint } from '../demo/skerry-point';
import { StandinSwitch, switchesOfPlan } from '../standins/switch';
import { links, switches } from '../field/live/network-topics';
import { figureOf, type LiveFacts, type Topic } from '../field/live/topic';
import { SwitchWatch } from './switch-watch';
import { portOf } from '../field/test-port';

const PORT = portOf(18_656);
const file = skerryPoint();
/** Two switches of the demo at their loopback addresses; the others have no address in this plan. */
const WATCHED = ['south-edge-a', 'south-edge-b'];
const plan = planOfFile(file);

/** What a topic tells of what the switches said. */
function told<V, Own>(watch: SwitchWatch, topic: Topic<V, Own>, keys: Iterable<string>): Map<string, V> {
  const facts = { switchReadings: watch.readings() } as unknown as LiveFacts;
  return new Map(
    [...keys].flatMap((key) => {
      const value = figureOf(topic, key, facts, plan);
      return value === undefined ? [] : [[key, value]];
    }),
  );
}

test('a cable that was down at the first look, or went down where it is, is lost; one that is planned into another port is not', () => {
  const link = plan.links.get('drop-dome-amp-1-a')!;
  const port = (name: string, isUp: boolean) => ({ name, isUp, bitsPerSecond: isUp ? 1e9 : null, duplex: null });
  const at = (to: string, states: Readonly<Record<string, boolean>>) => {
    const moved = { ...link, to: { ...link.to, port: to } };
    const ports = Object.entries(states).map(([name, isUp]) => port(name, isUp));
    const readings = new Map([[link.to.deviceId, { ports, readAt: 1, failure: null }]]);
    const facts = { switchReadings: readings } as unknown as LiveFacts;
    return [links, link.id, facts, { ...plan, links: new Map([[link.id, moved]]) }] as const;
  };
  const [own, other] = [link.to.port, 'Port 24'];
  const up = figureOf(...at(own, { [own]: true }))!;
  const down = figureOf(...at(own, { [own]: false }), { last: up })!;
  const moved = figureOf(...at(other, { [other]: false }), { last: up })!;
  expect([up.isLost, down.isLost, moved.isLost]).toEqual([false, true, false]);
  expect(figureOf(...at(own, { [own]: false }), { isFirstLook: true })?.isLost).toBe(true);
  const happened = (is: typeof up) =>
    links.happened!(new Map([[link.id, up]]), new Map([[link.id, is]]), [{ key: link.id, wasGone: false }]);
  expect([happened(down).map((h) => h.what), happened(moved)]).toEqual([['cables-down'], []]);
});

describe('the switches of a watched plan', () => {
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
  const states = () => told(watch, switches, WATCHED);
  beforeAll(() => Promise.all(standins.map((s) => s.plug())));
  afterAll(async () => {
    watch.stop();
    await Promise.all(standins.map((s) => s.unplug()));
  });

  test('tell how each of their cables came up', async () => {
    a.bringUp('Port 4', { bitsPerSecond: 1e8, duplex: 'half' });
    await watch.read();
    expect(changes).toBe(1);
    const found = told(watch, links, quiet.links.keys());
    expect(found.get('drop-dome-amp-1-a')).toMatchObject({ isUp: true, bitsPerSecond: 1e8, duplex: 'half' });
    expect(found.get('drop-dome-amp-1-b')).toMatchObject({ isUp: true, bitsPerSecond: 1e9, duplex: 'full' });
    expect(found.has('drop-loft-console-a')).toBe(false);
    expect(states().get('south-edge-a')).toMatchObject({ failure: null });
  });

  test('one that stops answering keeps its last word with the age it has, and says why it does not answer', async () => {
    await watch.read();
    const before = states().get('south-edge-b')!;
    await b.unplug();
    await watch.read();
    const after = states().get('south-edge-b')!;
    expect(after.failure).toMatchObject({ kind: 'unreachable' });
    expect(after.readAt).toBe(before.readAt);
    expect(told(watch, links, ['drop-dome-amp-1-b']).size).toBe(1);
    await b.plug();
    await watch.read();
    expect(states().get('south-edge-b')!.failure).toBeNull();
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
    expect([...told(fresh, switches, WATCHED).values()].map((s) => s.readAt)).toEqual([null, null]);
    expect(told(fresh, links, quiet.links.keys()).size).toBe(0);
  });
});
