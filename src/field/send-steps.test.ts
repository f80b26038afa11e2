import { feed } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
import { planSend } from './send-plan';
import { send } from './send';
import { layout, READINGS, until, benchForEach } from './test-bench';
import type { SendProgress } from './send-report';
import { portOf } from './test-port';

const REGISTRY = { address: '127.99.9.7', port: portOf(18_883), expiryMs: 1200 };
const PORT = portOf(18_082);
const NETWORK = { registry: REGISTRY, devicePort: PORT };

describe('a send, step by step, and what stops it', () => {
  const { bench, bindings, stateOf, sounding, edit, sendAll } = benchForEach(NETWORK);

  test.each([
    ['under its own number', 1],
    ['under another number', 2],
  ])(
    'a stream laid out again %s takes all its receivers over, and at no moment does a wrong channel sound',
    async (_, streamNumber) => {
      edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 1));
      edit(layout(1, [1, 2]));
      await sendAll('amp', [1, 2]);
      await sendAll('far', [1]);
      await until(() => stateOf('amp', 2) === 'carrying' && stateOf('far', 1) === 'carrying');
      expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([1, 2, 2]);

      // Channel 2 moves from the second position to the first, and channel 3 comes to stand where it was.
      edit(feed('box', 3, 'amp', 1));
      if (streamNumber !== 1)
        edit({ kind: 'lay-out-streams', put: [], drop: [{ senderDeviceId: 'box', streamNumber: 1 }] });
      edit(layout(streamNumber, [2, 3]));
      const heard = { amp1: new Set<number | null>(), amp2: new Set<number | null>(), far1: new Set<number | null>() };
      const listen = () => {
        heard.amp1.add(sounding('amp', 1));
        heard.amp2.add(sounding('amp', 2));
        heard.far1.add(sounding('far', 1));
      };
      let isListening = true;
      const loop = () => {
        listen();
        if (isListening) setImmediate(loop);
      };
      loop();
      await sendAll('amp', [1, 2]);
      if (streamNumber !== 1) {
        // The old stream goes on for those who were not chosen, until they go over too.
        expect(sounding('far', 1)).toBe(2);
        await sendAll('far', [1]);
      }
      isListening = false;
      listen();
      expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([3, 2, 2]);
      expect([...heard.amp1].filter((c) => c !== null && c !== 1 && c !== 3)).toEqual([]);
      expect([...heard.amp2].filter((c) => c !== null && c !== 2)).toEqual([]);
      expect([...heard.far1].filter((c) => c !== null && c !== 2)).toEqual([]);
      await until(() => stateOf('amp', 1) === 'carrying' && stateOf('far', 1) === 'carrying');
      expect(
        [...(bench().plan.sentStreams.get('box')?.values() ?? [])].map((s) => [s.streamNumber, s.channels]),
      ).toEqual([[streamNumber, [2, 3]]]);
    },
  );

  const relaid = async () => {
    edit(feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 1), layout(1, [1, 2]));
    await sendAll('amp', [1, 2]);
    await sendAll('far', [1]);
    await until(() => stateOf('amp', 2) === 'carrying' && stateOf('far', 1) === 'carrying');
    edit(feed('box', 3, 'amp', 1), layout(1, [2, 3]));
  };

  test('each step of each device is reported as it begins and as it ends, in the order in which they are done', async () => {
    edit(feed('box', 5, 'amp', 1, 2));
    const told: SendProgress[] = [];
    await sendAll('amp', [1, 2], true, { tell: (p) => told.push(p), isStopped: () => false });
    expect(told.map((p) => `${p.deviceId} ${p.step} ${p.is}`)).toEqual([
      'box sender-map begun',
      'box sender-map done',
      'box sender begun',
      'box sender done',
      'amp receiver-map begun',
      'amp receiver-map done',
      'amp receiver begun',
      'amp receiver done',
      'amp receiver-map begun',
      'amp receiver-map done',
    ]);
  });

  test('a send that is stopped at once touches nothing and says what is still to do', async () => {
    edit(feed('box', 5, 'amp', 1, 2));
    const report = await sendAll('amp', [1, 2], true, { tell: () => {}, isStopped: () => true });
    expect(report.devices).toEqual([]);
    expect(report.put).toEqual([]);
    expect([...report.notBegun].sort()).toEqual(['amp', 'box']);
    expect(report.again).toEqual([
      { deviceId: 'amp', channel: 1 },
      { deviceId: 'amp', channel: 2 },
    ]);
    expect(sounding('amp', 1)).toBeNull();
    // What is left is sent by the same means.
    await sendAll(
      'amp',
      report.again.map((c) => c.channel),
    );
    await until(() => stateOf('amp', 2) === 'carrying');
  });

  test('stopped when receivers have been taken off: they are brought to their end, nobody stays silent', async () => {
    await relaid();
    let isStopped = false;
    const report = await sendAll('amp', [1, 2], true, {
      tell: ({ step, is }) => {
        // Before the second of them has been taken off.
        if (step === 'receiver-map' && is === 'begun') isStopped = true;
      },
      isStopped: () => isStopped,
    });
    expect(report.notBegun).toEqual([]);
    expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([3, 2, 2]);
  });

  test('stopped between senders and receivers: what carries goes on carrying, and the plan notes only what was sent', async () => {
    edit(feed('box', 1, 'amp', 1));
    await sendAll('amp', [1]);
    await until(() => stateOf('amp', 1) === 'carrying');
    edit(feed('far', 1, 'amp', 2));
    let isStopped = false;
    const report = await sendAll('amp', [1, 2], true, {
      tell: ({ deviceId, step, is }) => {
        if (deviceId === 'far' && step === 'sender' && is === 'done') isStopped = true;
      },
      isStopped: () => isStopped,
    });
    expect(report.notBegun).toEqual(['amp']);
    expect(sounding('amp', 1)).toBe(1);
    const noted = [...(bench().plan.sentStreams.get('far')?.values() ?? [])];
    expect(noted.map((s) => s.receivers)).toEqual([[]]);
    expect(report.again.map((c) => c.channel)).toEqual([1, 2]);
  });

  test('a stream is not laid out again under its number while one that receives it is away: it would come back to wrong channels', async () => {
    await relaid();
    await bench().nodes.get('far')!.unplug();
    await until(() => !bindings().nodeByDevice.has('far'));
    const report = await sendAll('amp', [1, 2]);
    expect(report.left.filter((l) => l.deviceId === 'amp').map((l) => l.why)).toEqual([
      'receiver-away',
      'receiver-away',
    ]);
    expect([sounding('amp', 1), sounding('amp', 2)]).toEqual([1, 2]);
    await bench().nodes.get('far')!.plug();
    await until(() => stateOf('far', 1) !== 'waiting' && bindings().nodeByDevice.has('far'));
    expect(sounding('far', 1)).toBe(2);
    await until(
      () =>
        bench().follower.snapshot().readings.size === READINGS && bench().follower.snapshot().channelMaps.size === 3,
    );
    await until(() => bindings().nodeByDevice.get('far')?.receivers.length === 4);
    const again = await sendAll('amp', [1, 2]);
    expect(again).toMatchObject({ left: [] });
    expect(again.devices.flatMap((d) => d.failed)).toEqual([]);
    expect([sounding('amp', 1), sounding('amp', 2), sounding('far', 1)]).toEqual([3, 2, 2]);
  });

  test('nor where one that receives it does not answer: the sender is left as it is, and the report says so', async () => {
    await relaid();
    bench().nodes.get('far')!.delayMs = 4000;
    const report = await sendAll('amp', [1, 2]);
    bench().nodes.get('far')!.delayMs = 0;
    const failed = report.devices.flatMap((d) => d.failed.map((f) => `${d.deviceId} ${f.step}`));
    expect(failed).toEqual(expect.arrayContaining(['far receiver-map', 'box sender']));
    expect(report.put).toEqual([]);
    expect(sounding('far', 1)).toBe(2);
    // The one that was taken off already receives again what it received before.
    expect(sounding('amp', 1)).toBe(1);
  });

  test('a channel that the plan cleared but its device still receives is taken off with the others', async () => {
    await relaid();
    edit({ kind: 'unsubscribe', channels: [{ deviceId: 'far', channel: 1 }] });
    await sendAll('amp', [1, 2]);
    expect([sounding('amp', 1), sounding('far', 1)]).toEqual([3, null]);
  });

  test('a stream of a receiver that becomes another takes along all the channels that it feeds', async () => {
    edit(feed('box', 1, 'amp', 1, 2), layout(1, [1, 2]));
    await sendAll('amp', [1, 2]);
    await until(() => stateOf('amp', 2) === 'carrying');
    edit({ kind: 'lay-out-streams', put: [], drop: [{ senderDeviceId: 'box', streamNumber: 1 }] }, layout(2, [2, 1]));
    await sendAll('amp', [1]);
    expect([sounding('amp', 1), sounding('amp', 2)]).toEqual([1, 2]);
    expect([...(bench().plan.sentStreams.get('box')?.keys() ?? [])]).toEqual([2]);
  });

  test('a device that answers too late is reported, with what was done elsewhere, and nothing is noted as sent', async () => {
    edit(feed('box', 1, 'amp', 1));
    bench().nodes.get('box')!.delayMs = 5000;
    const report = await sendAll('amp', [1]);
    const failed = report.devices.find((d) => d.deviceId === 'box')!.failed;
    expect(failed[0]).toMatchObject({ step: 'sender-map', failure: { kind: 'timeout' } });
    expect(report.put).toEqual([]);
    expect(stateOf('amp', 1)).toBe('planned');
    bench().nodes.get('box')!.delayMs = 0;
  }, 15_000);

  test('one that is busy for long with a request is not undone meanwhile: what it has after ten seconds counts', async () => {
    edit(feed('box', 1, 'amp', 1));
    const [box, amp] = [bench().nodes.get('box')!, bench().nodes.get('amp')!];
    box.busyMs = 4000;
    amp.busyMs = 60_000;
    const report = await sendAll('amp', [1]);
    box.busyMs = 0;
    amp.busyMs = 0;
    expect(report.devices.flatMap((d) => d.failed)).toEqual([]);
    expect(report.put).toHaveLength(1);
    await until(() => stateOf('amp', 1) === 'carrying');
    expect(sounding('amp', 1)).toBe(1);
  }, 60_000);

  test('a device that goes away during a send is reported, and the others are still sent theirs', async () => {
    edit(feed('box', 1, 'amp', 1), feed('far', 1, 'amp', 2));
    const reckoning = reckon(bench().plan);
    const work = planSend(
      [1, 2].map((channel) => ({ deviceId: 'amp', channel })),
      reckoning,
      bench().follower.snapshot(),
      bindings(),
    );
    await bench().nodes.get('box')!.unplug();
    const report = await send(work, reckoning, bench().follower, bindings(), { start: true });
    expect(report.devices.find((d) => d.deviceId === 'box')!.failed[0]!.failure.kind).toBe('unreachable');
    expect(report.put.map((s) => s.senderDeviceId)).toEqual(['far']);
    edit({ kind: 'keep-sent-streams', put: report.put, drop: report.drop });
    await until(() => stateOf('amp', 2) === 'carrying');
  });
});
