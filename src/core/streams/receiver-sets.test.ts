import fc from 'fast-check';
import { ReceiversByChannel, indexesOf } from './receiver-sets';

/** By demand the channels that it names. */
const demands = fc.array(fc.array(fc.integer({ min: 1, max: 7 }), { maxLength: 9 }), { maxLength: 5 });

describe('channels by who demands them', () => {
  test('law: grouped by references they are grouped as by comparing who names each', () => {
    fc.assert(
      fc.property(demands, (all) => {
        const receivers = new ReceiversByChannel();
        all.forEach((channels, index) => {
          for (const channel of channels) receivers.add(channel, index);
        });
        const namers = (channel: number) =>
          all.flatMap((channels, index) => (channels.includes(channel) ? [index] : []));
        const wanted = [...new Set(all.flat())].sort((a, b) => a - b);
        const groups = new Map<string, number[]>();
        for (const channel of wanted) {
          const key = namers(channel).join();
          groups.set(key, [...(groups.get(key) ?? []), channel]);
        }
        expect(receivers.groups().map((g) => [indexesOf(g.set).join(), g.channels])).toEqual([...groups]);
        // Asked again it says the same.
        expect(receivers.groups().map((g) => g.channels)).toEqual([...groups.values()]);
        expect(receivers.entries().map(([channel, set]) => [channel, indexesOf(set)])).toEqual(
          wanted.map((channel) => [channel, namers(channel)]),
        );
      }),
      { numRuns: 300 },
    );
  });

  test('law: what is left in place of it takes its place', () => {
    fc.assert(
      fc.property(demands, demands, (first, second) => {
        const receivers = new ReceiversByChannel();
        first.forEach((channels, index) => channels.forEach((c) => receivers.add(c, index)));
        const left = new Map<number, number[]>();
        second.forEach((channels, index) => {
          for (const c of new Set(channels)) left.set(c, [...(left.get(c) ?? []), index]);
        });
        receivers.replace(left);
        const rising = [...left].sort(([a], [b]) => a - b);
        expect(receivers.entries().map(([channel, set]) => [channel, indexesOf(set)])).toEqual(rising);
      }),
    );
  });
});
