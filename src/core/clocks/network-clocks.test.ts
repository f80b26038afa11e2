import fc from 'fast-check';
import { generatePlan } from '../../demo/generate';
import { planOfFile } from '../formats/plan-file';
import { topologyOf } from '../network/topology';
import { arbitraryPlan, choice, chosen } from '../plan/test-arbitrary';
import { emptyPlan, modelOf, type Plan } from '../plan/plan';
import type { Command } from '../plan/commands';
import { PLAIN_SUBNET } from '../network/subnets-table';
import { apply, cable, deviceOf, modelNamed } from '../plan/test-plan';
import { expectSame } from '../plan/test-same';
import { NO_LOSSES, timeOf } from './clocks';
import { clockNetworkOf, isCutOff, networkWithout, type ClockNetwork } from './network-clocks';
import { referenceStates } from './reference-state';

/** What a network says, in an order of its own. */
const told = ({ clocks, membersBySegment, unreachable }: ClockNetwork) => ({
  clocks: [...clocks],
  members: [...membersBySegment].sort(([a], [b]) => (a < b ? -1 : 1)),
  unreachable,
});

function expectSameWithoutEach(plan: Plan): void {
  const topology = topologyOf(plan);
  const { network } = timeOf(plan, topology);
  for (const id of plan.devices.keys()) {
    const lost = new Set([id]);
    const references = referenceStates(plan, lost, NO_LOSSES.referenceIds);
    const again = clockNetworkOf(network.frame, plan, topology, references, lost);
    expectSame(told(networkWithout(network, plan, topology, references, id)), told(again));
  }
}

describe('a network of clocks without one of them is the one that is made without it', () => {
  test('whatever stands in the plan', () => {
    fc.assert(fc.property(arbitraryPlan(6), expectSameWithoutEach), { numRuns: 100 });
  });

  test('in a house with parts that no cable joins, clocks that ask across routers, and clocks that give references', () => {
    let parts = 0;
    let unicast = 0;
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 40 }),
        fc.array(choice, { maxLength: 6 }),
        fc.array(fc.tuple(choice, choice), { maxLength: 3 }),
        (seed, cut, asking) => {
          let plan = planOfFile(generatePlan({ devices: 48, seed }));
          for (const at of cut) {
            const isSwitch = (id: string) => (modelOf(plan, id)?.switching ?? null) !== null;
            const trunks = [...plan.links.values()].filter((l) => isSwitch(l.from.deviceId) && isSwitch(l.to.deviceId));
            const linkId = chosen(trunks, at)?.id;
            if (linkId !== undefined) plan = apply(plan, { kind: 'remove-link', linkId });
          }
          for (const [who, whom] of asking) {
            const clocks = [...timeOf(plan, topologyOf(plan)).network.clocks.values()];
            const relay = chosen(clocks, who);
            const master = chosen(clocks, whom);
            if (relay === undefined || master === undefined) continue;
            const { deviceId: masterId } = master;
            const asks = { ...relay.planned.settings, relay: 'unicast', unicastMasterIds: [masterId] } as const;
            plan = apply(plan, { kind: 'put-clock', settings: asks });
            // One that leads by a signal from another: its class follows from whether that is there.
            const able = clocks.find((c) => c.deviceId !== masterId && modelOf(plan, c.deviceId)?.clock != null);
            const model = able && modelOf(plan, able.deviceId);
            if (able === undefined || model?.clock == null) continue;
            const ability = { ...model.clock, mayLead: true, referencesIn: ['word-clock'], classLocked: 13 } as const;
            const reference = { id: 'word', name: 'Word', rateHz: null, fromDeviceId: masterId, isFed: true };
            plan = apply(
              plan,
              { kind: 'put-model', model: { ...model, clock: ability } },
              { kind: 'put-reference', reference: { ...reference, kind: 'word-clock', offsetNs: 0 } },
              {
                kind: 'put-clock',
                settings: {
                  ...able.planned.settings,
                  clientOnly: false,
                  mediaClock: 'references',
                  referenceIds: ['word'],
                },
              },
            );
          }
          const { frame, membersBySegment } = timeOf(plan, topologyOf(plan)).network;
          if ([...membersBySegment.keys()].some(isCutOff)) parts += 1;
          if (frame.unicastIds.size > 0) unicast += 1;
          expectSameWithoutEach(plan);
        },
      ),
      { numRuns: 15 },
    );
    expect(parts).toBeGreaterThan(0);
    expect(unicast).toBeGreaterThan(0);
  });
});

/** Switches as a tree in one VLAN, some of them boundary clocks; a grandmaster at the first, a follower at each. */
function treeOfSwitches(parents: readonly number[], isBoundary: readonly boolean[]): Plan {
  const edge = modelNamed('edge-switch-24');
  const plain = { ...edge, switching: { ...edge.switching!, timestamping: 'transparent' as const } };
  const boundary = { ...edge, id: 'boundary', switching: { ...edge.switching!, timestamping: 'boundary' as const } };
  const [master, amp] = [modelNamed('master-clock'), modelNamed('amp-8')];
  const at = (deviceId: string, host: number): Command => ({
    kind: 'put-interface',
    interface: { deviceId, name: 'A', subnetId: 'one', address: `10.1.0.${host}` },
  });
  let plan = apply(
    emptyPlan('Tree'),
    {
      kind: 'put-subnet',
      subnet: { id: 'one', name: 'one', cidr: '10.1.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
    },
    ...[plain, boundary, master, amp].map((model): Command => ({ kind: 'put-model', model })),
    { kind: 'add-device', device: deviceOf('gm', master) },
    at('gm', 1),
  );
  isBoundary.forEach((is, n) => {
    plan = apply(
      plan,
      { kind: 'add-device', device: deviceOf(`s${n}`, is ? boundary : plain) },
      { kind: 'add-device', device: deviceOf(`f${n}`, amp) },
      at(`f${n}`, n + 10),
      cable(`drop-${n}`, `f${n}`, 'Media A', `s${n}`, 'Port 1'),
    );
    if (n > 0) {
      const up = parents[n] as number;
      plan = apply(plan, cable(`up-${n}`, `s${n}`, 'Uplink 1', `s${up}`, `Port ${n + 2}`));
    }
  });
  plan = apply(plan, cable('drop-gm', 'gm', 'Media A', 's0', 'Port 2'));
  const settings = { ...timeOf(plan, topologyOf(plan)).network.clocks.get('gm')!.planned.settings, priority1: 1 };
  return apply(plan, { kind: 'put-clock', settings });
}

test('in any tree of switches a follower is as many steps away as boundary clocks lie on its way, and one', () => {
  let most = 0;
  fc.assert(
    fc.property(fc.array(fc.tuple(choice, fc.boolean()), { minLength: 1, maxLength: 9 }), (switches) => {
      const parents = switches.map(([at], n) => (n === 0 ? 0 : (chosen([...Array(n).keys()], at) as number)));
      const isBoundary = switches.map(([, is]) => is);
      const plan = treeOfSwitches(parents, isBoundary);
      const { byDevice } = timeOf(plan, topologyOf(plan)).time;
      switches.forEach((_, n) => {
        let steps = 1;
        // Up from its switch to that of the grandmaster.
        for (let at = n; ; at = parents[at] as number) {
          if (isBoundary[at]) steps += 1;
          if (at === 0) break;
        }
        most = Math.max(most, steps);
        expect(byDevice.get(`f${n}`)).toMatchObject({ grandmasterId: 'gm', stepsRemoved: steps });
      });
    }),
    { numRuns: 60 },
  );
  expect(most).toBeGreaterThan(3);
});
