import fc from 'fast-check';
import { generatePlan } from '../../demo/generate';
import { planOfFile } from '../formats/plan-file';
import { topologyOf } from '../network/topology';
import { arbitraryPlan, choice, chosen } from '../plan/test-arbitrary';
import { modelOf, type Plan } from '../plan/plan';
import { apply } from '../plan/test-plan';
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
    const anew = clockNetworkOf(network.frame, plan, topology, references, lost);
    expectSame(told(networkWithout(network, plan, topology, references, id)), told(anew));
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
