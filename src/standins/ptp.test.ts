import { clocksOf } from '../core/clocks/clocks';
import { plannedClock } from '../core/clocks/clock-settings';
import { planOfFile } from '../core/formats/plan-file';
import { topologyOf } from '../core/network/topology';
import { skerryPoint } from '../demo/skerry-point';
import { ptpClocksOfPlan } from './fleet';
import { StandinNode } from './node';
import { PtpFabric, type PtpClock } from './ptp';
import { Registry } from '../registry/registry';
import { portOf } from '../field/test-port';

const identity = (n: number) => `001B19FFFE${n.toString(16).toUpperCase().padStart(6, '0')}`;
const spec = (n: number, ports: string[], change: Partial<PtpClock> = {}, priority1 = 128): PtpClock => ({
  id: `c${n}`,
  clock: {
    id: `c${n}`,
    clockIdentity: identity(n),
    priority1,
    clockClass: 248,
    clockAccuracy: 0xfe,
    offsetScaledLogVariance: 0xffff,
    priority2: 128,
    domainNumber: 0,
    clientOnly: false,
    ports,
    relays: ports.length > 1,
  },
  announceIntervalMs: 1000,
  announceTimeout: 3,
  relockMs: 500,
  classLocked: 248,
  classLost: 248,
  hasReference: false,
  ...change,
});

let fabric: PtpFabric;
function running(specs: readonly PtpClock[], speed = 1): PtpFabric {
  fabric = new PtpFabric(specs, speed);
  for (const s of specs) fabric.switchOn(s.id);
  return fabric;
}
const pass = (ms: number) => jest.advanceTimersByTime(ms);
beforeEach(() => {
  jest.useFakeTimers();
});
afterEach(() => {
  fabric.stop();
  jest.useRealTimers();
});

describe('PTP of the stand-ins, in time', () => {
  test('a clock listens for the announce time-out before it leads', () => {
    const f = running([spec(1, ['A'])]);
    pass(2900);
    expect(f.portStates('c1')).toEqual(['listening']);
    expect(f.report('c1')).toMatchObject({ gmid: null });
    pass(1000);
    expect(f.portStates('c1')).toEqual(['leads']);
    expect(f.report('c1')).toEqual({ gmid: identity(1), locked: false, traceable: false });
  });

  test('the better one leads; who follows is locked after what its model takes', () => {
    const f = running([spec(1, ['A']), spec(2, ['A'], {}, 10)]);
    pass(10_000);
    expect(f.portStates('c2')).toEqual(['leads']);
    expect(f.report('c1')).toEqual({ gmid: identity(2), locked: true, traceable: false });
  });

  test('when the grandmaster goes, the next takes over within three to four announce intervals', () => {
    const f = running([spec(1, ['A']), spec(2, ['A'], {}, 10), spec(3, ['A'], {}, 20)]);
    pass(10_000);
    f.switchOff('c2');
    pass(1900);
    expect(f.report('c1')!.gmid).toBe(identity(2));
    pass(2200);
    expect(f.portStates('c3')).toEqual(['leads']);
    pass(3000);
    expect(f.report('c1')!.gmid).toBe(identity(3));
  });

  test('a newcomer counts only after two announces', () => {
    const f = running([spec(1, ['A']), spec(2, ['A'], {}, 10)]);
    f.switchOff('c2');
    pass(10_000);
    f.switchOn('c2');
    pass(3100);
    expect(f.report('c1')!.gmid).toBe(identity(1));
    pass(3000);
    expect(f.report('c1')!.gmid).toBe(identity(2));
  });

  test('a boundary clock passes time on, step by step', () => {
    const f = running([spec(1, ['A'], {}, 10), spec(2, ['A', 'B']), spec(3, ['B'])]);
    pass(portOf(15_000));
    expect(f.portStates('c2')).toEqual(['follows', 'leads']);
    expect(f.report('c3')!.gmid).toBe(identity(1));
  });

  test('a master clock that loses its reference says so by its class, and another may take over', () => {
    const gnss = { classLocked: 6, classLost: 187, hasReference: true };
    const with6 = (n: number) => {
      const s = spec(n, ['A'], gnss);
      return { ...s, clock: { ...s.clock, clockClass: 6 } };
    };
    const f = running([with6(1), with6(2), spec(3, ['A'])]);
    pass(10_000);
    expect(f.report('c3')).toEqual({ gmid: identity(1), locked: true, traceable: true });
    // The second is as good and stands by: of class 6, it never follows.
    expect(f.portStates('c2')).toEqual(['passive']);
    expect(f.loseReference('c1', true)).toBe(true);
    pass(6000);
    expect(f.report('c3')!.gmid).toBe(identity(2));
    f.loseReference('c1', false);
    pass(6000);
    expect(f.report('c3')!.gmid).toBe(identity(1));
    expect(f.loseReference('c3', true)).toBe(false);
  });

  test('Skerry Point comes to rest where the plan says, and after a loss where the drill says', () => {
    const file = skerryPoint();
    const plan = planOfFile(file);
    const specs = ptpClocksOfPlan(file);
    const f = running(specs, 5);
    const expected = (lost: string[]) => {
      const losses = { deviceIds: new Set(lost), referenceIds: new Set<string>(), cutSockets: new Set<string>() };
      return clocksOf(plan, topologyOf(plan), losses).time.byDevice;
    };
    const agree = (lost: string[]) => {
      for (const [id, kept] of expected(lost)) {
        const master = kept.grandmasterId;
        const gmid = master === null ? null : plannedClock(plan, master)!.settings.clockIdentity;
        expect([id, f.report(id)!.gmid]).toEqual([id, gmid]);
      }
    };
    pass(6000);
    agree([]);
    f.switchOff('north-master');
    pass(6000);
    agree(['north-master']);
    f.switchOn('north-master');
    pass(6000);
    agree([]);
  });
});

test('a node whose clock comes to rest while it registers tells the registry so', async () => {
  jest.useRealTimers();
  const registry = new Registry({ address: '127.99.7.1', port: portOf(18_877), expiryMs: 5000 });
  await registry.start();
  const only: PtpClock = { ...spec(1, ['A']), id: 'box', announceIntervalMs: 20, announceTimeout: 2 };
  fabric = new PtpFabric([only], 1);
  const node = new StandinNode(
    {
      id: 'box',
      name: 'Box',
      serial: 'P-1',
      interfaces: [{ name: 'A', address: '127.99.7.11' }],
      legs: [{ name: 'A', address: '127.99.7.11' }],
      channelsReceive: 0,
      channelsSend: 64,
      streamsReceive: 0,
      streamsSend: 64,
      channelsPerStream: 8,
      rateHz: 48_000,
      encoding: 'L24',
      packetTimeUs: 1000,
      ratesHz: [48_000, 96_000],
    },
    {
      port: portOf(18_078),
      registryUrl: `http://127.99.7.1:${portOf(18_877)}`,
      heartbeatMs: 400,
      remember: () => {},
      ptp: fabric,
    },
    undefined,
  );
  await node.plug();
  const clockAtRegistry = async () => {
    const answer = await fetch(`http://127.99.7.1:${portOf(18_877)}/x-nmos/query/v1.3/nodes`);
    const [found] = (await answer.json()) as { clocks: object[] }[];
    return found?.clocks[0];
  };
  const end = Date.now() + 20_000;
  let clock = await clockAtRegistry();
  while (Date.now() < end && !('gmid' in (clock ?? {}))) {
    await new Promise((resolve) => setTimeout(resolve, 20));
    clock = await clockAtRegistry();
  }
  // IS-04 v1.3, clock_ptp: the identity in small letters with hyphens.
  expect(clock).toEqual({
    name: 'clk0',
    ref_type: 'ptp',
    traceable: false,
    version: 'IEEE1588-2008',
    gmid: '00-1b-19-ff-fe-00-00-01',
    locked: false,
  });
  // Another rate from the front panel is in its flows; one that it has not is refused.
  expect(node.changeRate(96_000)).toBe(true);
  expect(node.changeRate(44_100)).toBe(false);
  const flows = await (await fetch(`http://127.99.7.11:${portOf(18_078)}/x-nmos/node/v1.3/flows`)).json();
  expect((flows as { sample_rate: object }[])[0]!.sample_rate).toEqual({ numerator: 96_000, denominator: 1 });
  await node.unplug();
  await registry.stop();
});
