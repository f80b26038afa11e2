import type { Command } from '../core/plan/commands';
import { fieldPatchFindings } from '../core/findings/field-patches';
import { fixesFor } from '../core/findings/rules';
import { foundPatch, patchDifferences, type FoundPatch } from '../core/patch/patch-in-field';
import { modelOf } from '../core/plan/plan';
import { apply, feed, modelNamed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
import { planPatches, type PatchWork } from './patch-work';
import { sendPatches } from './send-patches';
import { NO_HOOKS, type SendHooks } from './send-report';
import { FieldBench, until } from './test-bench';
import { portOf } from './test-port';

const NETWORK = {
  registry: { address: '127.99.9.21', port: portOf(18_930), expiryMs: 1200 },
  devicePort: portOf(18_931),
};
/** A console, an amplifier, and in place of the stage box a recorder whose tracks are patched in blocks of eight. */
const MODELS = {
  box: modelNamed('recorder-96-blocks', { streamsReceive: 2, streamsSend: 2 }),
  amp: modelNamed('amp-8'),
  far: modelNamed('console-72', { streamsReceive: 4, streamsSend: 4 }),
};

describe('device patches, tried on stand-ins', () => {
  let bench: FieldBench;
  beforeEach(async () => {
    bench = new FieldBench(NETWORK, MODELS);
    await bench.startReading(2 + 2 + 4 + 4 + (MODELS.amp.streamsReceive ?? 0) + (MODELS.amp.streamsSend ?? 0));
  });
  afterEach(() => bench.stop());

  const patch = (deviceId: string, terminalId: string, channel: number, from: [string, number] | null): Command => ({
    kind: 'put-patch',
    patch: {
      ...{ deviceId, terminalId, channel, tap: null },
      from: from && { terminalId: from[0], channel: from[1] },
    },
  });
  const reported = (deviceId: string): FoundPatch => {
    const map = bench.follower.snapshot().channelMaps.get(bench.bindings().nodeByDevice.get(deviceId)!.device!.id)!;
    return foundPatch(map, modelOf(bench.plan, deviceId)!)!;
  };
  const differences = (deviceId: string) => patchDifferences(bench.plan, deviceId, reported(deviceId));
  const plan = (...deviceIds: string[]): PatchWork =>
    planPatches(
      deviceIds,
      bench.plan,
      reckon(bench.plan).signal,
      bench.follower.snapshot().channelMaps,
      bench.bindings(),
    );
  const sendAll = (hooks: SendHooks = NO_HOOKS, ...deviceIds: string[]) =>
    sendPatches(deviceIds, reckon(bench.plan), bench.follower, bench.bindings(), hooks);
  const inMap = (deviceId: string, terminalId: string, channel: number) =>
    bench.nodes.get(deviceId)!.memory().map[`to-${terminalId}`]![String(channel - 1)];

  test('a device is read, held against the plan, patched in one step, and read again', async () => {
    expect([differences('far'), differences('amp'), differences('box')]).toEqual([[], [], []]);
    bench.edit(
      patch('far', 'strips', 3, ['mic-in', 2]),
      patch('far', 'strips', 4, null),
      patch('far', 'monitor', 1, ['buses', 7]),
    );
    expect(differences('far')).toEqual([
      {
        terminalId: 'strips',
        channel: 3,
        planned: { terminalId: 'mic-in', channel: 2 },
        found: { terminalId: 'network-in', channel: 3 },
      },
      { terminalId: 'strips', channel: 4, planned: null, found: { terminalId: 'network-in', channel: 4 } },
      { terminalId: 'monitor', channel: 1, planned: { terminalId: 'buses', channel: 7 }, found: null },
    ]);
    const work = plan('far');
    // Nobody else changes: nothing has to be off meanwhile.
    expect(work).toMatchObject({ left: [], groups: [[{ deviceId: 'far', off: {}, exposed: [] }]] });
    const report = await sendAll(NO_HOOKS, 'far');
    expect(report.devices).toMatchObject([{ deviceId: 'far', done: ['patch-read', 'patch'], failed: [] }]);
    expect(inMap('far', 'strips', 3)).toEqual({ input: 'from-mic-in', channel_index: 1 });
    expect(inMap('far', 'monitor', 1)).toEqual({ input: 'from-buses', channel_index: 6 });
    await until(() => differences('far').length === 0);
    // Lanes go by the network channels as before, whatever else the channel map has.
    bench.edit(feed('far', 1, 'amp', 1, 2));
    expect((await bench.sendAll('amp', [1, 2])).devices.flatMap((d) => d.failed)).toEqual([]);
    await until(() => bench.stateOf('amp', 2) === 'carrying');
  });

  test('what the device does is found, and imported as it is', async () => {
    const node = bench.nodes.get('far')!;
    expect(node.repatch('strips', 5, { terminalId: 'mic-in', channel: 8 })).toBe(true);
    expect(node.repatch('line-out', 1, { terminalId: 'monitor', channel: 2 })).toBe(true);
    expect(node.repatch('strips', 5, { terminalId: 'buses', channel: 1 })).toBe(false);
    await until(() => differences('far').length === 2);
    const [finding] = fieldPatchFindings(bench.plan, new Map([['far', reported('far')]]));
    expect(finding).toMatchObject({ about: 'patch-differs', severity: 'caution', deviceIds: ['far'] });
    const [fix] = fixesFor(bench.plan, finding!);
    expect(fix).toMatchObject({ does: 'import-patch', channels: 2, left: 0 });
    bench.plan = apply(bench.plan, ...fix!.commands);
    expect(differences('far')).toEqual([]);
    expect(bench.plan.patches.get('far')!.get('strips/5')!.from).toEqual({ terminalId: 'mic-in', channel: 8 });
  });

  test('channels that would carry a wrong sound while another device changes are off meanwhile; a failure puts all of them back', async () => {
    // The amplifier receives the console's network outputs 1 and 2. Both change what they take: 1 becomes 2 here, and 2 becomes 1 there.
    bench.edit(feed('far', 1, 'amp', 1, 8));
    await bench.sendAll('amp', [1, 2, 3, 4, 5, 6, 7, 8]);
    bench.edit(patch('far', 'network-out', 1, ['buses', 9]), patch('amp', 'speaker-out', 1, ['network-in', 2]));
    const work = plan('far', 'amp');
    expect(work.groups.map((g) => g.map((d) => d.deviceId))).toEqual([['far', 'amp']]);
    expect(work.groups[0]![1]!.off).toEqual({ 'to-speaker-out': { '0': { input: null, channel_index: null } } });
    const before = JSON.stringify([bench.nodes.get('far')!.memory().map, bench.nodes.get('amp')!.memory().map]);
    // The amplifier takes channels off, and refuses to be patched.
    let asked = 0;
    bench.nodes.get('amp')!.trouble = ({ path }) => {
      if (!path.endsWith('/map/activations')) return null;
      asked += 1;
      return asked === 2 ? 'refused' : null;
    };
    const failed = await sendAll(NO_HOOKS, 'far', 'amp');
    expect([...failed.devices].sort((a, b) => (a.deviceId < b.deviceId ? -1 : 1))).toMatchObject([
      { deviceId: 'amp', done: ['patch-read', 'patch-off', 'patch-restore'], failed: [{ step: 'patch' }] },
      { deviceId: 'far', done: ['patch-read', 'patch', 'patch-restore'], failed: [] },
    ]);
    expect(JSON.stringify([bench.nodes.get('far')!.memory().map, bench.nodes.get('amp')!.memory().map])).toBe(before);
    bench.nodes.get('amp')!.trouble = null;
    const told: string[] = [];
    await sendAll(
      {
        ...NO_HOOKS,
        tell: ({ deviceId, step, is }) => is === 'done' && step !== 'patch-read' && told.push(`${deviceId} ${step}`),
      },
      'far',
      'amp',
    );
    expect(told).toEqual(['amp patch-off', 'far patch', 'amp patch']);
    expect([inMap('far', 'network-out', 1), inMap('amp', 'speaker-out', 1)]).toEqual([
      { input: 'from-buses', channel_index: 8 },
      { input: 'from-network-in', channel_index: 1 },
    ]);
  });

  test('blocks go whole, and what a device does not offer or let be fed is said and left', async () => {
    const block = (first: number) =>
      Array.from({ length: 8 }, (_, n) => patch('box', 'tracks', n + 1, ['network-in', first + n]));
    bench.edit(...block(9));
    expect((await sendAll(NO_HOOKS, 'box')).devices).toMatchObject([
      { deviceId: 'box', done: ['patch-read', 'patch'], failed: [] },
    ]);
    expect(inMap('box', 'tracks', 8)).toEqual({ input: 'from-network-in', channel_index: 15 });
    // The device refuses half a block, so it is not asked for one.
    expect(bench.nodes.get('box')!.repatch('tracks', 3, null)).toBe(false);
    await until(() => differences('box').length === 0);
    bench.edit(patch('box', 'tracks', 3, ['network-in', 80]));
    expect(plan('box')).toMatchObject({
      groups: [],
      left: [{ deviceId: 'box', channel: { terminalId: 'tracks', channel: 3 }, why: 'breaks-block' }],
    });
    bench.edit({ kind: 'change-device', deviceId: 'far', change: { isPatchForeign: true } });
    expect(plan('far', 'amp').left).toEqual([{ deviceId: 'far', channel: null, why: 'device-foreign' }]);
    // One whose terminals are not in its channel map.
    const renamed = modelNamed('amp-8', {
      terminals: MODELS.amp.terminals.map((t) => ({ ...t, name: `${t.name} x` })),
    });
    bench.edit({ kind: 'put-model', model: renamed });
    expect(plan('amp').left).toEqual([{ deviceId: 'amp', channel: null, why: 'not-offered' }]);
  });

  test('where one of a group does not answer, the others are not begun with: they would receive it as it was', async () => {
    bench.edit(feed('far', 1, 'amp', 1, 2));
    await bench.sendAll('amp', [1, 2]);
    bench.edit(patch('far', 'network-out', 2, ['buses', 9]), patch('amp', 'speaker-out', 1, ['network-in', 2]));
    bench.nodes.get('far')!.delayMs = 60_000;
    const report = await sendAll(NO_HOOKS, 'far', 'amp');
    bench.nodes.get('far')!.delayMs = 0;
    expect(report.notBegun).toEqual(['amp']);
    expect(report.devices.find((d) => d.deviceId === 'far')).toMatchObject({
      done: [],
      failed: [{ step: 'patch-read' }],
    });
    expect(inMap('amp', 'speaker-out', 1)).toEqual({ input: 'from-network-in', channel_index: 0 });
  });

  test('a send that is stopped begins with no more devices', async () => {
    bench.edit(patch('far', 'strips', 3, ['mic-in', 2]));
    const report = await sendAll({ ...NO_HOOKS, isStopped: () => true }, 'far');
    expect(report).toMatchObject({ devices: [], notBegun: ['far'] });
    expect(inMap('far', 'strips', 3)).toEqual({ input: 'from-network-in', channel_index: 2 });
  });
});
