import fc from 'fast-check';
import { fixesFor } from '../findings/rules';
import type { Command } from '../plan/commands';
import { emptyPlan, type Plan } from '../plan/plan';
import { apply, deviceOf, modelNamed, planOf } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import { PLAIN_LINK } from './links-table';
import { PLAIN_SUBNET } from './subnets-table';
import { usualSwitchSettings } from './switch-settings';
import type { SwitchSettings } from './switches-table';
import { topologyOf } from './topology';
import { vlanTree, type Bridge, type Trunk } from './trunks';

const bridge = (deviceId: string, priority = 32_768): Bridge => ({
  deviceId,
  forwardingNs: 4000,
  spanningTree: true,
  spanningTrees: 'one',
  snoops: true,
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

/** Two switches joined by two cables, of which each carries another VLAN. */
function twoCables(change: Partial<SwitchSettings>) {
  const edge = modelNamed('edge-switch-24');
  const amp = modelNamed('amp-8');
  const vlan = (id: string, n: number): Command => ({
    kind: 'put-subnet',
    subnet: { id, name: id, cidr: `10.0.${n}.0/24`, vlan: n, role: 'A', ...PLAIN_SUBNET },
  });
  const cable = (id: string, port: string, subnetId: string): Command => ({
    kind: 'put-link',
    link: {
      id,
      from: { deviceId: 'one', port },
      to: { deviceId: 'two', port },
      bitsPerSecond: 1e9,
      metres: 10,
      ...PLAIN_LINK,
      carries: [subnetId],
    },
  });
  const plan = apply(
    planOf({ one: edge, two: edge }),
    vlan('red', 10),
    vlan('blue', 20),
    cable('red-cable', 'Uplink 1', 'red'),
    cable('blue-cable', 'Uplink 2', 'blue'),
    { kind: 'put-model', model: amp },
    ...(['red', 'blue'] as const).flatMap((subnetId, v) =>
      (['one', 'two'] as const).flatMap((switchId, n): Command[] => [
        { kind: 'add-device', device: deviceOf(`${subnetId}-${n}`, amp) },
        {
          kind: 'put-interface',
          interface: {
            deviceId: `${subnetId}-${n}`,
            name: 'A',
            subnetId,
            address: `10.0.${v === 0 ? 10 : 20}.${n + 1}`,
          },
        },
        {
          kind: 'put-link',
          link: {
            id: `${subnetId}-${n}`,
            from: { deviceId: `${subnetId}-${n}`, port: 'Media A' },
            to: { deviceId: switchId, port: `Port ${v + 1}` },
            bitsPerSecond: 1e9,
            metres: 1,
            ...PLAIN_LINK,
          },
        },
      ]),
    ),
    ...['one', 'two'].map((id): Command => ({
      kind: 'put-switch',
      settings: { ...usualSwitchSettings(id, edge, emptyPlan('').settings), ...change },
    })),
  );
  return plan;
}

describe('one spanning tree for all VLANs (IEEE 802.1Q clause 13)', () => {
  const idle = (plan: Plan, subnetId: string) => {
    const tree = topologyOf(plan).network.treeOf(subnetId);
    return { idle: tree.idle.flatMap((t) => t.links.map((l) => l.id)), meet: tree.root[0] === tree.root[1] };
  };

  test('of two cables that each carry another VLAN one stays idle, and its VLAN is cut', () => {
    const plan = twoCables({});
    expect(idle(plan, 'blue')).toEqual({ idle: [], meet: true });
    expect(idle(plan, 'red')).toEqual({ idle: ['red-cable'], meet: false });
    const finding = reckon(plan).findings.find((f) => f.about === 'vlan-cut')!;
    expect(finding).toMatchObject({
      severity: 'refusal',
      subnetIds: ['red'],
      linkIds: ['red-cable'],
      openLinkIds: ['blue-cable'],
      oneTreeIds: ['one', 'two'],
    });
    for (const fix of fixesFor(plan, finding)) {
      const mended = apply(plan, ...fix.commands);
      expect([fix.does, idle(mended, 'red').meet, idle(mended, 'blue').meet]).toEqual([fix.does, true, true]);
      expect(reckon(mended).findings.some((f) => f.about === 'vlan-cut')).toBe(false);
    }
  });

  test('a VLAN in which nobody is on one of the two sides is not missed there', () => {
    const plan = apply(twoCables({}), { kind: 'remove-device', deviceId: 'red-1' });
    expect(idle(plan, 'red').meet).toBe(false);
    expect(reckon(plan).findings.some((f) => f.about === 'vlan-cut')).toBe(false);
  });

  test.each(['several', 'per-vlan'] as const)('set to %s on all of them both cables stay open', (spanningTrees) => {
    const plan = twoCables({ spanningTrees });
    expect(['red', 'blue'].map((id) => idle(plan, id))).toEqual([
      { idle: [], meet: true },
      { idle: [], meet: true },
    ]);
    // One that lays a single tree lays it for all.
    const settings = { ...plan.switches.get('two')!, spanningTrees: 'one' as const };
    expect(idle(apply(plan, { kind: 'put-switch', settings }), 'red').meet).toBe(false);
  });

  test('without spanning tree nothing is idle that closes no ring in its VLAN', () => {
    const plan = twoCables({ spanningTree: false });
    expect(idle(plan, 'red').meet && idle(plan, 'blue').meet).toBe(true);
    expect(reckon(plan).findings.some((f) => f.about === 'loop')).toBe(false);
  });
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
