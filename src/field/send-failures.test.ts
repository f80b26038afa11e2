import { feed } from '../core/plan/test-plan';
import type { Command } from '../core/plan/commands';
import type { ChannelRef } from './send-plan';
import type { SendReport } from './send-report';
import { fieldAddress } from './binding';
import { FieldBench, layout, translation, until } from './test-bench';
import { portOf } from './test-port';

const NETWORK = {
  registry: { address: '127.99.7.2', port: portOf(18_892), expiryMs: 1200 },
  devicePort: portOf(18_092),
};

interface Case {
  readonly name: string;
  /** What was received is no more once the sender has gone over: a receiver that then fails stays silent, and the report says so. */
  readonly isInPlace: boolean;
  readonly start: readonly Command[];
  readonly change: readonly Command[];
}
const CASES: readonly Case[] = [
  {
    name: 'a stream laid out again in place, with two receivers',
    isInPlace: true,
    start: [feed('box', 1, 'amp', 1, 2), feed('box', 2, 'far', 1), layout(1, [1, 2])],
    change: [feed('box', 3, 'amp', 1), layout(1, [2, 3])],
  },
  {
    name: 'a receiver that goes over to another sender, and the old stream ends',
    isInPlace: false,
    start: [feed('box', 1, 'amp', 1, 2)],
    change: [feed('far', 5, 'amp', 1, 2)],
  },
  {
    name: 'one channel goes over, one goes, one stays, one comes',
    isInPlace: false,
    start: [feed('box', 1, 'amp', 1, 3)],
    change: [
      feed('far', 5, 'amp', 1),
      { kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 2 }] },
      feed('box', 8, 'amp', 4),
    ],
  },
];
const CHANNELS: readonly ChannelRef[] = [1, 2, 3, 4]
  .map((channel): ChannelRef => ({ deviceId: 'amp', channel }))
  .concat({ deviceId: 'far', channel: 1 });

describe('a send against devices that fail at each step, one after the other', () => {
  const bench = new FieldBench(NETWORK);
  beforeAll(() => bench.start());
  afterAll(() => bench.stop());

  const sounds = () => CHANNELS.map(({ deviceId, channel }) => bench.soundingFrom(deviceId, channel));
  const wanted = () =>
    CHANNELS.map(({ deviceId, channel }) => {
      const own = bench.plan.subscriptions.get(deviceId)?.get(channel);
      return own === undefined ? null : { deviceId: own.senderDeviceId, channel: own.senderChannel };
    });
  const failAt = (n: number, how: 'refused' | 'done-and-refused') => {
    let asked = 0;
    const trouble = () => ((asked += 1) === n ? how : null);
    for (const node of bench.nodes.values()) node.trouble = trouble;
    return () => {
      for (const node of bench.nodes.values()) node.trouble = null;
      return asked;
    };
  };
  /** Everything that was reported has been read. */
  const settled = () =>
    until(() =>
      CHANNELS.every(({ deviceId, channel }) => {
        const state = bench.stateOf(deviceId, channel);
        return state === undefined || state === 'carrying';
      }),
    );

  /** Everything is known as it is: a send that is planned on an older reading leaves on what it takes for off. */
  const allRead = () => {
    const { readings } = bench.follower.snapshot();
    const connections = [...bench.nodes.values()].flatMap((node) => node.memory().connections);
    return until(() => connections.every((c) => readings.get(c.id)?.active.isEnabled === c.active.master_enable));
  };

  /** What the plan says was sent is what the devices hold, wherever no device said that it failed. */
  function expectRecordHolds(report: SendReport): void {
    const failed = new Set(report.devices.filter((d) => d.failed.length > 0).map((d) => d.deviceId));
    const activeOf = (deviceId: string, kind: 'sender' | 'receiver') =>
      bench.nodes
        .get(deviceId)!
        .memory()
        .connections.filter((c) => c.kind === kind)
        .map((c) => c.active);
    for (const deviceId of bench.nodes.keys()) {
      if (failed.has(deviceId)) continue;
      const records = bench.plan.sentStreams.get(deviceId);
      for (const [index, active] of activeOf(deviceId, 'sender').entries()) {
        const record = records?.get(index + 1);
        expect(active.master_enable).toBe(record !== undefined);
        if (record === undefined) continue;
        const group = active.transport_params[0]?.['destination_ip'];
        expect(group).toBe(fieldAddress(record.groupA!, translation));
        for (const { deviceId: to, streamNumber } of record.receivers) {
          if (failed.has(to)) continue;
          const heard = activeOf(to, 'receiver')[streamNumber - 1]!;
          expect(heard.master_enable).toBe(true);
          expect(heard.transport_params[0]?.['multicast_ip']).toBe(group);
        }
      }
    }
  }

  test.each(CASES)(
    '$name',
    async ({ start, change, isInPlace }) => {
      const setUp = async () => {
        await allRead();
        bench.edit(
          { kind: 'unsubscribe', channels: CHANNELS },
          {
            kind: 'lay-out-streams',
            put: [],
            drop: [...(bench.plan.layouts.get('box')?.keys() ?? [])].map((streamNumber) => ({
              ...{ senderDeviceId: 'box', streamNumber },
            })),
          },
        );
        await bench.send(CHANNELS);
        await until(() => [...bench.follower.snapshot().readings.values()].every((r) => !r.active.isEnabled));
        bench.edit(...start);
        await bench.send(CHANNELS);
        await settled();
        expect(sounds()).toEqual(wanted());
        bench.edit(...change);
      };
      let writes = 1;
      for (const how of ['refused', 'done-and-refused'] as const) {
        for (let n = 1; n <= writes; n += 1) {
          await setUp();
          const before = sounds();
          const end = failAt(n, how);
          const report = await bench.send(CHANNELS);
          const asked = end();
          if (n === 1) writes = Math.max(writes, asked + 2);
          const after = sounds();
          const said = new Set(report.again.map((c) => `${c.deviceId}/${c.channel}`));
          const hasSenderFailed = report.devices.some((d) => d.deviceId === 'box' && d.failed.length > 0);
          const where = `${how}, request ${n}`;
          for (const [i, { deviceId, channel }] of CHANNELS.entries()) {
            const allowed = [before[i], wanted()[i]];
            if (isInPlace && !hasSenderFailed && said.has(`${deviceId}/${channel}`)) allowed.push(null);
            expect([where, deviceId, channel, allowed]).toContainEqual(expect.arrayContaining([after[i]]));
          }
          expectRecordHolds(report);
          // Sending what is left brings everything to where the plan wants it.
          await until(() => bench.follower.snapshot().channelMaps.size === 3);
          const again = await bench.send(CHANNELS);
          expect([where, again.devices.flatMap((d) => d.failed)]).toEqual([where, []]);
          await settled();
          expect([where, sounds()]).toEqual([where, wanted()]);
          expectRecordHolds(again);
        }
      }
    },
    120_000,
  );
});
