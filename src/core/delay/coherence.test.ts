import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import type { Plan } from '../plan/plan';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { provenFixes } from '../reckon/proven-fixes';
import { reckon } from '../reckon/reckon';
import { PLAIN_CHANNEL } from '../signal/channel-settings-table';
import { followSignal } from '../signal/follow';
import { airDelayNs } from './air';
import { groupDelay } from './coherence';

const speaker = (deviceId: string, channel = 1) => ({ deviceId, terminalId: 'speaker-out', channel });
const members = [speaker('left'), speaker('right'), speaker('fill')];
const amp = modelNamed('amp-8');
const start = apply(
  planOf({
    desk: modelNamed('console-72'),
    left: amp,
    right: amp,
    fill: { ...amp, id: 'slow', name: 'Slow', linkOffsetMinNs: 5_000_000 },
  }),
  ...['left', 'right', 'fill'].map((id) => feed('desk', 1, id, 1)),
  { kind: 'put-coherence-group', group: { id: 'ring', name: 'Ring', members } },
);
const delayOf = (plan: Plan) => {
  const { signal, lanesByReceiver } = reckon(plan);
  return groupDelay({ ...plan, signal, lanesByReceiver }, plan.coherenceGroups.get('ring')!);
};
const found = (plan: Plan) => reckon(plan).findings.filter((f) => f.about === 'coherence-apart');

test('a group shares the smallest offset that fits all its paths: that of the slowest', () => {
  const { members: each, sharedNs, spreadNs } = delayOf(start);
  // Three packets of 1 ms for two of them, five milliseconds for the model that asks for it.
  expect(each.map((m) => m.offsetNs)).toEqual([3_000_000, 3_000_000, 5_000_000]);
  expect([sharedNs, spreadNs]).toEqual([5_000_000, 2_000_000]);
});

test('outputs that sound apart are found, and the shared offset brings them together', () => {
  const [finding] = found(start);
  expect(finding).toMatchObject({
    severity: 'caution',
    spreadNs: 2_000_000,
    offsetsNs: [3_000_000, 5_000_000],
    sharedNs: 5_000_000,
  });
  const [fix] = provenFixes(reckon(start), finding!);
  expect(fix).toMatchObject({ does: 'share-offset', offsetNs: 5_000_000, devices: 3 });
  const after = apply(start, ...fix!.commands);
  expect(delayOf(after).spreadNs).toBe(0);
  expect(found(after)).toEqual([]);
});

test('an offset that is larger than needed at one of them is found too, and brought down', () => {
  const late = apply(start, { kind: 'change-device', deviceId: 'left', change: { linkOffsetNs: 8_000_000 } });
  const [finding] = found(late);
  expect(finding).toMatchObject({ spreadNs: 5_000_000, sharedNs: 5_000_000 });
});

test('delay that is set on purpose is no fault; it is in the delay of the signal, with the air behind it', () => {
  const outputDelayNs = 20_000_000;
  const settings = { ...PLAIN_CHANNEL, ...speaker('fill'), outputDelayNs, distanceMetres: 25, airCelsius: 20 };
  const plan = apply(start, { kind: 'put-channel-settings', settings });
  expect(delayOf(plan)).toEqual(delayOf(start));
  const { signal: graph, lanesByReceiver } = reckon(plan);
  const laneOf = (id: string, n: number) => lanesByReceiver.get(id)?.get(n);
  const steps = followSignal(
    { graph, plan, laneOf },
    { deviceId: 'fill', terminalId: 'network-in', channel: 1 },
    'forward',
  );
  expect(steps[1]).toMatchObject({ addsNs: 800_000 + outputDelayNs, airNs: Math.round(airDelayNs(25, 20)) });
  // 25 m at 20 degrees: 72.84 ms.
  expect((steps[1]?.airNs ?? 0) / 1e6).toBeCloseTo(72.84, 2);
  expect(() =>
    apply(start, { kind: 'put-channel-settings', settings: { ...settings, terminalId: 'line-in' } }),
  ).toThrow(/outputDelayNs/);
});

test('the ring of the Dome sounds as one; members without a lane are apart from nobody', () => {
  const demo = planOfFile(skerryPoint());
  expect(demo.coherenceGroups.get('dome-ring')?.members).toHaveLength(32);
  expect(found(demo)).toEqual([]);
  const silent = apply(start, { kind: 'unsubscribe', channels: [{ deviceId: 'fill', channel: 1 }] });
  expect(delayOf(silent)).toMatchObject({ sharedNs: 3_000_000, spreadNs: 0 });
  expect(
    reckon(apply(silent, { kind: 'remove-device', deviceId: 'fill' })).plan.coherenceGroups.get('ring')?.members,
  ).toHaveLength(2);
});
