import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { topologyOf } from '../network/topology';
import { modelOf, type Plan } from '../plan/plan';
import { arbitraryPlan, choice, chosen } from '../plan/test-arbitrary';
import { apply } from '../plan/test-plan';
import { leadersWithout, timeOf } from './clocks';
import { plannedClock } from './clock-settings';
import { keepTime, leadersOf } from './kept-time';
import type { ClockNetwork } from './network-clocks';

/** Who leads whom, read off all that is known of every clock. */
function leadersByAll(network: ClockNetwork) {
  const { byDevice, grandmasterIds } = keepTime(network);
  return { grandmasterOf: new Map([...byDevice].map(([id, k]) => [id, k.grandmasterId])), grandmasterIds };
}

/** Each clock's figures changed by choice: who may lead, how well, and who has whose identity. */
function withClocks(plan: Plan, changes: readonly (readonly [number, number, boolean, number])[]): Plan {
  let now = plan;
  for (const [who, priority1, clientOnly, identity] of changes) {
    const id = chosen([...now.devices.keys()], who);
    const planned = id === undefined ? null : plannedClock(now, id);
    if (planned === null) continue;
    const clockIdentity = identity === 0 ? null : `001B19FFFE00000${identity}`;
    now = apply(now, {
      kind: 'put-clock',
      settings: { ...planned.settings, priority1, clientOnly: clientOnly || !planned.ability.mayLead, clockIdentity },
    });
  }
  return now;
}

const changes = fc.array(
  fc.tuple(choice, fc.constantFrom(1, 100, 128, 200), fc.boolean(), fc.integer({ min: 0, max: 3 })),
  { maxLength: 12 },
);

describe('law: who leads whom, worked out alone, is what is known of every clock', () => {
  test('whatever stands in the plan', () => {
    fc.assert(
      fc.property(arbitraryPlan(6), (plan) => {
        const { network } = timeOf(plan, topologyOf(plan));
        expect(leadersOf(network)).toEqual(leadersByAll(network));
      }),
      { numRuns: 80 },
    );
  });

  test('in a house in which some may lead, some only follow, and several say that they are one and the same', () => {
    const house = planOfFile(skerryPoint());
    let led = 0;
    fc.assert(
      fc.property(changes, choice, (changed, lost) => {
        const plan = withClocks(house, changed);
        const topology = topologyOf(plan);
        const { network } = timeOf(plan, topology);
        const leaders = leadersOf(network);
        expect(leaders).toEqual(leadersByAll(network));
        led += new Set([...leaders.grandmasterOf.values()].filter((id) => id !== null)).size;
        // And without one of them.
        const id = chosen([...network.clocks.keys()], lost) as string;
        const without = leadersWithout(network, plan, topology, id);
        expect(without.grandmasterOf.has(id)).toBe(false);
        const losses = { deviceIds: new Set([id]), referenceIds: new Set<string>(), cutSockets: new Set<string>() };
        const again = timeOf(plan, topology, losses);
        expect(without).toEqual(leadersByAll(again.network));
      }),
      { numRuns: 60 },
    );
    expect(led).toBeGreaterThan(30);
  });
});

describe('the ports of clocks', () => {
  const plan = planOfFile(skerryPoint());
  const { network, time } = timeOf(plan, topologyOf(plan));

  test('say the same of a clock to the best-master comparison and to people', () => {
    for (const { deviceId, clock, ports } of network.clocks.values()) {
      expect(clock.ports).toEqual(ports.map((p) => p.segment));
      expect(clock.portKinds).toHaveLength(ports.length);
      const kept = time.byDevice.get(deviceId);
      expect(
        kept?.ports.map(({ interface: name, segment, subnetId }) => ({ interface: name, segment, subnetId })),
      ).toEqual(ports);
      for (const { segment } of ports) expect(network.membersBySegment.get(segment)).toContain(deviceId);
    }
  });

  test('are those of the interfaces that take part, in the order of their names', () => {
    for (const { deviceId, ports } of network.clocks.values()) {
      const own = [...(plan.interfaces.get(deviceId)?.values() ?? [])];
      const onNetwork = ports.filter((p) => p.subnetId !== null);
      expect(onNetwork.map((p) => p.interface)).toEqual([...onNetwork.map((p) => p.interface)].sort());
      // A switch that is a boundary clock takes part with its sockets.
      if (modelOf(plan, deviceId)?.switching) continue;
      for (const port of onNetwork) expect(own.find((i) => i.name === port.interface)?.subnetId).toBe(port.subnetId);
    }
  });
});
