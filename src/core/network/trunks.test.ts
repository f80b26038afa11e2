import fc from 'fast-check';
import { PLAIN_LINK } from './links-table';
import { vlanTree, type Bridge, type Trunk } from './trunks';

const bridge = (deviceId: string, priority = 32_768): Bridge => ({
  deviceId,
  forwardingNs: 4000,
  spanningTree: true,
  priority,
});
const trunk = (index: number, a: number, b: number, bitsPerSecond = 1e9): Trunk => ({
  index,
  a,
  b,
  carries: null,
  links: [
    {
      id: `l${index}`,
      from: { deviceId: '', port: '' },
      to: { deviceId: '', port: '' },
      bitsPerSecond,
      metres: 1,
      ...PLAIN_LINK,
    },
  ],
});

describe('the spanning tree of a VLAN', () => {
  const three = [bridge('a'), bridge('b'), bridge('c')];

  test('a ring of three leaves the cable idle that is farthest from the root', () => {
    const tree = vlanTree(three, [trunk(0, 0, 1), trunk(1, 1, 2), trunk(2, 2, 0)]);
    expect([...tree.parent]).toEqual([-1, 0, 0]);
    expect(tree.idle.map((t) => t.index)).toEqual([1]);
  });

  test('the lowest priority becomes root, before the lowest id', () => {
    const tree = vlanTree(
      [bridge('a'), bridge('b'), bridge('c', 4096)],
      [trunk(0, 0, 1), trunk(1, 1, 2), trunk(2, 2, 0)],
    );
    expect([...tree.parent]).toEqual([2, 2, -1]);
  });

  test('a fast way round is shorter than a slow way straight', () => {
    // 100 Mb/s costs 200 000, 1 Gb/s 20 000 (IEEE 802.1D-2004).
    const tree = vlanTree(three, [trunk(0, 0, 1, 1e8), trunk(1, 1, 2), trunk(2, 2, 0)]);
    expect([...tree.parent]).toEqual([-1, 2, 0]);
    expect(tree.idle.map((t) => t.index)).toEqual([0]);
  });

  test('of two cables between the same switches that are not joined, the second stays idle', () => {
    const tree = vlanTree(three, [trunk(0, 0, 1), trunk(1, 0, 1), trunk(2, 1, 2)]);
    expect(tree.idle.map((t) => t.index)).toEqual([1]);
  });

  test('every part has one root, every switch of it a way there, and as many cables work as there are switches but the root', () => {
    const graphs = fc
      .integer({ min: 1, max: 12 })
      .chain((count) =>
        fc.tuple(
          fc.array(fc.constantFrom(4096, 32_768), { minLength: count, maxLength: count }),
          fc.array(fc.tuple(fc.nat(count - 1), fc.nat(count - 1), fc.constantFrom(1e8, 1e9, 1e10)), { maxLength: 30 }),
        ),
      );
    fc.assert(
      fc.property(graphs, ([priorities, edges]) => {
        const bridges = priorities.map((p, n) => bridge(String(n).padStart(2, '0'), p));
        const trunks = edges.filter(([a, b]) => a !== b).map(([a, b, speed], n) => trunk(n, a, b, speed));
        const tree = vlanTree(bridges, trunks);
        // Parts by flooding, independently.
        const part = bridges.map((_, n) => n);
        for (let changed = true; changed;) {
          changed = false;
          for (const t of trunks) {
            const low = Math.min(part[t.a]!, part[t.b]!);
            if (part[t.a] !== low || part[t.b] !== low) [part[t.a], part[t.b], changed] = [low, low, true];
          }
        }
        bridges.forEach((_, n) => {
          bridges.forEach((_, m) => expect(tree.root[n] === tree.root[m]).toBe(part[n] === part[m]));
          let at = n;
          for (let step = 0; tree.parent[at] !== -1; step += 1) {
            expect(step).toBeLessThan(bridges.length);
            at = tree.parent[at]!;
          }
          expect(at).toBe(tree.root[n]);
        });
        const roots = new Set(tree.root).size;
        expect(trunks.length - tree.idle.length).toBe(bridges.length - roots);
      }),
    );
  });
});
