import { atOnce } from '../core/plan/in-steps';
import { feed } from '../core/plan/test-plan';
import { skerryPoint } from '../demo/skerry-point';
import { until } from '../field/test-bench';
import { Registry } from '../registry/registry';
import { fleetOfPlan } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { applyBatch, openSession } from './edit';
import { copyPlan, demoPlan, removePlan, restorePlan } from './plans';
import { previewSend, sendLanes } from './send-lanes';
import { serverState } from './state';
import { previewTakeOver, takeOver } from './take-over';
import { inServerFolders, requestOf } from './test-server';
import { portOf } from '../field/test-port';

const REGISTRY = { address: '127.99.7.31', port: portOf(18_931), expiryMs: 900 };
const URL_OF_REGISTRY = `http://${REGISTRY.address}:${REGISTRY.port}`;
const author = { id: 'someone', name: 'Someone' };

inServerFolders({ JADE_REGISTRY: URL_OF_REGISTRY, JADE_TRANSLATE: '10.=127.' });

const amp = [1, 2, 3, 4, 5, 6, 7, 8].map((channel) => ({ deviceId: 'dome-amp-1', channel }));
const edit = (planId: string, ...commands: Parameters<typeof applyBatch>[1]['commands']) =>
  atOnce(applyBatch(planId, { author, baseRevision: openSession(planId).revision, title: 'edit', commands }));

test('a copy says which devices the first plan runs, sends nothing to them, and takes them over with the streams as they carry', async () => {
  const registry = new Registry(REGISTRY);
  await registry.start();
  const options = { port: portOf(18_131), registryUrl: URL_OF_REGISTRY, heartbeatMs: 200, remember: () => {} };
  const nodes = ['dome-renderer', 'dome-amp-1'].map((id) => {
    const spec = fleetOfPlan(skerryPoint()).find((s) => s.id === id)!;
    return new StandinNode(spec, options, undefined);
  });
  const first = demoPlan().plan.id;
  try {
    await Promise.all(nodes.map((n) => n.plug()));
    const follower = serverState().follower!;
    await until(() => follower.snapshot().channelMaps.size === 2 && follower.snapshot().readings.size > 30);
    await sendLanes(first, amp, author, true);
    const carries = () => previewSend(first, amp).alike.flatMap((a) => a.channels);
    await until(() => carries().length === 8);
    expect(previewSend(first, amp)).toMatchObject({ streams: [], receivers: [], stops: [], left: [], interrupts: [] });

    const second = (await copyPlan(requestOf(''), first, 'Copy')).id;
    const renderer = openSession(second).plan.sentStreams.get('dome-renderer');
    expect(renderer?.size).toBeGreaterThan(0);
    edit(second, feed('dome-renderer', 33, 'dome-amp-1', 1));
    expect(new Set(previewSend(second, amp).left.map((l) => l.why))).toEqual(new Set(['device-elsewhere']));
    expect(previewTakeOver(second).devices).toEqual([
      expect.objectContaining({ deviceId: 'dome-amp-1', alike: 7, otherwise: 1, onlyThere: 0, onlyHere: 0 }),
      expect.objectContaining({ deviceId: 'dome-renderer', streams: renderer!.size }),
    ]);

    // Meanwhile the first plan sends something else: what carries then is what the copy has to know.
    edit(first, feed('dome-renderer', 40, 'dome-amp-1', 8));
    await sendLanes(first, amp, author, true);
    await until(() => carries().length === 8);
    expect(takeOver(second, ['dome-amp-1', 'dome-renderer'], author).devices).toEqual([]);
    expect(openSession(second).plan.sentStreams.get('dome-renderer')).toEqual(
      openSession(first).plan.sentStreams.get('dome-renderer'),
    );
    expect(new Set(previewSend(first, amp).left.map((l) => l.why))).toEqual(new Set(['device-elsewhere']));

    // What differs is listed lane by lane before it is sent; all else goes on.
    const { interrupts, alike } = previewSend(second, amp);
    expect(interrupts.flatMap((i) => i.channels.map((c) => `${i.deviceId} ${c}`)).sort()).toEqual([
      'dome-amp-1 1',
      'dome-amp-1 8',
    ]);
    expect(alike).toEqual([{ deviceId: 'dome-amp-1', channels: [2, 3, 4, 5, 6, 7] }]);

    // A plan that was put away runs nothing.
    removePlan(second);
    expect(previewSend(first, amp).left).toEqual([]);
    restorePlan(second);
    expect(previewSend(first, amp).left).toHaveLength(8);
  } finally {
    await Promise.all(nodes.map((n) => n.unplug()));
    await registry.stop();
  }
});
