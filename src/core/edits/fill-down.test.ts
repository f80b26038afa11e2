import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { interfacesOf, subscriptionsOf } from '../plan/plan';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { fillDownDevices, fillDownLanes } from './fill-down';

const demo = planOfFile(skerryPoint());

describe('fill down of devices', () => {
  test('the others get the place, the rate that they can have, and the subnets of the first with free addresses', () => {
    const ids = ['lab-recorder', 'dome-amp-1', 'loft-console'];
    const plan = apply(demo, ...fillDownDevices(demo, ids));
    const first = plan.devices.get('lab-recorder')!;
    expect(plan.devices.get('dome-amp-1')?.placeId).toBe(first.placeId);
    // An amplifier of 48 kHz alone keeps its rate; a console of both goes along.
    expect(plan.devices.get('dome-amp-1')?.rateHz).toBe(48_000);
    expect(plan.devices.get('loft-console')?.rateHz).toBe(first.rateHz);
    const legA = (id: string) => interfacesOf(plan, id).get('A');
    expect(legA('loft-console')?.subnetId).toBe(legA('lab-recorder')?.subnetId);
    expect(new Set(ids.map((id) => legA(id)?.address)).size).toBe(3);
    expect(plan.devices.get('lab-recorder')).toEqual(demo.devices.get('lab-recorder'));
  });

  test('where all are as the first there is nothing to do', () => {
    expect(fillDownDevices(demo, ['dome-amp-1', 'dome-amp-2'])).toEqual([]);
    expect(fillDownDevices(demo, ['dome-amp-1'])).toEqual([]);
    expect(fillDownDevices(demo, [])).toEqual([]);
  });

  test('a device never goes through itself', () => {
    const unit = modelNamed('processor-64');
    const plan = apply(planOf({ box: modelNamed('stage-box-24'), unit }), {
      kind: 'change-device',
      deviceId: 'box',
      change: { throughId: 'unit' },
    });
    expect(apply(plan, ...fillDownDevices(plan, ['box', 'unit'])).devices.get('unit')?.throughId).toBeNull();
  });
});

describe('fill down of lanes', () => {
  const plan = apply(
    planOf({ box: modelNamed('stage-box-24'), one: modelNamed('amp-8'), two: modelNamed('amp-8') }),
    feed('box', 10, 'one', 1),
  );
  const run = (deviceId: string, from: number, to: number) =>
    Array.from({ length: to - from + 1 }, (_, n) => ({ deviceId, channel: from + n }));

  test('the run goes on from what its first row hears, over devices, up to the last channel of the sender', () => {
    const filled = fillDownLanes(plan, [...run('one', 1, 8), ...run('two', 1, 8)])!;
    const after = apply(plan, { kind: 'subscribe', subscriptions: filled.subscriptions });
    expect(subscriptionsOf(after, 'one').get(8)?.senderChannel).toBe(17);
    expect(subscriptionsOf(after, 'two').get(7)?.senderChannel).toBe(24);
    expect(filled.leftOut).toEqual([{ deviceId: 'two', channel: 8, why: 'no-channel-left' }]);
  });

  test('a run whose first row hears nothing has nothing to go on from', () => {
    expect(fillDownLanes(plan, run('two', 1, 3))).toBeNull();
    expect(fillDownLanes(plan, [])).toBeNull();
  });
});
