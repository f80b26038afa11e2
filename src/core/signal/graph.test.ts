import fc from 'fast-check';
import type { Model } from '../models/models-table';
import type { Device } from '../plan/devices-table';
import type { Plan } from '../plan/plan';
import { modelOf } from '../plan/plan';
import { apply, busSend, feed, modelNamed, planOf } from '../plan/test-plan';
import { arbitraryPlan } from '../plan/test-arbitrary';
import { expectSame } from '../plan/test-same';
import { reckon } from '../reckon/reckon';
import type { Reckoning } from '../reckon/reckoning';
import { busState } from '../slots/slot-bus';
import { followSignal } from './follow';
import { fedBy } from './fed-by';
import { channelAt, feedersOf, nodeOf, type SignalGraph } from './graph';
import { isSource, PLAIN_PLUGGED } from './plugged-in-table';
import type { SignalEnd } from './signal-end';
import { isInsideKnown, terminalsOf, type Terminal } from './terminals';

/** The same graph by another, slow way: names of channels, lists of who feeds whom, and a search for each. */
class SlowGraph {
  readonly terminals = new Map<string, Terminal>();
  readonly feeds = new Map<string, Set<string>>();

  constructor(
    private readonly plan: Plan,
    lanesByReceiver: Reckoning['lanesByReceiver'],
  ) {
    for (const device of plan.devices.values()) {
      const model = modelOf(plan, device.id);
      for (const t of model ? terminalsOf(model) : []) {
        for (let c = 1; c <= t.channels; c += 1) this.terminals.set(`${device.id}|${t.id}|${c}`, t);
      }
    }
    for (const [key, t] of this.terminals) {
      const [deviceId = '', terminalId = '', channel = ''] = key.split('|');
      const patch = plan.patches.get(deviceId)?.get(`${terminalId}/${channel}`);
      if (patch !== undefined) {
        if (patch.from !== null) this.join(`${deviceId}|${patch.from.terminalId}|${patch.from.channel}`, key);
      } else if (t.normalledTo !== null && Number(channel) <= t.normalledChannels) {
        this.join(`${deviceId}|${t.normalledTo}|${channel}`, key);
      }
      if (t.mixes !== null) {
        for (const [other, o] of this.terminals) {
          if (o.id === t.mixes && other.startsWith(`${deviceId}|`)) this.join(other, key);
        }
      }
    }
    for (const own of plan.busSends.values()) {
      for (const s of own.values()) {
        if (s.isOn)
          this.join(`${s.deviceId}|${s.fromTerminalId}|${s.fromChannel}`, `${s.deviceId}|${s.terminalId}|${s.channel}`);
      }
    }
    for (const own of lanesByReceiver.values()) {
      for (const { subscription: s, verdict } of own.values()) {
        if (verdict === 'refused') continue;
        this.join(
          `${s.senderDeviceId}|network-out|${s.senderChannel}`,
          `${s.receiverDeviceId}|network-in|${s.receiverChannel}`,
        );
      }
    }
    const taken = new Set<string>();
    for (const cable of [...plan.audioCables.values()].sort((a, b) => (a.id < b.id ? -1 : 1))) {
      for (let n = 0; n < cable.channels; n += 1) {
        const to = `${cable.to.deviceId}|${cable.to.terminalId}|${cable.to.channel + n}`;
        if (taken.has(to)) continue;
        taken.add(to);
        this.join(`${cable.from.deviceId}|${cable.from.terminalId}|${cable.from.channel + n}`, to);
      }
    }
    for (const bus of plan.slotBuses.values()) {
      for (const h of busState(plan, bus).listened) {
        const talks = h.why === null ? h.talkers[0] : undefined;
        if (talks) this.join(`${talks.deviceId}|slots-out|${talks.channel}`, `${h.deviceId}|slots-in|${h.channel}`);
      }
    }
  }

  private join(from: string, to: string): void {
    if (!this.terminals.has(from) || !this.terminals.has(to)) return;
    this.feeds.set(from, (this.feeds.get(from) ?? new Set()).add(to));
  }

  /** Everything that a channel is heard at; the channel itself only when it hears itself. */
  reach(start: string): Set<string> {
    const found = new Set<string>();
    const left = [...(this.feeds.get(start) ?? [])];
    for (let at = left.pop(); at !== undefined; at = left.pop()) {
      if (found.has(at)) continue;
      found.add(at);
      left.push(...(this.feeds.get(at) ?? []));
    }
    return found;
  }

  private isEnd(key: string, which: 'source' | 'sink'): boolean {
    const [deviceId = '', terminalId = '', channel = ''] = key.split('|');
    const t = this.terminals.get(key) as Terminal;
    const plugged = this.plan.pluggedIn.get(deviceId)?.get(`${terminalId}/${channel}`);
    if (plugged !== undefined && isSource(plugged.kind) === (which === 'source')) return true;
    const model = modelOf(this.plan, deviceId);
    if (t.kind === 'computer') return t.direction === (which === 'source' ? 'in' : 'out');
    if (model === undefined || isInsideKnown(model)) return false;
    if (which === 'sink') return t.direction === 'in';
    return t.direction === 'out' && Number(channel) > t.normalledChannels;
  }

  ends(which: 'source' | 'sink'): string[] {
    return [...this.terminals.keys()].filter((key) => this.isEnd(key, which));
  }
}

const textAt = (graph: SignalGraph, node: number) => {
  const { deviceId, terminalId, channel } = channelAt(graph, node);
  return `${deviceId}|${terminalId}|${channel}`;
};

/** Bus 3 receives buses 1 and 2 through a unit that comes back on these channels, and goes back to bus 2 through it. */
function roundThroughAUnit(back: number, model = modelNamed('console-72')): Plan {
  const to = (strip: number, bus: number) => busSend('desk', strip, bus);
  return apply(
    planOf({ desk: model, unit: modelNamed('reverb-16') }),
    feed('desk', 1, 'unit', 1, 3),
    feed('unit', 1, 'desk', back, 3),
    ...[to(1, 1), to(1, 2), to(back, 3), to(back + 1, 3), to(back + 2, 2)],
  );
}

/** Models with few channels and streams, so that a slow search ends, all in one subnet, so that some lanes fit and some are refused. */
function inOneSubnet(plan: Plan): Plan {
  const { sends, receives, ports, ratesHz, linkOffsetMinNs, channelsPerStreamMax } = modelNamed('console-72');
  const alike = { sends, receives, ports, ratesHz, linkOffsetMinNs, channelsPerStreamMax, channelPool: null };
  const plain = { receiveMap: null, sendMap: null, sendOrder: null, receiveOrder: null };
  const models = [...plan.models].map(([id, m]): [string, Model] => [
    id,
    {
      ...m,
      ...alike,
      ...plain,
      channelsReceive: 1 + (m.channelsReceive % 8),
      channelsSend: 1 + (m.channelsSend % 8),
      streamsReceive: 1,
    },
  ]);
  const devices = [...plan.devices].map(([id, d]): [string, Device] => [id, { ...d, rateHz: 48_000 }]);
  const { subnets, interfaces } = planOf(
    Object.fromEntries([...plan.devices.keys()].map((id) => [id, modelNamed('console-72')])),
  );
  return { ...plan, models: new Map(models), devices: new Map(devices), subnets, interfaces, links: new Map() };
}

/** Every subscription, of a channel from 1 to 8 to one from 1 to 8. */
function amongTheFirst({ subscriptions }: Plan): Plan['subscriptions'] {
  const low = (channel: number) => ((channel - 1) % 8) + 1;
  return new Map(
    [...subscriptions].map(([id, feeds]) => [
      id,
      new Map(
        [...feeds.values()].map((s) => [
          low(s.receiverChannel),
          { ...s, receiverChannel: low(s.receiverChannel), senderChannel: low(s.senderChannel) },
        ]),
      ),
    ]),
  );
}

test('reach, loops, and what is fed and heard agree with a slow search, for plans that fill every table', () => {
  let loops = 0;
  let [carried, refused] = [0, 0];
  fc.assert(
    fc.property(arbitraryPlan(5), (plan) => {
      const small = { ...inOneSubnet(plan), subscriptions: amongTheFirst(plan) };
      const { signal, signalFlow, lanesByReceiver } = reckon(small);
      const slow = new SlowGraph(small, lanesByReceiver);
      expect(signal.size).toBe(slow.terminals.size);
      const reaches = new Map([...slow.terminals.keys()].map((key) => [key, slow.reach(key)]));
      const fed = new Set(slow.ends('source').flatMap((key) => [key, ...(reaches.get(key) ?? [])]));
      const sinks = new Set(slow.ends('sink'));
      const onLoop = new Set([...reaches].filter(([key, r]) => r.has(key)).map(([key]) => key));
      for (let node = 0; node < signal.size; node += 1) {
        const key = textAt(signal, node);
        const [deviceId = '', terminalId = '', channel = ''] = key.split('|');
        expectSame(nodeOf(signal, { deviceId, terminalId, channel: Number(channel) }), node);
        expectSame(
          [...fedBy(signal, node)].map((n) => textAt(signal, n)).sort(),
          [...(slow.feeds.get(key) ?? [])].sort(),
        );
        const own = signalFlow.byDevice.get(deviceId);
        const flowAt = (what: 'isFed' | 'isReceived') =>
          own?.[what][node - (signal.firstNode.get(deviceId) ?? 0)] === 1;
        expectSame([key, flowAt('isFed')], [key, fed.has(key)]);
        const isReceived = sinks.has(key) || [...(reaches.get(key) ?? [])].some((k) => sinks.has(k));
        expectSame([key, flowAt('isReceived')], [key, isReceived]);
      }
      // Each group of channels that reach each other has one loop told, and that is one.
      const groups = new Set(
        [...onLoop].map((key) =>
          [...onLoop]
            .filter((k) => reaches.get(key)?.has(k) && reaches.get(k)?.has(key))
            .sort()
            .join(),
        ),
      );
      expect(signalFlow.loops.length).toBe(groups.size);
      for (const ring of signalFlow.loops) {
        ring.forEach((node, n) =>
          expect([...feedersOf(signal, ring[(n + 1) % ring.length] as number)]).toContain(node),
        );
        expect(new Set(ring).size).toBe(ring.length);
      }
      loops += groups.size;
      refused += signal.refused.size;
      carried += [...lanesByReceiver.values()]
        .flatMap((own) => [...own.values()])
        .filter((l) => l.verdict !== 'refused').length;
      const laneOf = (id: string, channel: number) => lanesByReceiver.get(id)?.get(channel);
      for (const [key, reach] of [...reaches].filter(([, r]) => r.size > 0).slice(0, 12)) {
        const [deviceId = '', terminalId = '', channel = ''] = key.split('|');
        const steps = followSignal(
          { graph: signal, plan: small, laneOf },
          { deviceId, terminalId, channel: Number(channel) },
          'forward',
        );
        const reached = steps.filter((s) => s.misfit?.code !== 'lane-refused');
        expect(new Set(reached.map((s) => `${s.deviceId}|${s.terminalId}|${s.channel}`))).toEqual(
          new Set([key, ...reach]),
        );
      }
    }),
    {
      numRuns: 60,
      examples: [[roundThroughAUnit(3, modelNamed('console-72', { channelsReceive: 8, channelsSend: 8 }))]],
    },
  );
  // Few plans of chance have one.
  expect(loops).toBeGreaterThan(0);
  expect(carried).toBeGreaterThan(20);
  expect(refused).toBeGreaterThan(0);
});

test('a socket of a stage box is followed to the loudspeaker, and back the same way with the same delay', () => {
  const plan = apply(
    planOf({ box: modelNamed('stage-box-24'), console: modelNamed('console-72'), amp: modelNamed('amp-8') }),
    feed('box', 3, 'console', 7),
    feed('console', 5, 'amp', 2),
    {
      kind: 'put-bus-send',
      send: {
        deviceId: 'console',
        terminalId: 'buses',
        channel: 5,
        fromTerminalId: 'strips',
        fromChannel: 7,
        tap: 'before-fader',
        isOn: true,
        levelDb: -6,
      },
    },
  );
  const { signal: graph, lanesByReceiver } = reckon(plan);
  const signals = { graph, plan, laneOf: (id: string, n: number) => lanesByReceiver.get(id)?.get(n) };
  const forward = followSignal(signals, { deviceId: 'box', terminalId: 'mic-in', channel: 3 }, 'forward');
  expect(
    forward.map((s) => `${s.deviceId} ${s.terminalId} ${s.channel} ${s.via ?? ''} ${s.tap ?? ''}`.trimEnd()),
  ).toEqual([
    'box mic-in 3',
    'box network-out 3 normal',
    'console network-in 7 lane',
    'console strips 7 normal',
    'console buses 5 send before-fader',
    'console network-out 5 normal after-mute',
    'amp network-in 2 lane',
    'amp speaker-out 2 normal',
    'console direct 7 normal after-mute',
  ]);
  const back = followSignal(signals, { deviceId: 'amp', terminalId: 'speaker-out', channel: 2 }, 'back');
  expect(back.map((s) => s.terminalId).reverse()).toEqual(forward.slice(0, 8).map((s) => s.terminalId));
  // Converters of 0.4 and 0.8 ms, buses of 0.6 ms, and twice the link offset of 3 ms at 1 ms packets.
  expect(forward[7]?.delayNs).toBe(400_000 + 600_000 + 800_000 + 2 * 3_000_000);
  expect(back[back.length - 1]?.delayNs).toBe(forward[7]?.delayNs);
});

test('a loop is marked though both of its channels are reached another way first', () => {
  const plan = roundThroughAUnit(11);
  const { signal: graph, signalFlow, lanesByReceiver } = reckon(plan);
  expect(signalFlow.loops).toHaveLength(1);
  const signals = { graph, plan, laneOf: (id: string, n: number) => lanesByReceiver.get(id)?.get(n) };
  for (const way of ['forward', 'back'] as const) {
    const start = way === 'forward' ? { terminalId: 'strips', channel: 1 } : { terminalId: 'buses', channel: 3 };
    const steps = followSignal(signals, { deviceId: 'desk', ...start }, way);
    expect(steps.filter((s) => s.misfit?.code === 'loop')).toHaveLength(1);
    const once = steps
      .filter((s) => s.misfit?.code !== 'loop')
      .map((s) => `${s.deviceId} ${s.terminalId} ${s.channel}`);
    expect(new Set(once).size).toBe(once.length);
  }
});

test('a refused lane feeds nothing: it is followed to its other end and no further, and its reason is said', () => {
  const oneStream = modelNamed('amp-8', { streamsReceive: 1 });
  const plan = apply(
    planOf({ box: modelNamed('stage-box-24'), desk: modelNamed('console-72'), amp: oneStream }),
    feed('box', 1, 'amp', 1),
    feed('desk', 1, 'amp', 2),
    feed('box', 7, 'desk', 1),
    busSend('desk', 1, 1),
    {
      kind: 'put-plugged-in',
      plugged: {
        ...PLAIN_PLUGGED,
        deviceId: 'box',
        terminalId: 'mic-in',
        channel: 7,
        name: 'Voice',
        kind: 'microphone',
      },
    },
    {
      kind: 'put-plugged-in',
      plugged: {
        ...PLAIN_PLUGGED,
        deviceId: 'amp',
        terminalId: 'speaker-out',
        channel: 2,
        name: 'Left',
        kind: 'loudspeaker',
      },
    },
  );
  const reckoning = reckon(plan);
  const { signal: graph, signalFlow, lanesByReceiver } = reckoning;
  expect(lanesByReceiver.get('amp')?.get(2)).toMatchObject({ verdict: 'refused', reason: { code: 'stream-budget' } });
  const signals = { graph, plan, laneOf: (id: string, n: number) => lanesByReceiver.get(id)?.get(n) };
  const told = (start: SignalEnd, way: 'forward' | 'back') =>
    followSignal(signals, start, way).map((s) =>
      `${s.deviceId} ${s.terminalId} ${s.channel} ${s.misfit?.code ?? ''}`.trimEnd(),
    );
  expect(told({ deviceId: 'desk', terminalId: 'buses', channel: 1 }, 'forward')).toEqual([
    'desk buses 1',
    'desk network-out 1',
    'amp network-in 2 lane-refused',
  ]);
  expect(told({ deviceId: 'amp', terminalId: 'speaker-out', channel: 2 }, 'back')).toEqual([
    'amp speaker-out 2',
    'amp network-in 2',
    'desk network-out 1 lane-refused',
  ]);
  const speaker =
    nodeOf(graph, { deviceId: 'amp', terminalId: 'speaker-out', channel: 2 }) - (graph.firstNode.get('amp') ?? 0);
  expect(signalFlow.byDevice.get('amp')?.isFed[speaker]).toBe(0);
  // The lane says why the microphone reaches nobody, and its other channel of the amplifier is fed.
  expect(reckoning.findings.map((f) => f.about)).toContain('lanes-refused');
  expect(reckoning.findings.filter((f) => f.about === 'heard-by-nobody' || f.about === 'fed-by-nothing')).toEqual([]);
  const without = reckon(apply(plan, { kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 2 }] }), reckoning);
  expect(without.findings).toContainEqual(expect.objectContaining({ about: 'heard-by-nobody', deviceIds: ['box'] }));
});
