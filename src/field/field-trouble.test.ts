import { createServer, type Server } from 'node:http';
import { fileOfPlan } from '../core/formats/plan-file';
import { apply, feed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
// The stand-ins are what the field is tried on; the product itself never imports them.
import { fleetOfPlan } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { Registry } from '../registry/registry';
import { bindDevices } from './binding';
import { FieldFollower } from './follower';
import { lanesInField } from './lane-state';
import { planSend } from './send-plan';
import { send } from './send';
import { startPlan, translation, until } from './test-bench';
import { portOf } from './test-port';

const PORT = portOf(18_083);

describe('a registry that does not do as it should', () => {
  let server: Server;
  const answers: { body: string; status: number } = { body: '', status: 200 };
  beforeAll(async () => {
    server = createServer((_, response) =>
      response.writeHead(answers.status, { 'content-type': 'application/json' }).end(answers.body),
    );
    await new Promise<void>((resolve) => server.listen(portOf(18_890), '127.99.9.2', resolve));
  });
  afterAll(() => new Promise((resolve) => server.close(resolve)));

  test.each([
    ['says nothing that is JSON', 200, '<html>'],
    ['gives no address for changes', 200, '{"id": 1}'],
    ['refuses', 503, '{"code": 503, "error": "busy"}'],
    ['sends us to nowhere', 200, '{"ws_href": "ws://127.99.9.2:1/none"}'],
  ])('one that %s leaves us unconnected, trying again, and nothing breaks', async (_, status, body) => {
    Object.assign(answers, { status, body });
    let reasons = 0;
    const follower = new FieldFollower(`http://127.99.9.2:${portOf(18_890)}`, () => {
      if (!follower.snapshot().isConnected && follower.snapshot().disconnectedBecause !== 'not connected yet')
        reasons += 1;
    });
    follower.start();
    await until(() => reasons >= 2);
    expect(follower.snapshot().nodes.size).toBe(0);
    follower.stop();
  });
});

test('a device that stops answering is gone at once, though its registry waits for heartbeats, and is read again when it answers', async () => {
  const registry = new Registry({ address: '127.99.9.2', port: portOf(18_881), expiryMs: 600_000 });
  await registry.start();
  const registryUrl = `http://127.99.9.2:${portOf(18_881)}`;
  const spec = fleetOfPlan(fileOfPlan(startPlan())).find((s) => s.id === 'amp')!;
  const node = new StandinNode(spec, { port: PORT, registryUrl, heartbeatMs: 60_000, remember: () => {} }, undefined);
  await node.plug();
  const told: string[] = [];
  const follower = new FieldFollower(registryUrl, ({ nodes }) => told.push(...nodes));
  follower.start();
  const isThere = () => follower.snapshot().nodes.has(node.nodeId);
  await until(() => isThere() && follower.snapshot().readings.size === 4);
  const readAt = () => [...follower.snapshot().readings.values()][0]!.readAt;
  const before = readAt();

  told.length = 0;
  await node.unplug();
  await until(() => !isThere());
  expect(told).toContain(node.nodeId);
  const held = await follower.resources();
  expect(held['nodes']!.map((n) => n['id'])).toEqual([node.nodeId]);

  await node.plug();
  await until(isThere);
  await until(() => readAt() > before);
  follower.stop();
  await node.unplug();
  await registry.stop();
});

test('a device that takes connections and answers nothing is not known after a while, and known again when it answers', async () => {
  const registry = new Registry({ address: '127.99.9.4', port: portOf(18_881), expiryMs: 600_000 });
  await registry.start();
  const registryUrl = `http://127.99.9.4:${portOf(18_881)}`;
  const fleet = fleetOfPlan(fileOfPlan(startPlan())).filter((s) => s.id !== 'far');
  const standins = fleet.map(
    (spec) => new StandinNode(spec, { port: PORT, registryUrl, heartbeatMs: 60_000, remember: () => {} }, undefined),
  );
  await Promise.all(standins.map((n) => n.plug()));
  const follower = new FieldFollower(registryUrl, () => {}, undefined, 300);
  follower.start();
  await until(() => follower.snapshot().readings.size === 12 && follower.snapshot().channelMaps.size === 2);
  let plan = apply(startPlan(), feed('box', 5, 'amp', 1, 2));
  const bound = () => bindDevices(plan, follower.snapshot(), translation);
  const reckoning = () => reckon(plan);
  const stateOf = (channel: number) =>
    lanesInField('amp', reckoning(), follower.snapshot(), bound()).lanes.get(channel);
  const channels = [1, 2].map((channel) => ({ deviceId: 'amp', channel }));
  const now = reckoning();
  const report = await send(planSend(channels, now, follower.snapshot(), bound()), now, follower, bound(), {
    start: true,
  });
  plan = apply(plan, { kind: 'keep-sent-streams', put: report.put, drop: [] });
  await until(() => stateOf(1)?.state === 'carrying');

  const amp = standins.find((n) => n.spec.id === 'amp')!;
  amp.delayMs = 60_000;
  await until(() => stateOf(1)?.state === 'unknown');
  expect(stateOf(1)?.checks.at(-1)).toEqual({ what: 'receiver-answers', holds: false });
  // The box it receives answers as before, and whoever sends to both does not wait long for the one that does not.
  expect([...follower.snapshot().notKnown]).toHaveLength(1);
  const begun = Date.now();
  const again = reckoning();
  const late = await send(planSend(channels, again, follower.snapshot(), bound()), again, follower, bound(), {
    start: true,
  });
  expect(Date.now() - begun).toBeLessThan(4000);
  const failed = late.devices.find((d) => d.deviceId === 'amp')!.failed;
  expect(failed.every((f) => f.failure.kind === 'resting' || f.failure.kind === 'timeout')).toBe(true);

  amp.delayMs = 0;
  follower.readDeviceAgain([...follower.snapshot().notKnown][0]!);
  await until(() => stateOf(1)?.state === 'carrying', 45_000);
  follower.stop();
  await Promise.all(standins.map((n) => n.unplug()));
  await registry.stop();
});

test('two boxes with one id are contested: nothing is written to either until one of them is gone', async () => {
  const registry = new Registry({ address: '127.99.9.5', port: portOf(18_881), expiryMs: 600_000 });
  await registry.start();
  const registryUrl = `http://127.99.9.5:${portOf(18_881)}`;
  const spec = fleetOfPlan(fileOfPlan(startPlan())).find((s) => s.id === 'amp')!;
  const options = { port: PORT, registryUrl, heartbeatMs: 60_000, remember: () => {} };
  const legs = [{ name: 'A', address: '127.99.8.77' }];
  const first = new StandinNode(spec, options, undefined);
  const second = new StandinNode({ ...spec, interfaces: legs, legs }, options, undefined);
  const follower = new FieldFollower(registryUrl, () => {});
  follower.start();
  const plan = apply(startPlan(), feed('box', 1, 'amp', 1, 1));
  const bound = () => bindDevices(plan, follower.snapshot(), translation);
  await first.plug();
  await until(() => bound().nodeByDevice.has('amp'));
  await second.plug();
  await until(() => bound().contested.has('amp'));
  expect(bound().nodeByDevice.has('amp')).toBe(false);
  expect(bound().contested.get('amp')).toMatchObject({ by: 'id' });
  const work = planSend([{ deviceId: 'amp', channel: 1 }], reckon(plan), follower.snapshot(), bound());
  expect(work.left).toEqual([{ deviceId: 'amp', channel: 1, why: 'device-contested' }]);
  follower.stop();
  await Promise.all([first.unplug(), second.unplug()]);
  await registry.stop();
});

test('a serial that two nodes claim ties to neither, unless one of them was bound by hand', async () => {
  const registry = new Registry({ address: '127.99.9.6', port: portOf(18_881), expiryMs: 600_000 });
  await registry.start();
  const options = {
    port: PORT,
    registryUrl: `http://127.99.9.6:${portOf(18_881)}`,
    heartbeatMs: 60_000,
    remember: () => {},
  };
  const spec = fleetOfPlan(fileOfPlan(startPlan())).find((s) => s.id === 'amp')!;
  const legs = [{ name: 'A', address: '127.99.8.78' }];
  const nodes = [
    new StandinNode(spec, options, undefined),
    new StandinNode({ ...spec, serial: 'another', interfaces: legs, legs }, options, undefined),
  ] as const;
  await Promise.all(nodes.map((n) => n.plug()));
  const follower = new FieldFollower(options.registryUrl, () => {});
  follower.start();
  await until(() => follower.snapshot().nodes.size === 2);
  const field = follower.snapshot();
  const same = new Map([...field.nodes].map(([id, n]) => [id, { ...n, node: { ...n.node, serial: 'P-1' } }]));
  const plan = startPlan();
  const both = bindDevices(plan, { ...field, nodes: same }, translation);
  expect([both.nodeByDevice.has('amp'), both.contested.get('amp')]).toEqual([
    false,
    { by: 'serial', value: 'P-1', nodeIds: nodes.map((n) => n.nodeId).sort() },
  ]);
  const byHand = apply(plan, { kind: 'change-device', deviceId: 'amp', change: { nodeId: nodes[0].nodeId } });
  const bound = bindDevices(byHand, { ...field, nodes: same }, translation);
  expect([bound.nodeByDevice.get('amp')?.node.id, bound.contested.size]).toEqual([nodes[0].nodeId, 0]);
  follower.stop();
  await Promise.all(nodes.map((n) => n.unplug()));
  await registry.stop();
});
