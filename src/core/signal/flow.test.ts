import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { apply } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';

test('in a plan with a loop an edit keeps the flow of devices that it does not concern, and holds on to no list for all devices', () => {
  const plan = planOfFile(skerryPoint());
  const before = reckon(plan);
  expect(before.signalFlow.groups.length).toBeGreaterThan(0);
  const feeds = [...plan.subscriptions.values()].flatMap((own) => [...own.values()]);
  const changed = feeds.flatMap((s) => {
    const lane = { receiverDeviceId: s.receiverDeviceId, receiverChannel: s.receiverChannel };
    const after = reckon(
      apply(plan, {
        kind: 'unsubscribe',
        channels: [{ deviceId: lane.receiverDeviceId, channel: lane.receiverChannel }],
      }),
      before,
    );
    const flows = [...after.signalFlow.byDevice];
    const others = flows.filter(([id, flow]) => before.signalFlow.byDevice.get(id) !== flow);
    expect(others.length).toBeLessThan(flows.length);
    return others.map(([, flow]) => flow);
  });
  expect(changed.length).toBeGreaterThan(0);
  for (const { isFed, isReceived, roots } of changed) {
    for (const list of [isFed, isReceived, roots]) expect(list.buffer.byteLength).toBe(list.byteLength);
  }
});
