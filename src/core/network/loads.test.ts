import fc from 'fast-check';
import { brokenPlan } from '../plan/test-breaks';
import { planOfFile } from '../formats/plan-file';
import { streamsOn } from '../findings/loads';
import { generatePlan } from '../../demo/generate';
import { skerryPoint } from '../../demo/skerry-point';
import { apply, cable, deviceOf, feed, modelNamed, planOf } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import type { Link } from './links-table';
import { PLAIN_SUBNET } from './subnets-table';
import type { Command } from '../plan/commands';
import { reckon } from '../reckon/reckon';
import type { Reckoning } from '../reckon/reckoning';
import { streamSum } from '../streams/wire';
import { parseAddress } from './address';
import { subnetOfPort } from './delivery';
import { busiestOf, endsOf, streamBitsPerSecond, totalBitsPerSecond } from './loads';
import { queriersOf } from './queriers';
import { usualSwitchSettings } from './switch-settings';

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

/**
 * Where each stream runs at all, the slow way: from the sender's switch on, cable by cable, a switch that snoops lets it out where a receiver or the
 * elected querier lies behind, one that does not everywhere in the VLAN. For streams within a subnet and drawings without rings.
 */
function slowSpread({ plan, streamsBySender }: Reckoning): Map<string, number> {
  const isSwitch = (id: string) => plan.models.get(plan.devices.get(id)!.modelId)!.switching !== null;
  const portRole = (id: string, port: string) =>
    plan.models.get(plan.devices.get(id)!.modelId)!.ports.find((p) => p.name === port)?.role;
  const links = [...plan.links.values()];
  const loads = new Map<string, number>();
  for (const stream of [...streamsBySender.values()].flat()) {
    const { bitsPerSecond } = streamSum(stream.width, stream.format);
    for (const leg of stream.legs) {
      const subnetId = plan.interfaces.get(stream.senderDeviceId)?.get(leg)?.subnetId;
      const subnet = plan.subnets.get(subnetId ?? '');
      if (subnet === undefined) continue;
      /** Whether a cable belongs to the VLAN: between switches where it may pass, at a device where that has its address. */
      const isIn = (l: Link) => {
        if (isSwitch(l.from.deviceId) && isSwitch(l.to.deviceId))
          return l.carries === null || l.carries.includes(subnet.id);
        const device = isSwitch(l.from.deviceId) ? l.to : l.from;
        const role = portRole(device.deviceId, device.port);
        return role !== undefined && plan.interfaces.get(device.deviceId)?.get(role)?.subnetId === subnet.id;
      };
      const cables = links.filter(isIn);
      const at = (id: string) => cables.filter((l) => l.from.deviceId === id || l.to.deviceId === id);
      const far = (l: Link, id: string) => (l.from.deviceId === id ? l.to : l.from);
      const isEndOf = (l: Link, id: string) => {
        const own = l.from.deviceId === id ? l.from : l.to;
        return portRole(id, own.port) === leg;
      };
      const querier = queriersOf(plan, subnet)[0]?.id;
      const wanted = new Set(stream.receiverDeviceIds);
      const liesBehind = (l: Link, id: string, seen: Set<string>): boolean => {
        const next = far(l, id).deviceId;
        if (!isSwitch(next)) return wanted.has(next) && isEndOf(l, next);
        if (next === querier) return true;
        if (seen.has(next)) return false;
        seen.add(next);
        return at(next).some((m) => m !== l && liesBehind(m, next, seen));
      };
      const first = at(stream.senderDeviceId).find((l) => isEndOf(l, stream.senderDeviceId));
      if (first === undefined) continue;
      const used = new Set<string>();
      const spread = (l: Link, id: string) => {
        used.add(`${l.id} ${id}`);
        const next = far(l, id).deviceId;
        if (!isSwitch(next)) return;
        const model = plan.models.get(plan.devices.get(next)!.modelId)!.switching!;
        const snoops = model.snooping && plan.switches.get(next)?.snooping !== false;
        for (const m of at(next)) {
          if (m !== l && !used.has(`${m.id} ${next}`) && (!snoops || liesBehind(m, next, new Set([next]))))
            spread(m, next);
        }
      };
      // What nobody is reached by is not sent.
      if (!liesBehindAny()) continue;
      function liesBehindAny(): boolean {
        const reach = (l: Link, id: string, seen: Set<string>): boolean => {
          const next = far(l, id).deviceId;
          if (!isSwitch(next)) return wanted.has(next) && isEndOf(l, next);
          if (seen.has(next)) return false;
          seen.add(next);
          return at(next).some((m) => m !== l && reach(m, next, seen));
        };
        return reach(first!, stream.senderDeviceId, new Set());
      }
      spread(first, stream.senderDeviceId);
      for (const key of used) loads.set(key, (loads.get(key) ?? 0) + bitsPerSecond);
    }
  }
  return loads;
}

describe('loads', () => {
  test('with floods and towards the querier are those of packets that are followed switch by switch', () => {
    const plan = planOfFile(skerryPoint());
    const isWithin = (r: Reckoning) =>
      [...r.streamsBySender.values()].flat().every((s) =>
        s.receiverDeviceIds.every((id) =>
          s.legs.every((leg) => {
            const own = r.plan.interfaces.get(s.senderDeviceId)?.get(leg)?.subnetId;
            const to = r.plan.interfaces.get(id)?.get(leg)?.subnetId;
            return own === to || to === undefined || own === undefined;
          }),
        ),
      );
    const switches = [...plan.devices.values()].filter((d) => plan.models.get(d.modelId)!.switching !== null);
    let tried = 0;
    fc.assert(
      fc.property(fc.subarray(switches.map((s) => s.id)), fc.subarray([...plan.devices.keys()]), (deaf, silent) => {
        const quiet = silent.filter((id) => plan.subscriptions.has(id));
        const without = apply(
          plan,
          ...deaf.map((id): Command => {
            const model = plan.models.get(plan.devices.get(id)!.modelId)!;
            return {
              kind: 'put-switch',
              settings: { ...usualSwitchSettings(id, model, plan.settings), snooping: false },
            };
          }),
          ...quiet.map((deviceId): Command => ({
            kind: 'unsubscribe',
            channels: [...plan.subscriptions.get(deviceId)!.keys()].map((channel) => ({ deviceId, channel })),
          })),
        );
        // Only lanes within a subnet are left.
        const across = [...without.subscriptions].flatMap(([deviceId, own]) =>
          [...own.values()].filter((s) =>
            (['A', 'B'] as const).some((leg) => {
              const to = without.interfaces.get(deviceId)?.get(leg)?.subnetId;
              const from = without.interfaces.get(s.senderDeviceId)?.get(leg)?.subnetId;
              return to != null && from != null && to !== from;
            }),
          ),
        );
        const channels = across.map((s) => ({ deviceId: s.receiverDeviceId, channel: s.receiverChannel }));
        const r = reckon(channels.length === 0 ? without : apply(without, { kind: 'unsubscribe', channels }));
        expect(isWithin(r)).toBe(true);
        const fast = new Map<string, number>();
        for (let d = 0; d < r.topology.links.length * 2; d += 1) {
          const { link: l, sends } = endsOf(r.topology.links, d);
          const bits = streamBitsPerSecond(r.loads, d);
          if (bits > 0) fast.set(`${l.id} ${sends.deviceId}`, bits);
        }
        expect(rounded(fast)).toEqual(rounded(slowSpread(r)));
        tried += fast.size;
      }),
      { numRuns: 25 },
    );
    expect(tried).toBeGreaterThan(200);
  });

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
/** console – edge-1 – edge-2 – amp, one subnet; ten channels of L24 at 1 ms would not fit, eight do: 9.84 Mb/s. */
function line(...more: Command[]): Plan {
  return apply(
    planOf({ console: modelNamed('console-72'), amp: modelNamed('amp-8') }),
    { kind: 'put-model', model: edge },
    { kind: 'put-model', model: core },
    { kind: 'add-device', device: deviceOf('edge-1', edge) },
    { kind: 'add-device', device: deviceOf('edge-2', edge) },
    cable('c', 'console', 'Media A', 'edge-1', 'Port 1'),
    cable('u', 'edge-1', 'Uplink 1', 'edge-2', 'Uplink 1'),
    cable('d', 'amp', 'Media A', 'edge-2', 'Port 1'),
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
      cable('d2', 'amp-2', 'Media A', 'edge-2', 'Port 2'),
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
      cable('q', 'edge-1', 'Uplink 2', 'edge-3', 'Uplink 1'),
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
    expect(streamsOn(r.loads, q)).toMatchObject([{ streamId: 'console/1', runsFor: 'querier' }]);
    // Reports go from the receiver's switch to the querier: these learn of the group (RFC 4541 clause 2.1.1).
    const learned = r.topology.network.bridges.filter((_, n) => r.loads.groupsAtSwitch[n] === 1);
    expect(learned.map((b) => b.deviceId)).toEqual(['edge-1', 'edge-2', 'edge-3']);
  });

  test('of several queriers the one with the lowest address asks alone (RFC 3376 clause 6.6.2), one without address last', () => {
    const asking = (...querierIds: string[]) =>
      line(
        { kind: 'add-device', device: deviceOf('edge-3', edge) },
        cable('q', 'edge-1', 'Uplink 2', 'edge-3', 'Uplink 1'),
        ...(['edge-2', 'edge-3'] as const).map((deviceId, n): Command => ({
          kind: 'put-interface',
          interface: { deviceId, name: 'control', subnetId: 'a', address: `10.0.0.${n === 0 ? 9 : 3}` },
        })),
        feed('console', 1, 'amp', 1, 8),
        {
          kind: 'put-subnet',
          subnet: { id: 'a', name: 'Leg A', cidr: '10.0.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET, querierIds },
        },
      );
    const towards = (plan: Plan) => {
      const r = reckon(plan);
      return r.loads.querierBitsPerSecond[2 * r.topology.indexOfLink.get('q')!];
    };
    expect(towards(asking('edge-2', 'edge-3'))).toBe(9.84e6);
    expect(towards(asking('edge-2'))).toBe(0);
    expect(towards(asking('edge-1', 'edge-2'))).toBe(0);
    expect(
      queriersOf(asking('edge-1', 'edge-2', 'edge-3'), asking('edge-1', 'edge-2', 'edge-3').subnets.get('a')!),
    ).toEqual([
      { id: 'edge-3', address: parseAddress('10.0.0.3') },
      { id: 'edge-2', address: parseAddress('10.0.0.9') },
      { id: 'edge-1', address: null },
    ]);
  });

  test('a switch that does not snoop passes a group on to every port of its VLAN, and to no other', () => {
    const plan = line(
      { kind: 'add-device', device: deviceOf('edge-3', edge) },
      { kind: 'add-device', device: deviceOf('other', modelNamed('amp-8')) },
      { kind: 'add-device', device: deviceOf('far', modelNamed('amp-8')) },
      { kind: 'add-device', device: deviceOf('aside', modelNamed('amp-8')) },
      { kind: 'put-interface', interface: { deviceId: 'other', name: 'A', subnetId: 'a', address: '10.0.0.50' } },
      { kind: 'put-interface', interface: { deviceId: 'far', name: 'A', subnetId: 'a', address: '10.0.0.51' } },
      {
        kind: 'put-subnet',
        subnet: { id: 'b', name: 'Other VLAN', cidr: '10.1.0.0/24', vlan: 20, role: 'A', ...PLAIN_SUBNET },
      },
      { kind: 'put-interface', interface: { deviceId: 'aside', name: 'A', subnetId: 'b', address: '10.1.0.5' } },
      cable('o', 'other', 'Media A', 'edge-1', 'Port 2'),
      cable('s', 'aside', 'Media A', 'edge-1', 'Port 3'),
      cable('q', 'edge-1', 'Uplink 2', 'edge-3', 'Uplink 1'),
      cable('f', 'far', 'Media A', 'edge-3', 'Port 1'),
      feed('console', 1, 'amp', 1, 8),
    );
    const floodedBy = (...ids: string[]) => {
      const settings = ids.map((id): Command => ({
        kind: 'put-switch',
        settings: { ...usualSwitchSettings(id, edge, plan.settings), snooping: false },
      }));
      const r = reckon(apply(plan, ...settings));
      return [...r.loads.floodedBitsPerSecond].flatMap((bits, d) => {
        const { link: l, sends } = endsOf(r.topology.links, d);
        return bits > 0 ? [`${l.id} ${sends.deviceId} ${bits}`] : [];
      });
    };
    expect(floodedBy()).toEqual([]);
    // Edge 3 snoops: what is flooded to it goes no further, as nobody there asked for it.
    expect(floodedBy('edge-1')).toEqual(['o edge-1 9840000', 'q edge-1 9840000']);
    expect(floodedBy('edge-1', 'edge-3')).toEqual(['f edge-3 9840000', 'o edge-1 9840000', 'q edge-1 9840000']);
    // What does not come to a switch it cannot flood.
    expect(floodedBy('edge-3')).toEqual([]);
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
      cable('d', 'amp', 'Media A', 'edge-1', 'Port 2'),
      cable('r', 'edge-1', 'Uplink 2', 'router', 'Uplink 1'),
    );
    const r = reckon(plan);
    expect(bitsOn(r, 'r', 'edge-1')).toBe(9.84e6);
    expect(bitsOn(r, 'r', 'router')).toBe(9.84e6);
    expect(bitsOn(r, 'u', 'edge-1')).toBe(0);
  });

  test('joined cables share by flow: every stream runs on one of them, none on two, and both are used', () => {
    const amps = [1, 2, 3, 4, 5, 6, 7, 8].map((n) => `more-${n}`);
    const plan = line(
      cable('u', 'edge-1', 'Uplink 1', 'edge-2', 'Uplink 1', { joinedAs: 'pair' }),
      // Drawn the other way round: the direction of a packet is still told right.
      cable('u2', 'edge-2', 'Uplink 2', 'edge-1', 'Uplink 2', { joinedAs: 'pair' }),
      ...amps.flatMap((id, n): Command[] => [
        { kind: 'add-device', device: deviceOf(id, modelNamed('amp-8')) },
        { kind: 'put-interface', interface: { deviceId: id, name: 'A', subnetId: 'a', address: `10.0.0.${100 + n}` } },
        cable(id, id, 'Media A', 'edge-2', `Port ${n + 2}`),
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
      cable('u', 'edge-1', 'Uplink 1', 'edge-2', 'Uplink 1', { setAsidePercent: 90 }),
    );
    const r = reckon(plan);
    const busiest = busiestOf(r.loads, r.loadFrame)!;
    expect(endsOf(r.topology.links, busiest.directed).link.id).toBe('u');
    const total = totalBitsPerSecond(r.loads, r.loadFrame, busiest.directed);
    // 9.84 Mb/s of media, 14 600 + 1 follower x 1 840 bit/s of PTP, 4 000 of SAP, 1 Mb/s of control.
    expect(total).toBe(9.84e6 + 14_080 + 520 + 1840 + 4000 + 1e6);
    expect(busiest.share).toBeCloseTo(total / 1e8, 9);
    expect(r.totals.busiest).toMatchObject({ linkId: 'u', senderId: 'edge-1' });
  });

  test('a socket lives in the subnet of the interface with its role', () => {
    expect(subnetOfPort(line(), 'amp', 'Media A')).toBe('a');
    expect(subnetOfPort(line(), 'amp', 'Media B')).toBeNull();
  });
});
