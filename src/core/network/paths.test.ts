import fc from 'fast-check';
import { generatePlan } from '../../demo/generate';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { modelOf, type Plan } from '../plan/plan';
import { choice, chosen } from '../plan/test-arbitrary';
import { apply } from '../plan/test-plan';
import { waitBehindFrameNs } from './link-cost';
import { KnownPaths, linksOver, ONE_CABLE, subnetOfStep, type Path } from './paths';
import { endAt, topologyOf, type End, type Topology } from './topology';
import type { Trunk } from './trunks';

const emptyPath = (fixedNs: number): Path => ({ ...ONE_CABLE, fixedNs });

test('law: what was put between two ends is found there, and nothing elsewhere', () => {
  const end = fc.integer({ min: 0, max: 300 });
  const put = fc.record({ first: end, last: end, isPath: fc.boolean() });
  fc.assert(
    fc.property(fc.array(put, { maxLength: 40 }), fc.array(fc.tuple(end, end), { maxLength: 20 }), (puts, others) => {
      const known = new KnownPaths();
      const expected = new Map<string, Path | null>();
      for (const [n, { first, last, isPath }] of puts.entries()) {
        const path = isPath ? emptyPath(n) : null;
        known.set(first, last, path);
        expected.set(`${first} ${last}`, path);
      }
      for (const [first, last] of [...others, ...puts.map((p) => [p.first, p.last] as const)])
        expect(known.get(first, last)).toBe(expected.get(`${first} ${last}`));
    }),
  );
});

/** The switches from one to another over the cables of a VLAN that are not idle, looked for step by step; null: they do not meet. */
function searched({ network }: Topology, subnetId: string, from: number, to: number): number[] | null {
  const { idle } = network.treeOf(subnetId);
  const carrying = network.trunks.filter((t) => !idle.includes(t) && (t.carries === null || t.carries.has(subnetId)));
  let fronts: number[][] = [[from]];
  const seen = new Set([from]);
  while (fronts.length > 0) {
    const there = fronts.find((way) => way[way.length - 1] === to);
    if (there !== undefined) return there;
    fronts = fronts.flatMap((way) => {
      const at = way[way.length - 1];
      const next = carrying.flatMap((t) => (t.a === at ? [t.b] : t.b === at ? [t.a] : []));
      return next.filter((s) => !seen.has(s) && seen.add(s)).map((s) => [...way, s]);
    });
  }
  return null;
}

/** As a packet goes: along the VLAN to each router of the route, and on from there in the next. */
function searchedOverRouters(
  topology: Topology,
  from: { readonly at: number; readonly subnetId: string },
  to: { readonly at: number; readonly subnetId: string },
) {
  const { network, routes } = topology;
  const route = routes.between('multicast', from.subnetId, to.subnetId);
  if (route === null) return null;
  const switches = [from.at];
  const subnets: string[] = [];
  const routers: number[] = [];
  let subnetId = from.subnetId;
  for (const step of [...route, null]) {
    const target = step === null ? to.at : network.indexOfSwitch.get(step.routerId);
    const part = target === undefined ? null : searched(topology, subnetId, switches.at(-1) as number, target);
    if (part === null) return null;
    for (const s of part.slice(1)) {
      switches.push(s);
      subnets.push(subnetId);
    }
    if (step === null) break;
    routers.push(switches.length - 1);
    subnetId = step.intoSubnetId;
  }
  return { switches, subnets, routers };
}

function expectPath(topology: Topology, path: Path, way: NonNullable<ReturnType<typeof searchedOverRouters>>): void {
  const { network } = topology;
  expect(path.switches).toEqual(way.switches);
  expect(path.routedAt).toEqual(way.routers);
  let fixedNs = 0;
  let nsPerBit = 0;
  for (const s of way.switches) fixedNs += network.bridges[s]?.forwardingNs ?? NaN;
  for (const [n, step] of path.steps.entries()) {
    const { a, b, links } = network.trunks[step >> 1] as Trunk;
    const ends = step % 2 === 0 ? [a, b] : [b, a];
    expect(ends).toEqual([way.switches[n], way.switches[n + 1]]);
    const [link] = links;
    fixedNs += waitBehindFrameNs(link?.bitsPerSecond ?? NaN) + 5 * (link?.metres ?? NaN);
    nsPerBit += 1e9 / (link?.bitsPerSecond ?? NaN);
  }
  expect(path.fixedNs).toBeCloseTo(fixedNs, 3);
  expect(path.nsPerBit).toBeCloseTo(nsPerBit, 9);
}

/** Where devices are plugged in, by both legs. */
function endsIn(plan: Plan, topology: Topology): End[] {
  const ends: End[] = [];
  for (const { id } of plan.devices.values()) {
    for (const port of modelOf(plan, id)?.ports ?? []) {
      const subnetId = port.role === 'switched' ? null : (plan.interfaces.get(id)?.get(port.role)?.subnetId ?? null);
      const end = subnetId === null ? null : endAt(topology, id, port.name, subnetId);
      if (end !== null) ends.push(end);
    }
  }
  return ends;
}

const isSwitch = (plan: Plan, id: string) => (modelOf(plan, id)?.switching ?? null) !== null;

/** A plan from which some cables between switches were taken. */
function withCut(plan: Plan, cut: readonly number[]): Plan {
  return cut.reduce((now, at) => {
    const trunks = [...now.links.values()].filter(
      (l) => isSwitch(now, l.from.deviceId) && isSwitch(now, l.to.deviceId),
    );
    const linkId = chosen(trunks, at)?.id;
    return linkId === undefined ? now : apply(now, { kind: 'remove-link', linkId });
  }, plan);
}

test('law: a path is the one that a search step by step finds, over routers too, and costs what its hops cost', () => {
  const seen = { routed: 0, apart: 0, along: 0 };
  const plans = fc.oneof(
    fc.constant(planOfFile(skerryPoint())),
    fc.integer({ min: 1, max: 30 }).map((seed) => planOfFile(generatePlan({ devices: 60, seed }))),
  );
  const pairs = fc.array(fc.tuple(choice, choice), { minLength: 10, maxLength: 30 });
  fc.assert(
    fc.property(plans, fc.array(choice, { maxLength: 3 }), pairs, (whole, cut, asked) => {
      const plan = withCut(whole, cut);
      const topology = topologyOf(plan);
      const ends = endsIn(plan, topology).filter((e) => e.stand >= 0);
      for (const [first, last] of asked) {
        const from = chosen(ends, first);
        const to = chosen(ends, last);
        if (from === undefined || to === undefined) continue;
        const path = topology.pathBetween(from.stand, to.stand, 'multicast');
        const place = ({ at, subnetId }: End) => ({ at: at.switchIndex, subnetId });
        const way = searchedOverRouters(topology, place(from), place(to));
        expect(path === null).toBe(way === null);
        // Asked again it is the same.
        expect(topology.pathBetween(from.stand, to.stand, 'multicast')).toBe(path);
        if (path === null || way === null) {
          seen.apart += 1;
          continue;
        }
        if (path.routedAt.length > 0) seen.routed += 1;
        if (path.steps.length > 0) seen.along += 1;
        expectPath(topology, path, way);
        expect(path.steps.map((_, n) => subnetOfStep(path, n, from.subnetId))).toEqual(way.subnets);
        // A stream runs once on each cable of each VLAN: the numbers tell just these apart.
        const told = path.steps.map((step, n) => `${step} ${way.subnets[n]}`);
        expect(new Set(path.vlanSteps).size).toBe(new Set(told).size);
      }
    }),
    { numRuns: 40 },
  );
  for (const count of Object.values(seen)) expect(count).toBeGreaterThan(10);
});

test('law: what a join tells of a way without making it is what the way says', () => {
  const wireBytes = fc.integer({ min: 84, max: 1538 });
  const plan = planOfFile(skerryPoint());
  const topology = topologyOf(plan);
  const ends = endsIn(plan, topology);
  fc.assert(
    fc.property(choice, choice, fc.constantFrom('unicast', 'multicast'), wireBytes, (first, last, kind, bytes) => {
      const from = chosen(ends, first) as End;
      const to = chosen(ends, last) as End;
      const join = topology.joinBetween(from, to, kind);
      const way = topology.wayBetween(from, to, kind);
      expect(linksOver(join)).toBe(way?.hops().links.length ?? 0);
      if (join === null || way === null) return;
      expect(topology.transitOver(join, from, to, bytes)).toBeCloseTo(way.fixedNs + way.nsPerBit * bytes * 8, 6);
    }),
    { numRuns: 300 },
  );
});

test('two devices on one cable are joined by it alone', () => {
  const plan = planOfFile(skerryPoint());
  const topology = topologyOf(plan);
  const end = endsIn(plan, topology)[0] as End;
  expect(topology.joinBetween(end, end, 'multicast')).toBe(ONE_CABLE);
  expect([linksOver(ONE_CABLE), linksOver(null)]).toEqual([1, 0]);
});
