import fc from 'fast-check';
import { brokenPlan } from '../plan/test-breaks';
import { planOfFile } from '../formats/plan-file';
import { streamsOn } from '../findings/loads';
import { generatePlan } from '../../demo/generate';
import { skerryPoint } from '../../demo/skerry-point';
import { apply, deviceOf, feed, modelNamed, planOf } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import { PLAIN_LINK, type Link } from './links-table';
import { PLAIN_SUBNET } from './subnets-table';
import type { Command } from '../plan/commands';
import { reckon } from '../reckon/reckon';
import type { Reckoning } from '../reckon/reckoning';
import { streamSum } from '../streams/wire';
import { busiestOf, endsOf, subnetOfPort, totalBitsPerSecond } from './loads';

/**
 * The same loads the slow way: for every stream, leg and receiver walk the drawing cable by cable, VLAN by VLAN, and put
 * the stream on each directed cable once per VLAN. Knows nothing of trees, trunks or memos; rings are not for it.
 */
function slowLoads(reckoning: Reckoning): Map<string, number> {
  const { plan } = reckoning;
  const isSwitch = (id: string) => plan.models.get(plan.devices.get(id)!.modelId)!.switching !== null;
  const cablesAt = new Map<string, Link[]>();
  for (const link of plan.links.values()) {
    for (const end of [link.from, link.to]) {
      cablesAt.set(end.deviceId, [...(cablesAt.get(end.deviceId) ?? []), link]);
    }
  }
  const far = (link: Link, id: string) => (link.from.deviceId === id ? link.to : link.from);
  const passes = (link: Link, subnetId: string) => link.carries === null || link.carries.includes(subnetId);
  /** Depth first over switches; the drawing has no rings, so the first way found is the only one. */
  const walk = (from: string, to: string, subnetId: string, came: string | null): string[] | null => {
    if (from === to) return [from];
    for (const link of cablesAt.get(from) ?? []) {
      const next = far(link, from).deviceId;
      if (!isSwitch(next) || next === came || !passes(link, subnetId)) continue;
      const rest = walk(next, to, subnetId, from);
      if (rest !== null) return [from, link.id, ...rest];
    }
    return null;
  };
  const routersIn = (subnetId: string) =>
    [...plan.interfaces].filter(([, own]) => own.has(`routed:${subnetId}`)).map(([id]) => id);
  const loads = new Map<string, number>();
  for (const stream of [...reckoning.streamsBySender.values()].flat()) {
    const { bitsPerSecond } = streamSum(stream.width, stream.format);
    for (const leg of stream.legs) {
      const seen = new Set<string>();
      const socket = (id: string) => {
        const port = plan.models.get(plan.devices.get(id)!.modelId)!.ports.find((p) => p.role === leg);
        const link =
          port &&
          (cablesAt.get(id) ?? []).find((l) => [l.from, l.to].some((e) => e.deviceId === id && e.port === port.name));
        const subnetId = plan.interfaces.get(id)?.get(leg)?.subnetId;
        return link && subnetId ? { link, subnetId, switchId: far(link, id).deviceId } : null;
      };
      const put = (linkId: string, leaves: string, subnetId: string) => seen.add(`${linkId} ${leaves} ${subnetId}`);
      const from = socket(stream.senderDeviceId);
      if (from === null) continue;
      const along = (way: string[] | null, subnetId: string) => {
        for (let n = 1; n < (way ?? []).length; n += 2) put(way![n]!, way![n - 1]!, subnetId);
        return way !== null;
      };
      for (const receiverId of stream.receiverDeviceIds) {
        const to = socket(receiverId);
        if (to === null) continue;
        const router = routersIn(from.subnetId).find((id) => routersIn(to.subnetId).includes(id));
        if (from.subnetId === to.subnetId) {
          if (!along(walk(from.switchId, to.switchId, from.subnetId, null), from.subnetId)) continue;
        } else {
          if (router === undefined) continue;
          const there = walk(from.switchId, router, from.subnetId, null);
          const onwards = walk(router, to.switchId, to.subnetId, null);
          if (there === null || onwards === null) continue;
          along(there, from.subnetId);
          along(onwards, to.subnetId);
        }
        put(from.link.id, stream.senderDeviceId, from.subnetId);
        put(to.link.id, to.switchId, to.subnetId);
      }
      for (const key of seen) {
        const directed = key.slice(0, key.lastIndexOf(' '));
        loads.set(directed, (loads.get(directed) ?? 0) + bitsPerSecond);
      }
    }
  }
  return loads;
}

function fastLoads({ topology, loads }: Reckoning): Map<string, number> {
  const result = new Map<string, number>();
  for (let d = 0; d < topology.links.length * 2; d += 1) {
    const { link, sends } = endsOf(topology.links, d);
    const bits = loads.mediaBitsPerSecond[d]!;
    if (bits > 0) result.set(`${link.id} ${sends.deviceId}`, bits);
  }
  return result;
}

const rounded = (loads: Map<string, number>) => [...loads].map(([k, v]) => `${k} ${Math.round(v)}`).sort();

describe('loads', () => {
  test('agree with a walk over every stream and every hop, on Skerry Point', () => {
    const r = reckon(planOfFile(skerryPoint()));
    expect(rounded(fastLoads(r))).toEqual(rounded(slowLoads(r)));
  });

  test('agree with a walk over every stream and every hop, on generated plans', () => {
    fc.assert(
      fc.property(fc.integer({ min: 20, max: 260 }), fc.integer({ min: 1, max: 1000 }), (devices, seed) => {
        const r = reckon(planOfFile(generatePlan({ devices, seed })));
        expect(rounded(fastLoads(r))).toEqual(rounded(slowLoads(r)));
      }),
      { numRuns: 12 },
    );
  });

  test('agree with a walk over every stream and every hop, whatever mistakes are made with cables and devices', () => {
    fc.assert(
      fc.property(brokenPlan(planOfFile(skerryPoint()), ['cables', 'devices']), (plan) => {
        const r = reckon(plan);
        fc.pre([...plan.subnets.keys()].every((id) => r.topology.network.treeOf(id).idle.length === 0));
        expect(rounded(fastLoads(r))).toEqual(rounded(slowLoads(r)));
      }),
      { numRuns: 60 },
    );
  });

  test('after an edit are those of a reckoning from nothing', () => {
    const plan = planOfFile(generatePlan({ devices: 120, seed: 4 }));
    const before = reckon(plan);
    const [receiver, feeds] = [...plan.subscriptions][7]!;
    const edited = apply(plan, {
      kind: 'unsubscribe',
      channels: [...feeds.keys()].map((channel) => ({ deviceId: receiver, channel })),
    });
    const step = reckon(edited, before);
    const whole = reckon(edited);
    expect(step.loads.mediaBitsPerSecond).toEqual(whole.loads.mediaBitsPerSecond);
    expect(step.loads.querierBitsPerSecond).toEqual(whole.loads.querierBitsPerSecond);
    expect(step.loads.groupsAtSwitch).toEqual(whole.loads.groupsAtSwitch);
    expect(step.findings).toEqual(whole.findings);
  });
});

const edge = modelNamed('edge-switch-24');
const core = modelNamed('core-switch-24');
const link = (
  id: string,
  from: string,
  fromPort: string,
  to: string,
  toPort: string,
  change: Partial<Link> = {},
): Command => ({
  kind: 'put-link',
  link: {
    id,
    from: { deviceId: from, port: fromPort },
    to: { deviceId: to, port: toPort },
    bitsPerSecond: 1e9,
    metres: 10,
    ...PLAIN_LINK,
    ...change,
  },
});
/** console – edge-1 – edge-2 – amp, one subnet; ten channels of L24 at 1 ms would not fit, eight do: 9.84 Mb/s. */
function line(...more: Command[]): Plan {
  return apply(
    planOf({ console: modelNamed('console-72'), amp: modelNamed('amp-8') }),
    { kind: 'put-model', model: edge },
    { kind: 'put-model', model: core },
    { kind: 'add-device', device: deviceOf('edge-1', edge) },
    { kind: 'add-device', device: deviceOf('edge-2', edge) },
    link('c', 'console', 'Media A', 'edge-1', 'Port 1'),
    link('u', 'edge-1', 'Uplink 1', 'edge-2', 'Uplink 1'),
    link('d', 'amp', 'Media A', 'edge-2', 'Port 1'),
    ...more,
  );
}
const bitsOn = (r: Reckoning, linkId: string, leaves: string) => fastLoads(r).get(`${linkId} ${leaves}`) ?? 0;

describe('where a stream goes', () => {
  test('eight channels load every cable of their way with 9.84 Mb/s, in one direction', () => {
    const r = reckon(line(feed('console', 1, 'amp', 1, 8)));
    expect(['c', 'u', 'd'].map((id, n) => bitsOn(r, id, ['console', 'edge-1', 'edge-2'][n]!))).toEqual([
      9.84e6, 9.84e6, 9.84e6,
    ]);
    expect(bitsOn(r, 'u', 'edge-2')).toBe(0);
  });

  test('a second receiver behind the same switch adds nothing to the cable before it: one copy in the network', () => {
    const second = apply(
      line(feed('console', 1, 'amp', 1, 8)),
      { kind: 'add-device', device: deviceOf('amp-2', modelNamed('amp-8')) },
      { kind: 'put-interface', interface: { deviceId: 'amp-2', name: 'A', subnetId: 'a', address: '10.0.0.99' } },
      link('d2', 'amp-2', 'Media A', 'edge-2', 'Port 2'),
      feed('console', 1, 'amp-2', 1, 8),
    );
    expect(bitsOn(reckon(second), 'u', 'edge-1')).toBe(9.84e6);
    const unicast = apply(second, { kind: 'change-device', deviceId: 'console', change: { sendsUnicast: true } });
    // One copy for each receiver, from the sender's own cable on.
    expect(bitsOn(reckon(unicast), 'u', 'edge-1')).toBe(2 * 9.84e6);
    expect(reckon(unicast).budgetByDevice.get('console')!.streamsSend.used).toBe(2);
  });

  test('a snooping switch passes every group on to where the querier is, even when nobody hears it there', () => {
    const plan = line(
      { kind: 'add-device', device: deviceOf('edge-3', edge) },
      link('q', 'edge-1', 'Uplink 2', 'edge-3', 'Uplink 1'),
      feed('console', 1, 'amp', 1, 8),
      {
        kind: 'put-subnet',
        subnet: {
          id: 'a',
          name: 'Leg A',
          cidr: '10.0.0.0/24',
          vlan: null,
          role: 'A',
          ...PLAIN_SUBNET,
          querierIds: ['edge-3'],
        },
      },
    );
    const r = reckon(plan);
    const q = 2 * r.topology.indexOfLink.get('q')!;
    expect(r.loads.mediaBitsPerSecond[q]).toBe(0);
    expect(r.loads.querierBitsPerSecond[q]).toBe(9.84e6);
    expect(streamsOn(r.loads, q)).toMatchObject([{ streamId: 'console/1', isForQuerier: true }]);
  });

  test('devices on one switch in two subnets hear each other over the router: up and down the same cable', () => {
    const plan = apply(
      line(feed('console', 1, 'amp', 1, 8)),
      {
        kind: 'put-subnet',
        subnet: { id: 'b', name: 'Far', cidr: '10.1.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
      },
      { kind: 'put-interface', interface: { deviceId: 'amp', name: 'A', subnetId: 'b', address: '10.1.0.5' } },
      { kind: 'add-device', device: deviceOf('router', core) },
      {
        kind: 'put-interface',
        interface: { deviceId: 'router', name: 'routed:a', subnetId: 'a', address: '10.0.0.1' },
      },
      {
        kind: 'put-interface',
        interface: { deviceId: 'router', name: 'routed:b', subnetId: 'b', address: '10.1.0.1' },
      },
      link('d', 'amp', 'Media A', 'edge-1', 'Port 2'),
      link('r', 'edge-1', 'Uplink 2', 'router', 'Uplink 1'),
    );
    const r = reckon(plan);
    expect(bitsOn(r, 'r', 'edge-1')).toBe(9.84e6);
    expect(bitsOn(r, 'r', 'router')).toBe(9.84e6);
    expect(bitsOn(r, 'u', 'edge-1')).toBe(0);
  });

  test('joined cables share by flow: every stream runs on one of them, none on two, and both are used', () => {
    const amps = [1, 2, 3, 4, 5, 6, 7, 8].map((n) => `more-${n}`);
    const plan = line(
      link('u', 'edge-1', 'Uplink 1', 'edge-2', 'Uplink 1', { joinedAs: 'pair' }),
      // Drawn the other way round: the direction of a packet is still told right.
      link('u2', 'edge-2', 'Uplink 2', 'edge-1', 'Uplink 2', { joinedAs: 'pair' }),
      ...amps.flatMap((id, n): Command[] => [
        { kind: 'add-device', device: deviceOf(id, modelNamed('amp-8')) },
        { kind: 'put-interface', interface: { deviceId: id, name: 'A', subnetId: 'a', address: `10.0.0.${100 + n}` } },
        link(id, id, 'Media A', 'edge-2', `Port ${n + 2}`),
        feed('console', n + 1, id, 1),
      ]),
    );
    const r = reckon(plan);
    const trees = [...r.loads.treesBySender.values()].flat();
    expect(trees).toHaveLength(8);
    const used = trees.map((tree) =>
      tree.directed.map((d) => endsOf(r.topology.links, d)).filter(({ link: l }) => l.id === 'u' || l.id === 'u2'),
    );
    for (const one of used) {
      expect(one).toHaveLength(1);
      expect(one[0]!.sends.deviceId).toBe('edge-1');
    }
    expect(new Set(used.map((one) => one[0]!.link.id)).size).toBe(2);
  });

  test('the busiest direction counts clock, announcements and control, against what is not set aside', () => {
    const plan = line(
      feed('console', 1, 'amp', 1, 8),
      link('u', 'edge-1', 'Uplink 1', 'edge-2', 'Uplink 1', { setAsidePercent: 90 }),
    );
    const r = reckon(plan);
    const busiest = busiestOf(r.loads, r.loadFrame)!;
    expect(endsOf(r.topology.links, busiest.directed).link.id).toBe('u');
    const total = totalBitsPerSecond(r.loads, r.loadFrame, busiest.directed);
    // 9.84 Mb/s of media, 14 600 + 2 followers x 1 840 bit/s of PTP, 4 000 of SAP, 1 Mb/s of control.
    expect(total).toBe(9.84e6 + 14_080 + 520 + 2 * 1840 + 4000 + 1e6);
    expect(busiest.share).toBeCloseTo(total / 1e8, 9);
    expect(r.totals.busiest).toMatchObject({ linkId: 'u', senderId: 'edge-1' });
  });

  test('a socket lives in the subnet of the interface with its role', () => {
    expect(subnetOfPort(line(), 'amp', 'Media A')).toBe('a');
    expect(subnetOfPort(line(), 'amp', 'Media B')).toBeNull();
  });
});
