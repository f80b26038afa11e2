import { CATALOGUE } from '../models/catalogue';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import { bitWays } from './bit-true';
import { nodeOf } from './graph';
import { hopBetween, type Signals } from './hop';
import { plannedClock } from '../clocks/clock-settings';

const start = apply(
  planOf({ converter: modelNamed('converter-64'), amp: modelNamed('amp-8') }),
  { kind: 'put-clock-group', group: { id: 'house', name: 'House', rateHz: 48_000, authority: null } },
  { kind: 'put-clock-group', group: { id: 'boat', name: 'Boat', rateHz: 44_100, authority: null } },
  feed('converter', 1, 'amp', 1),
);

function withGroups(groupId: string | null, secondGroupId: string | null) {
  const settings = plannedClock(start, 'converter')!.settings;
  return apply(start, { kind: 'put-clock', settings: { ...settings, groupId, secondGroupId } });
}

function signalsOf(plan: typeof start): Signals {
  const { signal: graph, lanesByReceiver } = reckon(plan);
  return { graph, plan, laneOf: (id, channel) => lanesByReceiver.get(id)?.get(channel) };
}

const MADI = { deviceId: 'converter', terminalId: 'madi-in', channel: 1 };

/** From the MADI input to the network output of the converter. */
function throughConverter(plan: typeof start) {
  const signals = signalsOf(plan);
  const out = nodeOf(signals.graph, { ...MADI, terminalId: 'network-out' });
  return hopBetween(signals, nodeOf(signals.graph, MADI), out);
}

describe('the clock of a terminal', () => {
  test('a converter with two clocks has 44.1 kHz at its MADI and 48 kHz at its network, and converts between them', () => {
    const { from, to, changes } = throughConverter(withGroups('house', 'boat'));
    expect([from.rateHz, from.clockGroupId]).toEqual([44_100, 'boat']);
    expect([to.rateHz, to.clockGroupId]).toEqual([48_000, 'house']);
    expect(changes).toBe('sample-rate-converter');
    expect(bitWays(signalsOf(withGroups('house', 'boat')), MADI).breaks).toMatchObject([
      { at: { deviceId: 'converter', terminalId: 'network-out' }, because: 'sample-rate-converter' },
    ]);
  });

  test('where its other side has no clock of its own, both sides are the same, and nothing is converted', () => {
    for (const plan of [start, withGroups('house', null)]) {
      const { from, to, changes } = throughConverter(plan);
      expect([from.rateHz, from.clockGroupId]).toEqual([to.rateHz, to.clockGroupId]);
      expect(changes).toBeNull();
    }
  });

  test('only models with two clocks have terminals on another side', () => {
    for (const { id, clock, terminals } of CATALOGUE)
      expect([id, terminals.some((t) => t.isOtherSide)]).toEqual([id, clock?.clockGroups === 2]);
  });
});
