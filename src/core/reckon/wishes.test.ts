import fc from 'fast-check';
import type { Subscription } from '../plan/subscriptions-table';
import { expectSame } from '../plan/test-same';
import { lanesOfRun, placeInWish, senderChannelsOf, wishesOf, type Wishes } from './wishes';

type Subscriptions = ReadonlyMap<string, ReadonlyMap<number, Subscription>>;

const ids = ['a', 'b', 'c', 'd'];
const subscription: fc.Arbitrary<Subscription> = fc.record({
  receiverDeviceId: fc.constantFrom(...ids),
  receiverChannel: fc.integer({ min: 1, max: 6 }),
  senderDeviceId: fc.constantFrom(...ids, 'nobody'),
  senderChannel: fc.integer({ min: 1, max: 9 }),
});
const subscriptions = fc.array(subscription, { maxLength: 30 }).map((all): Subscriptions => {
  const byReceiver = new Map<string, Map<number, Subscription>>();
  for (const s of all) {
    const own = byReceiver.get(s.receiverDeviceId) ?? new Map<number, Subscription>();
    byReceiver.set(s.receiverDeviceId, own.set(s.receiverChannel, s));
  }
  return byReceiver;
});

const everyone = (all: Subscriptions) => [...all.values()].flatMap((own) => [...own.values()]);
const byChannel = (a: Subscription, b: Subscription) => a.receiverChannel - b.receiverChannel;

/** That a receiver wishes just this, read one by one. */
function expectWishes(wishes: Wishes, all: Subscriptions): void {
  expectSame([...wishes.byReceiver.keys()].sort(), [...all.keys()].sort());
  for (const [receiverId, wish] of wishes.byReceiver) {
    const own = everyone(all)
      .filter((s) => s.receiverDeviceId === receiverId)
      .sort(byChannel);
    expectSame(wish.lanes, own);
    expectSame(
      wish.receiverChannels,
      own.map((s) => s.receiverChannel),
    );
    expectSame(
      wish.senderChannels,
      own.map((s) => s.senderChannel),
    );
    expectSame(
      wish.runs.map((r) => r.senderId),
      [...new Set(own.map((s) => s.senderDeviceId))].sort(),
    );
    for (const [index, run] of wish.runs.entries()) {
      const lanes = own.filter((s) => s.senderDeviceId === run.senderId);
      expectSame([run.index, run.wish], [index, wish]);
      expectSame(lanesOfRun(run), lanes);
      expectSame(
        senderChannelsOf(run),
        lanes.map((s) => s.senderChannel),
      );
      expectSame(
        Array.from({ length: run.count }, (_, n) => own[placeInWish(run, n)]),
        lanes,
      );
      expectSame(run.highestSenderChannel, Math.max(...lanes.map((s) => s.senderChannel)));
      expectSame(run.highestReceiverChannel, Math.max(...lanes.map((s) => s.receiverChannel)));
      const heardOf = wishes.receiversBySender.get(run.senderId) ?? [];
      expectSame(
        heardOf.filter((r) => r.wish.receiverId === receiverId).map((r) => r === run),
        [true],
      );
    }
  }
  const senders = [...new Set(everyone(all).map((s) => s.senderDeviceId))].sort();
  expectSame([...wishes.receiversBySender.keys()].sort(), senders);
  for (const [senderId, receivers] of wishes.receiversBySender) {
    const heard = everyone(all).filter((s) => s.senderDeviceId === senderId);
    expectSame(
      receivers.map((run) => run.wish.receiverId).sort(),
      [...new Set(heard.map((s) => s.receiverDeviceId))].sort(),
    );
  }
}

describe('who is to hear whom', () => {
  test('law: in columns and runs it is what the subscriptions say one by one', () => {
    fc.assert(
      fc.property(subscriptions, (all) => expectWishes(wishesOf({ subscriptions: all }, undefined), all)),
      { numRuns: 300 },
    );
  });

  test('law: after any changes it is the same, and what nobody touched is the same object', () => {
    fc.assert(
      fc.property(subscriptions, subscriptions, fc.subarray(ids), (first, second, touched) => {
        const before = wishesOf({ subscriptions: first }, undefined);
        const after = new Map(first);
        for (const id of touched) {
          const own = second.get(id);
          if (own === undefined) after.delete(id);
          else after.set(id, own);
        }
        const wishes = wishesOf({ subscriptions: after }, before);
        expectWishes(wishes, after);
        for (const [id, own] of after)
          if (first.get(id) === own) expect(wishes.byReceiver.get(id)).toBe(before.byReceiver.get(id));
        expectWishes(before, first);
      }),
      { numRuns: 300 },
    );
  });
});
