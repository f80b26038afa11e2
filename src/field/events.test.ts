import { batteryFindings } from '../core/findings/field-batteries';
import { readNumberState, readNumberUnit } from '../core/formats/is07';
import { modelOf } from '../core/plan/plan';
import { modelNamed } from '../core/plan/test-plan';
import { channelOfSource, isBattery } from '../core/signal/telemetry';
import { channelFigures } from './live/device-topics';
import { figureOf, type LiveFacts } from './live/topic';
import { FieldBench, until } from './test-bench';
import { portOf } from './test-port';

const NETWORK = {
  registry: { address: '127.99.9.31', port: portOf(18_940), expiryMs: 1200 },
  devicePort: portOf(18_941),
};
const MODELS = {
  box: modelNamed('wireless-4', { streamsReceive: 0, streamsSend: 1 }),
  amp: modelNamed('amp-8', { streamsReceive: 1, streamsSend: 0 }),
  far: modelNamed('console-72', { streamsReceive: 1, streamsSend: 1 }),
};

test('battery and radio level of each pack are read, belong to its channel, and a low battery is found', async () => {
  const bench = new FieldBench(NETWORK, MODELS);
  await bench.startReading(4);
  try {
    const node = bench.nodes.get('box')!;
    expect([node.tell(3, 'battery', 12), node.tell(5, 'battery', 12), node.tell(3, 'battery', 101)]).toEqual([
      true,
      false,
      false,
    ]);
    const device = () => bench.bindings().nodeByDevice.get('box')?.device?.id ?? '';
    await until(() => bench.follower.snapshot().eventSourcesOf(device()).length === 8);
    bench.follower.readDeviceAgain(device());
    const figures = () => {
      const facts = { field: bench.follower.snapshot(), bindings: bench.bindings() };
      return figureOf(channelFigures, 'box', facts as unknown as LiveFacts, bench.plan);
    };
    // One after the other.
    await until(() => Object.values(figures() ?? {}).flat().length === 8);
    await until(() => figures()?.['radio/3']?.some((f) => f.value === 12) === true);
    expect(Object.keys(figures()!).sort()).toEqual(['radio/1', 'radio/2', 'radio/3', 'radio/4']);
    expect(figures()!['radio/1']).toMatchObject([
      { role: 'battery', value: 87, unit: '%' },
      { role: 'radio level', value: -55, unit: 'dBm' },
    ]);
    expect(
      batteryFindings(
        bench.plan,
        new Map([
          ['box', figures()!],
          ['gone', figures()!],
        ]),
      ),
    ).toMatchObject([
      { about: 'battery-low', deviceIds: ['box'], terminalId: 'radio', channel: 3, percent: 12, severity: 'caution' },
    ]);
    // A device without sources of events tells nothing.
    const facts = { field: bench.follower.snapshot(), bindings: bench.bindings() };
    expect(figureOf(channelFigures, 'far', facts as unknown as LiveFacts, bench.plan)).toBeUndefined();
  } finally {
    await bench.stop();
  }
});

test('a source is of the channel that its label begins with, as printed on the case', () => {
  const model = modelOf(new FieldBench(NETWORK, MODELS).plan, 'box')!;
  const counted = {
    ...model,
    terminals: model.terminals.map((t) => (t.kind === 'radio' ? { ...t, countsFrom: 13 } : t)),
  };
  expect(channelOfSource(model, 'Radio 3 battery')).toEqual({ terminalId: 'radio', channel: 3, role: 'battery' });
  expect(channelOfSource(model, ' radio 4: Radio level ')).toEqual({
    terminalId: 'radio',
    channel: 4,
    role: 'radio level',
  });
  expect(channelOfSource(counted, 'Radio 14 battery')).toMatchObject({ channel: 2 });
  for (const label of ['Radio 5 battery', 'Radio battery', 'Radio 3', 'Radios 3 battery', 'Temperature', ''])
    expect(channelOfSource(model, label)).toBeNull();
  expect([isBattery({ role: 'battery', unit: '%' }), isBattery({ role: 'battery', unit: 'V' })]).toEqual([true, false]);
});

test('numbers are read as IS-07 writes them, and nothing else is taken for one', () => {
  const state = (payload: unknown, change: object = {}) =>
    readNumberState({ message_type: 'state', event_type: 'number/battery', payload, ...change });
  expect([state({ value: 12 }), state({ value: 171, scale: 10 }), state({ value: -64 })]).toEqual([12, 17.1, -64]);
  for (const payload of [
    {},
    { value: '12' },
    { value: 1, scale: 0 },
    { value: null },
    null,
    [],
    { value: 1e308, scale: 1e-308 },
  ])
    expect(state(payload)).toBeNull();
  expect([
    state({ value: 1 }, { message_type: 'health' }),
    state({ value: 1 }, { event_type: 'boolean' }),
    readNumberState(7),
  ]).toEqual([null, null, null]);
  expect([
    readNumberUnit({ type: 'number', unit: '%' }),
    readNumberUnit({ type: 'number' }),
    readNumberUnit({ type: 'string' }),
    readNumberUnit(null),
  ]).toEqual(['%', '', null, null]);
});
