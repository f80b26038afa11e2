import { Socket } from 'node:dgram';
import { isDeepStrictEqual } from 'node:util';
import { atOnce } from '../core/plan/in-steps';
import { feed } from '../core/plan/test-plan';
import { skerryPoint } from '../demo/skerry-point';
import { fleetOfPlan } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { Registry } from '../registry/registry';
import { Announcer } from '../standins/announcer';
import { applyBatch, noteSent, openSession } from './edit';
import { savedResources } from './field-file';
import type { Author } from './messages';
import { dropIdle, IDLE_MS, sessionOf, watchCarrying } from './sessions';
import { demoPlan, removePlan, restorePlan } from './plans';
import { watchPlan } from './event-stream';
import { stopSending } from './field-to-tell';
import { previewSend, sendLanes } from './send-lanes';
import { closeServer, serverState } from './state';
import { Browser } from './test-browser';
import { until } from '../field/test-bench';
import { inServerFolders } from './test-server';
import { portOf } from '../field/test-port';

const ada: Author = { id: 'a', name: 'First engineer' };
const bo: Author = { id: 'b', name: 'Second engineer' };
const REGISTRY = { address: '127.99.7.1', port: portOf(18_890), expiryMs: 900 };
const REGISTRY_URL = `http://${REGISTRY.address}:${REGISTRY.port}`;

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

inServerFolders();

const edit = (planId: string, author: Author, title: string, channel: number) =>
  atOnce(
    applyBatch(planId, {
      baseRevision: sessionOf(planId)!.revision,
      title,
      commands: [feed('loft-console', channel, 'dome-amp-6', channel)],
      author,
    }),
  );

/** As after a send: the stage box was sent a stream. */
function markSent(planId: string): void {
  const format = { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 } as const;
  const stream = {
    senderDeviceId: 'wave-stage-box',
    streamNumber: 1,
    channels: [1],
    format,
    groupA: null,
    groupB: null,
  };
  const command = { kind: 'keep-sent-streams' as const, put: [{ ...stream, receivers: [] }], drop: [] };
  noteSent(openSession(planId), command, 'sent', ada);
}

describe('browsers that look at one plan', () => {
  test('are sent the revision, then every change with its author, whoever made it', () => {
    const { id } = demoPlan().plan;
    edit(id, ada, 'before anyone looks', 1);
    const first = new Browser(id, ada);
    const second = new Browser(id, bo);
    const hello = { revision: 1, now: expect.any(Number) as number };
    expect([first.hello, second.hello]).toEqual([hello, hello]);
    edit(id, bo, 'a second lane', 2);
    for (const browser of [first, second]) {
      expect(browser.changes).toEqual([
        expect.objectContaining({ revision: 2, kind: 'do', title: 'a second lane', author: bo }),
      ]);
    }
    second.leave();
    edit(id, ada, 'a third lane', 3);
    expect([first.changes.length, second.changes.length]).toEqual([2, 1]);
  });

  test('are sent who is there: a person with two windows once, and nobody who left', async () => {
    const { id } = demoPlan().plan;
    const first = new Browser(id, ada);
    const window = new Browser(id, ada);
    const second = new Browser(id, bo);
    await until(() => first.people.length === 2);
    expect(first.people).toEqual([ada, bo]);
    window.leave();
    await pause(200);
    expect(first.people).toEqual([ada, bo]);
    second.leave();
    await until(() => first.people.length === 1);
    expect(first.people).toEqual([ada]);
  });

  test('without a registry are sent that at once, and never anything of devices', async () => {
    const { id } = demoPlan().plan;
    const browser = new Browser(id, ada);
    edit(id, ada, 'a lane', 1);
    await pause(300);
    expect(browser.fields).toHaveLength(1);
    expect(browser.fields[0]).toEqual({ isFull: true, topics: {}, events: [] });
  });

  test('are sent announcements as they come and go, with addresses as the plan writes them, also without a registry', async () => {
    process.env['JADE_SAP'] = `127.99.7.1:${portOf(18_893)}`;
    process.env['JADE_TRANSLATE'] = '10.=127.';
    const { id } = demoPlan().plan;
    const browser = new Browser(id, ada);
    const places = () => [...browser.shown().announcementPlaces.values()];
    const sessions = () => [...browser.shown().sessions.values()];
    const announcer = new Announcer(
      {
        ...{ id: 'boat', name: 'Boat', address: '127.99.7.40' },
        format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
        streams: [{ channels: 2, group: '239.71.200.1' }],
      },
      { to: { address: '127.99.7.1', port: portOf(18_893) }, periodMs: 100 },
    );
    await until(() => places()[0]?.problem === null);
    announcer.plug();
    await until(() => sessions().length === 1);
    expect(sessions()[0]).toMatchObject({ origin: '10.99.7.40' });
    expect(sessions()[0]?.sdp).toContain('IN IP4 10.99.7.40');
    expect(sessions()[0]?.sdp).not.toContain('127.99');
    // Announced again and again it is no news each time.
    const count = browser.fields.length;
    const announced = jest.spyOn(Socket.prototype, 'send');
    await until(() => announced.mock.calls.length > 6);
    announced.mockRestore();
    expect(browser.fields.length - count).toBeLessThanOrEqual(1);
    announcer.unplug();
    await until(() => sessions().length === 0);
    await expect(savedResources(id)).rejects.toMatchObject({ status: 409, code: 'no-field' });
  });

  test('see nodes come, change and go by what is new; one that comes later sees the same at once', async () => {
    process.env['JADE_REGISTRY'] = REGISTRY_URL;
    process.env['JADE_TRANSLATE'] = '10.=127.';
    const registry = new Registry(REGISTRY);
    await registry.start();
    const spec = fleetOfPlan(skerryPoint()).find((s) => s.id === 'wave-stage-box')!;
    const legs = [{ name: 'A', address: '127.99.7.12' }];
    const borrowed = { ...spec, id: 'borrowed', name: 'Borrowed box', serial: 'unheard-of', interfaces: legs, legs };
    const [stageBox, stranger] = [spec, borrowed].map((s) => {
      const options = { port: portOf(18_091), registryUrl: REGISTRY_URL, heartbeatMs: 200, remember: () => {} };
      return new StandinNode(s, options, undefined);
    }) as [StandinNode, StandinNode];
    const { id } = demoPlan().plan;
    const early = new Browser(id, ada);
    try {
      await until(() => early.shown().registry.get('')?.isConnected === true);
      await stageBox.plug();
      await until(() => early.shown().devices.has('wave-stage-box'));
      await stranger.plug();
      await until(() => early.shown().unknown.size === 1);
      expect([...early.shown().unknown.values()].flat()).toMatchObject([
        { label: 'Borrowed box', serial: 'unheard-of' },
      ]);
      expect(early.fields.slice(1).every((m) => !m.isFull)).toBe(true);
      // One that comes later is sent everything at once; what devices still report meanwhile both are sent.
      const late = new Browser(id, bo);
      expect(late.fields[0]!.isFull).toBe(true);
      const isSame = () => isDeepStrictEqual(late.shown(), early.shown());
      await until(() =>
        [...early.shown().unknown.values()].flat().some((n) => n.streamsReceive === 4 && n.streamsSend === 4),
      );
      await until(isSame);
      await stageBox.unplug();
      await until(() => !early.shown().devices.has('wave-stage-box') && !('wave-stage-box' in late.shown().devices));
      await until(isSame);
      await registry.stop();
      await until(() => early.shown().registry.get('')?.isConnected === false);
      expect(early.shown().registry.get('')?.because).toBeTruthy();
    } finally {
      await Promise.all([stageBox.unplug(), stranger.unplug()]);
      await registry.stop();
    }
  });

  test('a plan that carries is watched with nobody looking: its journal says what happened, also after a restart', async () => {
    process.env['JADE_REGISTRY'] = REGISTRY_URL;
    process.env['JADE_TRANSLATE'] = '10.=127.';
    const registry = new Registry(REGISTRY);
    await registry.start();
    const spec = fleetOfPlan(skerryPoint()).find((s) => s.id === 'wave-stage-box')!;
    const options = { port: portOf(18_091), registryUrl: REGISTRY_URL, heartbeatMs: 200, remember: () => {} };
    const stageBox = new StandinNode(spec, options, undefined);
    const { id } = demoPlan().plan;
    markSent(id);
    const happened = () =>
      serverState()
        .events.latest(id, 10)
        .map((e) => e.happening['what']);
    try {
      await stageBox.plug();
      const session = sessionOf(id)!;
      const early = new Browser(id, ada);
      await until(() => early.shown().devices.has('wave-stage-box'));
      early.leave();
      expect([session.isLookedAt, happened()]).toEqual([false, []]);
      await stageBox.unplug();
      await until(() => happened().includes('devices-gone'));
      dropIdle(undefined, Date.now() + 2 * IDLE_MS);
      expect(sessionOf(id)).toBe(session);
      const [{ at } = { at: 0 }] = serverState().events.latest(id, 1);
      // The server starts again: the device is still gone, and since when.
      serverState().follower?.stop();
      closeServer();
      watchCarrying();
      const late = new Browser(id, bo);
      expect(late.shown().since.devices.get('wave-stage-box')).toBe(at);
      expect(late.shown().events).toMatchObject([{ what: 'devices-gone', deviceIds: ['wave-stage-box'], at }]);
      await stageBox.plug();
      await until(() => late.shown().events[0]?.what === 'devices-back');
      expect(late.shown().devices.has('wave-stage-box')).toBe(true);
    } finally {
      await stageBox.unplug();
      await registry.stop();
    }
  });

  test('a plan that carries nothing, or was put away, is dropped when nobody looked for long', () => {
    const { id } = demoPlan().plan;
    const session = sessionOf(id)!;
    const browser = new Browser(id, ada);
    dropIdle(undefined, Date.now() + 2 * IDLE_MS);
    expect(sessionOf(id)).toBe(session);
    browser.leave();
    dropIdle(undefined, Date.now() + 2 * IDLE_MS);
    const next = sessionOf(id)!;
    expect(next).not.toBe(session);
    markSent(id);
    expect(serverState().store.plansWith('sentStreams')).toEqual([id]);
    dropIdle(undefined, Date.now() + 2 * IDLE_MS);
    expect(sessionOf(id)).toBe(next);
    removePlan(id);
    expect(serverState().store.plansWith('sentStreams')).toEqual([]);
    dropIdle(undefined, Date.now() + 2 * IDLE_MS);
    expect(sessionOf(id)).not.toBe(next);
  });
});

describe('a send is noted before any device is sent it', () => {
  /** SQLite itself refuses to write, as on a disk that is read-only. */
  const shut = (isShut: boolean) => {
    const { $client } = (serverState().store as unknown as { db: { $client: { pragma: (text: string) => void } } }).db;
    $client.pragma(`query_only = ${isShut ? 'ON' : 'OFF'}`);
  };

  test('on a disk that takes nothing nothing is sent to a device; where it fails meanwhile the report comes all the same', async () => {
    process.env['JADE_REGISTRY'] = REGISTRY_URL;
    process.env['JADE_TRANSLATE'] = '10.=127.';
    const registry = new Registry(REGISTRY);
    await registry.start();
    const nodes = fleetOfPlan(skerryPoint())
      .filter((s) => s.id === 'loft-console' || s.id === 'dome-amp-6')
      .map((spec) => {
        const options = { port: portOf(18_091), registryUrl: REGISTRY_URL, heartbeatMs: 200, remember: () => {} };
        return new StandinNode(spec, options, undefined);
      });
    const { id } = demoPlan().plan;
    const channels = Array.from({ length: 8 }, (_, n) => ({ deviceId: 'dome-amp-6', channel: n + 1 }));
    for (const { channel } of channels) edit(id, ada, 'a lane', channel);
    const session = sessionOf(id)!;
    try {
      await Promise.all(nodes.map((n) => n.plug()));
      await until(() => serverState().follower!.snapshot().isConnected);
      await until(() => previewSend(id, channels).receivers.length === 1);
      await until(() => serverState().follower!.snapshot().channelMaps.size === 2);
      const told: string[] = [];

      shut(true);
      const refused = sendLanes(id, channels, ada, true, { tell: ({ kind }) => void told.push(kind) });
      await expect(refused).rejects.toMatchObject({ code: 'SQLITE_READONLY' });
      expect([told, session.plan.sentStreams.size, session.revision]).toEqual([[], 0, 8]);
      shut(false);

      let notedFirst = 0;
      const report = await sendLanes(id, channels, ada, true, {
        tell: ({ kind }) => {
          if (kind !== 'begun') return;
          notedFirst = serverState().store.load(id)!.plan.sentStreams.size;
          shut(true);
          for (const node of nodes) node.manner = 'refusing';
        },
      });
      expect(notedFirst).toBe(1);
      expect(report.devices.some((d) => d.failed.length > 0)).toBe(true);
      expect(report.notNoted).toContain('cannot be written to');
      shut(false);

      // Sent again with a disk that takes it, plan and report agree, also after a restart.
      for (const node of nodes) node.manner = 'sound';
      const again = await sendLanes(id, channels, ada, true);
      expect([again.notNoted, again.devices.flatMap((d) => d.failed)]).toEqual([null, []]);
      // One for later holds no device until then, is seen by everyone, and ends where it is cancelled or its plan is put away.
      const browser = new Browser(id, bo);
      for (const end of [() => void stopSending('a-later-send'), () => void removePlan(id)]) {
        const at = { atMs: Date.now() + 3_600_000, by: 'countdown' as const };
        const later = sendLanes(id, channels, ada, true, { id: 'a-later-send', at });
        await until(() => browser.timedSends.length === 1);
        expect(browser.timedSends).toMatchObject([{ id: 'a-later-send', author: ada, channels: 8 }]);
        expect((await sendLanes(id, channels, bo, true)).devices.flatMap((d) => d.failed)).toEqual([]);
        end();
        expect(await later).toMatchObject({ devices: [], notBegun: expect.arrayContaining(['dome-amp-6']) });
        await until(() => browser.timedSends.length === 0);
      }
      restorePlan(id);
      browser.leave();
      const kept = session.plan.sentStreams;
      closeServer();
      expect(sessionOf(id)!.plan.sentStreams).toEqual(kept);
    } finally {
      await Promise.all(nodes.map((n) => n.unplug()));
      await registry.stop();
    }
  });

  test('a plan that was removed is not sent, nor changed', async () => {
    const { id } = demoPlan().plan;
    removePlan(id);
    expect(() => edit(id, ada, 'a lane', 1)).toThrow('This plan was removed. Restore it to change it.');
    expect(() => sendLanes(id, [{ deviceId: 'dome-amp-6', channel: 1 }], ada, true)).toThrow('removed');
    restorePlan(id);
    edit(id, ada, 'a lane', 1);
  });
});

test('a listener to the field that fails is sent nothing more, and the others are', () => {
  const told: string[] = [];
  process.env['JADE_REGISTRY'] = REGISTRY_URL;
  const { onFieldNews, follower } = serverState();
  onFieldNews.add(() => {
    throw new Error('it fails');
  });
  onFieldNews.add(() => void told.push('news'));
  (follower as unknown as { onNews: (news: { nodes: Set<string> }) => void }).onNews({ nodes: new Set() });
  expect([told, onFieldNews.size]).toEqual([['news'], 1]);
});

test('a browser that does not read is let go at the limit, and nobody else', async () => {
  const { id } = demoPlan().plan;
  const session = sessionOf(id)!;
  const deaf = watchPlan(session, ada, new AbortController().signal, 3_000);
  const other = new Browser(id, bo);
  await until(() => other.people.length === 2);
  for (let n = 1; n <= 8; n += 1) edit(id, bo, `a lane ${'x'.repeat(180)}`, n);
  const reader = deaf.getReader();
  let bytes = 0;
  for (let part = await reader.read(); !part.done; part = await reader.read()) bytes += part.value.byteLength;
  expect(bytes).toBeLessThan(6_000);
  await until(() => other.people.length === 1);
  expect(other.changes.length).toBe(8);
});
