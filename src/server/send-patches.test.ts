import { serve } from './requests/serve';
import { skerryPoint } from '../demo/skerry-point';
import { Registry } from '../registry/registry';
import { fleetOfPlan } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { demoPlan, removePlan } from './plans';
import { previewPatches, sendDevicePatches } from './send-patches';
import { serverState } from './state';
import { until } from '../field/test-bench';
import { inServerFolders } from './test-server';
import { portOf } from '../field/test-port';

const REGISTRY = { address: '127.99.7.11', port: portOf(18_895), expiryMs: 900 };
const URL_OF_REGISTRY = `http://${REGISTRY.address}:${REGISTRY.port}`;

inServerFolders();

const asked = (path: string, planId: string, body: unknown, accept = 'application/json') =>
  serve(
    new Request(`http://127.0.0.1/api/plans/${planId}/${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', accept },
      body: JSON.stringify(body),
    }),
  );
const [preview, send] = ['send-patches/preview', 'send-patches'];
const console1 = 'loft-console';
const author = { id: 'someone', name: 'Someone' };

test('a console is previewed, patched as planned, reported line by line, and then there is nothing left to send', async () => {
  process.env['JADE_REGISTRY'] = URL_OF_REGISTRY;
  process.env['JADE_TRANSLATE'] = '10.=127.';
  const registry = new Registry(REGISTRY);
  await registry.start();
  const spec = fleetOfPlan(skerryPoint()).find((s) => s.id === console1)!;
  const options = { port: portOf(18_096), registryUrl: URL_OF_REGISTRY, heartbeatMs: 200, remember: () => {} };
  const node = new StandinNode(spec, options, undefined);
  node.repatch('strips', 24, { terminalId: 'mic-in', channel: 8 });
  const { id } = demoPlan().plan;
  try {
    await node.plug();
    await until(() => serverState().follower!.snapshot().channelMaps.size === 1);
    const before = (await (await asked(preview, id, { deviceIds: [console1, 'dome-amp-6'] })).json()) as unknown;
    expect(before).toMatchObject({
      devices: [
        {
          deviceId: console1,
          changes: [{ terminalId: 'strips', channel: 24, planned: { terminalId: 'network-in', channel: 24 } }],
          off: 0,
          exposed: [],
        },
      ],
      left: [{ deviceId: 'dome-amp-6', channel: null, why: 'device-missing' }],
    });
    const answer = await asked(send, id, { deviceIds: [console1], author }, 'application/x-ndjson');
    const lines = (await answer.text())
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as { kind: string; step?: string; is?: string });
    expect(lines.map((l) => [l.kind, l.step, l.is].filter(Boolean).join(' '))).toEqual([
      ...['begun', 'progress patch-read begun', 'progress patch-read done'],
      ...['progress patch begun', 'progress patch done', 'ended'],
    ]);
    expect(node.memory().map['to-strips']!['23']).toEqual({ input: 'from-network-in', channel_index: 23 });
    expect(serverState().store.entriesSince(id, 0)).toEqual([
      expect.objectContaining({ title: 'Patch sent to Loft console', authorName: 'Someone', isUndoable: false }),
    ]);
    await until(() => previewPatches(id, [console1]).devices.length === 0);
    expect(await sendDevicePatches(id, [console1], author)).toMatchObject({
      devices: [{ done: ['patch-read'] }],
      notBegun: [],
    });
  } finally {
    await node.unplug();
    await registry.stop();
  }
});

test('bad requests are refused with their place, and nothing is sent: no ids, a strange device, no field, a plan that was removed', async () => {
  const { id } = demoPlan().plan;
  const problemOf = async (path: string, body: unknown) => {
    const answer = await asked(path, id, body);
    return [answer.status, ((await answer.json()) as { error: { field: string | null } }).error.field];
  };
  for (const [path, who] of [
    [preview, {}],
    [send, { author }],
  ] as const) {
    expect(await problemOf(path, who)).toEqual([400, 'deviceIds']);
    expect(await problemOf(path, { ...who, deviceIds: [] })).toEqual([400, 'deviceIds']);
    expect(await problemOf(path, { ...who, deviceIds: ['../etc'] })).toEqual([400, 'deviceIds']);
    expect(await problemOf(path, { ...who, deviceIds: [console1], start: true })).toEqual([400, 'start']);
    // No registry is set up.
    expect((await problemOf(path, { ...who, deviceIds: [console1] }))[0]).toBe(409);
  }
  expect(await problemOf(send, { deviceIds: [console1] })).toEqual([400, 'author']);
  removePlan(id);
  expect(() => sendDevicePatches(id, [console1], author)).toThrow('This plan was removed. Restore it to change it.');
});
