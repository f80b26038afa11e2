import fc from 'fast-check';
import { mixOf, NOBODY } from './device-part';
import type { SignalGraph } from './graph';
import { roundOf, walkBack } from './loops';

/** By node what feeds it: nothing, one, or a list. Nodes of one device, as far as a walk can tell. */
type Feeds = readonly (readonly number[])[];

const feeds: fc.Arbitrary<Feeds> = fc.integer({ min: 1, max: 12 }).chain((size) =>
  fc.array(fc.oneof(fc.constant([]), fc.uniqueArray(fc.nat(size - 1), { minLength: 1, maxLength: 4 })), {
    minLength: size,
    maxLength: size,
  }),
);

/** Lists count from a first node; those that are alike and follow one another are one, as those of a matrix. */
function graphOf(all: Feeds, base: number): SignalGraph {
  const lists: (readonly number[])[] = [];
  const sameList: number[] = [];
  const feeders = all.map((from) => {
    if (from.length === 0) return NOBODY;
    if (from.length === 1) return from[0] as number;
    const list = from.map((node) => node - base);
    const last = lists[lists.length - 1];
    const isSame = last?.join() === list.join();
    sameList.push(isSame ? (sameList[sameList.length - 1] as number) : lists.length);
    lists.push(isSame ? last : list);
    return mixOf(lists.length - 1);
  });
  return {
    size: all.length,
    feeders: Int32Array.from(feeders),
    lists,
    listBase: new Int32Array(lists.length).fill(base),
    sameList: Int32Array.from(sameList),
  } as unknown as SignalGraph;
}

const isFed = (all: Feeds, node: number) => (all[node] as readonly number[]).length > 0;

/** Every node that can be heard at one, by looking again and again. */
function heardBy(all: Feeds, node: number): Set<number> {
  const heard = new Set<number>();
  const left = [...(all[node] as readonly number[])];
  for (let from = left.pop(); from !== undefined; from = left.pop()) {
    if (heard.has(from)) continue;
    heard.add(from);
    left.push(...(all[from] as readonly number[]));
  }
  return heard;
}

function groupsOf(all: Feeds, nodes: Iterable<number>): number[][] {
  const groups = new Map<string, number[]>();
  for (const node of nodes) {
    const heard = heardBy(all, node);
    if (!heard.has(node)) continue;
    const group = [...heard].filter((other) => heardBy(all, other).has(node)).sort((a, b) => a - b);
    groups.set(group.join(), group);
  }
  return [...groups.values()].sort((a, b) => (a[0] as number) - (b[0] as number));
}

describe('a walk back from channels through all that they hear', () => {
  test('law: finds the groups that hear themselves, and an order in which what is fed comes after its feeders', () => {
    fc.assert(
      fc.property(feeds, fc.integer({ min: -3, max: 3 }), (all, base) => {
        const graph = graphOf(all, base);
        for (const round of [1, 2]) {
          const { groups, order } = walkBack(graph, 'all');
          expect([round, groups]).toEqual([round, groupsOf(all, all.keys())]);
          expect([...order].sort((a, b) => a - b)).toEqual([...all.keys()].filter((node) => isFed(all, node)));
          const place = new Map([...order].map((node, n) => [node, n] as const));
          const groupOf = (node: number) => groups.findIndex((g) => g.includes(node));
          for (const [node, from] of all.entries()) {
            for (const feeder of from) {
              if (groupOf(node) >= 0 && groupOf(node) === groupOf(feeder)) continue;
              if (isFed(all, feeder)) expect(place.get(feeder)).toBeLessThan(place.get(node) as number);
            }
          }
        }
      }),
      { numRuns: 500 },
    );
  });

  test('law: from some of them it walks just what these hear and anything feeds', () => {
    fc.assert(
      fc.property(feeds, fc.array(fc.nat(11), { maxLength: 3 }), (all, some) => {
        const starts = some.filter((node) => node < all.length);
        const reached = new Set(
          starts.flatMap((node) => [node, ...heardBy(all, node)]).filter((node) => isFed(all, node)),
        );
        const { groups, order } = walkBack(graphOf(all, 0), starts);
        expect([...order].sort((a, b) => a - b)).toEqual([...reached].sort((a, b) => a - b));
        expect(groups).toEqual(groupsOf(all, reached));
      }),
      { numRuns: 300 },
    );
  });

  test('law: a round of a group runs from one to the next and back to its first', () => {
    fc.assert(
      fc.property(feeds, (all) => {
        const graph = graphOf(all, 0);
        for (const group of walkBack(graph, 'all').groups) {
          const round = roundOf(graph, group);
          expect(round[0]).toBe(group[0]);
          expect(new Set(round).size).toBe(round.length);
          round.forEach((node, n) => expect(all[round[(n + 1) % round.length] as number]).toContain(node));
        }
      }),
    );
  });
});
