import { channelCount } from '../core/plan/plan';
import { choicesFrom, chosen } from '../core/plan/test-arbitrary';
import type { Command } from '../core/plan/commands';
import { planRepack } from '../core/reckon/repack-plan';
import { reckon } from '../core/reckon/reckon';
import { sendAgainstField } from './send-interrupts';
import { planSend, type ChannelRef } from './send-plan';
import { FieldBench, until } from './test-bench';
import { portOf } from './test-port';

const NETWORK = {
  registry: { address: '127.99.7.32', port: portOf(18_932), expiryMs: 1200 },
  devicePort: portOf(18_132),
};
const CHANNELS: readonly ChannelRef[] = [
  ...Array.from({ length: 8 }, (_, n) => ({ deviceId: 'amp', channel: n + 1 })),
  ...Array.from({ length: 8 }, (_, n) => ({ deviceId: 'far', channel: n + 1 })),
];
const ROUNDS = 24;
const keyOf = ({ deviceId, channel }: ChannelRef) => `${deviceId} ${channel}`;

describe('law: what plays and is in no list of interrupted lanes plays on, before, while and after a send', () => {
  const bench = new FieldBench(NETWORK);
  beforeAll(() => bench.start());
  afterAll(() => bench.stop());

  /** Everything that devices hold has been read. */
  const allRead = () =>
    until(() => {
      const { readings, channelMaps } = bench.follower.snapshot();
      return [...bench.nodes].every(([id, node]) => {
        const { connections, map } = node.memory();
        const found = bench.nodeOf(id);
        const known = channelMaps.get(found.device!.id)!;
        const isMapRead = Object.entries(map).every(([output, entries]) =>
          Object.entries(entries).every(([index, { input, channel_index }]) => {
            const now = known.active.get(output)?.get(Number(index));
            return (now?.input ?? null) === input && (now?.index ?? null) === channel_index;
          }),
        );
        return isMapRead && connections.every((c) => readings.get(c.id)?.active.isEnabled === c.active.master_enable);
      });
    });

  const edits = (next: () => number): Command[] => {
    const run = CHANNELS.filter(() => next() < 0.25);
    const sender = next() < 0.7 ? 'box' : 'far';
    const first = 1 + Math.floor(next() * 12);
    if (next() < 0.2) return run.length === 0 ? [] : [{ kind: 'unsubscribe', channels: run }];
    const subscriptions = run
      .filter((c) => c.deviceId !== sender)
      .map(({ deviceId, channel }, n) => ({
        ...{ receiverDeviceId: deviceId, receiverChannel: channel, senderDeviceId: sender },
        senderChannel: Math.min(channelCount(bench.plan, sender, 'send'), first + n),
      }));
    return subscriptions.length === 0 ? [] : [{ kind: 'subscribe', subscriptions }];
  };

  test('random edits, repackings and sends of some channels, listened to at every turn', async () => {
    const choices = choicesFrom(20_261);
    const next = () => choices.next().value;
    let [listened, interrupted] = [0, 0];
    for (let round = 0; round < ROUNDS; round += 1) {
      bench.edit(...edits(next), ...edits(next));
      if (next() < 0.3) {
        const search = planRepack(reckon(bench.plan), { mayInterrupt: true, goal: 'streams' });
        search.work(() => false);
        bench.edit(...search.commands());
      }
      const share = next();
      const picked = CHANNELS.filter(() => next() < share);
      const send = picked.length === 0 ? [chosen(CHANNELS, next())!] : picked;
      await allRead();
      const reckoning = reckon(bench.plan);
      const field = bench.follower.snapshot();
      const work = planSend(send, reckoning, field, bench.bindings());
      const { interrupts, alike } = sendAgainstField(work, reckoning, field, bench.bindings());
      const told = new Set(interrupts.flatMap((i) => i.channels.map((channel) => keyOf({ ...i, channel }))));
      const played = new Map(CHANNELS.map((c) => [keyOf(c), bench.soundingFrom(c.deviceId, c.channel)]));
      const isToPlayOn = CHANNELS.filter((c) => played.get(keyOf(c)) !== null && !told.has(keyOf(c)));
      const lost: string[] = [];
      const listen = () => {
        for (const c of isToPlayOn) {
          listened += 1;
          const now = bench.soundingFrom(c.deviceId, c.channel);
          const was = played.get(keyOf(c));
          if (now?.deviceId !== was?.deviceId || now?.channel !== was?.channel) lost.push(`${round}: ${keyOf(c)}`);
        }
      };
      let isListening = true;
      const loop = () => {
        listen();
        if (isListening) setTimeout(loop, 1);
      };
      loop();
      await bench.send(send);
      isListening = false;
      listen();
      expect([...new Set(lost)]).toEqual([]);
      interrupted += told.size;
      // What is reported as being so already is what the plan wants there.
      for (const [deviceId, channels] of alike) {
        for (const channel of channels) {
          const own = bench.plan.subscriptions.get(deviceId)?.get(channel);
          expect(played.get(keyOf({ deviceId, channel }))).toEqual({
            deviceId: own?.senderDeviceId,
            channel: own?.senderChannel,
          });
        }
      }
    }
    expect(listened).toBeGreaterThan(1000);
    expect(interrupted).toBeGreaterThan(20);
  }, 300_000);
});
