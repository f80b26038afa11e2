import fc from 'fast-check';
import type { Subscription } from '../plan/subscriptions-table';
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
  expect([...wishes.byReceiver.keys()].sort()).toEqual([...all.keys()].sort());
  for (const [receiverId, wish] of wishes.byReceiver) {
    const own = everyone(all)
      .filter((s) => s.receiverDeviceId === receiverId)
      .sort(byChannel);
    expect(wish.lanes).toEqual(own);
    expect(wish.receiverChannels).toEqual(own.map((s) => s.receiverChannel));
    expect(wish.senderChannels).toEqual(own.map((s) => s.senderChannel));
    expect(wish.runs.map((r) => r.senderId)).toEqual([...new Set(own.map((s) => s.senderDeviceId))].sort());
    for (const [index, run] of wish.runs.entries()) {
      const lanes = own.filter((s) => s.senderDeviceId === run.senderId);
      expect([run.index, run.wish]).toEqual([index, wish]);
      expect(lanesOfRun(run)).toEqual(lanes);
      expect(senderChannelsOf(run)).toEqual(lanes.map((s) => s.senderChannel));
      expect(Array.from({ length: run.count }, (_, n) => own[placeInWish(run, n)])).toEqual(lanes);
      expect(run.highestSenderChannel).toBe(Math.max(...lanes.map((s) => s.senderChannel)));
      expect(run.highestReceiverChannel).toBe(Math.max(...lanes.map((s) => s.receiverChannel)));
      const heardOf = wishes.hearersBySender.get(run.senderId) ?? [];
      expect(heardOf.filter((r) => r.wish.receiverId === receiverId).map((r) => r === run)).toEqual([true]);
    }
  }
  const senders = [...new Set(everyone(all).map((s) => s.senderDeviceId))].sort();
  expect([...wishes.hearersBySender.keys()].sort()).toEqual(senders);
  for (const [senderId, hearers] of wishes.hearersBySender) {
    const heard = everyone(all).filter((s) => s.senderDeviceId === senderId);
    expect(hearers.map((run) => run.wish.receiverId).sort()).toEqual(
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
