import { apply, deviceOf, modelNamed, planOf } from '../plan/test-plan';
import type { Command } from '../plan/commands';
import { emptyPlan, type Plan } from '../plan/plan';
import { PLAIN_SUBNET } from './subnets-table';
import { clocksOf } from '../clocks/clocks';
import { plannedClock } from '../clocks/clock-settings';
import type { ClockSettings } from '../clocks/clocks-table';
import { PROFILE_RULES } from '../clocks/profiles';
import { ptpBitsPerSecond, ptpBySubnet, ptpTerms, type PtpMessages } from './allowances';
import { topologyOf } from './topology';
import { routesOf, routingInForce } from './routes';
import { switchSettingsOf } from './switch-settings';

const core = modelNamed('core-switch-24');
const subnet = (id: string): Command => ({
  kind: 'put-subnet',
  subnet: { id, name: id, cidr: `10.${id.charCodeAt(0)}.0.0/24`, vlan: null, role: 'A', ...PLAIN_SUBNET },
});
const joins = (routerId: string, ...subnetIds: string[]): Command[] =>
  subnetIds.map((id) => ({
    kind: 'put-interface',
    interface: {
      deviceId: routerId,
      name: `routed:${id}`,
      subnetId: id,
      address: `10.${id.charCodeAt(0)}.0.${routerId.charCodeAt(1)}`,
    },
  }));
/** a – r1 – b – r2 – c, and d alone; r2 may be told not to route groups. */
function chain(): Plan {
  return apply(
    emptyPlan('Routes'),
    { kind: 'put-model', model: core },
    ...['a', 'b', 'c', 'd'].map(subnet),
    { kind: 'add-device', device: deviceOf('r1', core) },
    { kind: 'add-device', device: deviceOf('r2', core) },
    ...joins('r1', 'a', 'b'),
    ...joins('r2', 'b', 'c'),
  );
}

describe('routes between subnets', () => {
  test('name the routers crossed and the subnet that each passes into', () => {
    const routes = routesOf(chain());
    expect(routes.between('multicast', 'a', 'c')).toEqual([
      { routerId: 'r1', intoSubnetId: 'b' },
      { routerId: 'r2', intoSubnetId: 'c' },
    ]);
    expect(routes.between('multicast', 'a', 'a')).toEqual([]);
    expect(routes.between('unicast', 'a', 'd')).toBeNull();
    expect(routes.routersOf('b')).toEqual(['r1', 'r2']);
  });

  test('domains are the subnets that are joined, for one host and for groups apart', () => {
    const plan = chain();
    const quiet = apply(plan, {
      kind: 'put-switch',
      settings: { ...switchSettingsOf(plan, 'r2')!, multicastRouting: false },
    });
    expect(routingInForce(quiet, 'r2')).toBe('unicast');
    const routes = routesOf(quiet);
    expect(routes.domainOf('unicast', 'a')).toBe(routes.domainOf('unicast', 'c'));
    expect(routes.domainOf('multicast', 'a')).toBe(routes.domainOf('multicast', 'b'));
    expect(routes.domainOf('multicast', 'a')).not.toBe(routes.domainOf('multicast', 'c'));
    expect(routes.between('multicast', 'a', 'c')).toBeNull();
    expect(routes.domainOf('unicast', 'no such subnet')).toBe(-1);
  });

  test('a switch’s own management address joins nothing', () => {
    const plan = apply(chain(), {
      kind: 'put-interface',
      interface: { deviceId: 'r1', name: 'control', subnetId: 'd', address: '10.100.0.9' },
    });
    expect(routesOf(plan).between('unicast', 'a', 'd')).toBeNull();
  });
});

describe('what every link carries beside media', () => {
  test('clock messages: 8 sync and follow-up a second, an announce in 2 s, each follower’s request and its answer', () => {
    // Sync 44 + 8 UDP + 20 IP + 18 Ethernet + 20 = 110 B; announce 130 B; request 110 B, answer 120 B.
    const alone: PtpMessages = { syncs: 8, announces: 0.5, delayRequests: 0, followers: 0 };
    const followed = { ...alone, delayRequests: 10, followers: 10 };
    expect(ptpBitsPerSecond(alone)).toBe(16 * 110 * 8 + 0.5 * 130 * 8);
    expect(ptpBitsPerSecond(followed) - ptpBitsPerSecond(alone)).toBe(10 * (110 + 120) * 8);
    const terms = ptpTerms(followed);
    expect(terms.slice(0, 3).reduce((sum, t) => sum + t.value, 0)).toBe(terms[3]!.value);
  });

  test('they come at the intervals of whoever leads in a subnet, and those who follow there ask at its own', () => {
    const console72 = modelNamed('console-72');
    const plan = apply(planOf({ one: console72, two: console72, amp: modelNamed('amp-8') }), {
      kind: 'put-subnet',
      subnet: { id: 'empty', name: 'Empty', cidr: '10.9.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
    });
    const clock = (id: string, change: Partial<ClockSettings>): Command => ({
      kind: 'put-clock',
      settings: { ...plannedClock(plan, id)!.settings, ...change },
    });
    const messages = (...commands: Command[]) => {
      const now = apply(plan, ...commands);
      return [...ptpBySubnet(clocksOf(now, topologyOf(now)))];
    };
    const first = clock('one', { priority1: 1 });
    expect(messages(first)).toEqual([['a', { syncs: 8, announces: 0.5, delayRequests: 2, followers: 2 }]]);
    // ST 2059-2: announces four times, syncs and delay requests eight times a second; what followers are set to does not matter.
    const { usual } = PROFILE_RULES.st2059;
    expect(messages(clock('one', { priority1: 1, ...usual }), clock('two', { logDelayRequestInterval: 5 }))).toEqual([
      ['a', { syncs: 8, announces: 4, delayRequests: 16, followers: 2 }],
    ]);
    // Two domains, two leaders.
    expect(messages(first, clock('two', { domainNumber: 5 }))).toEqual([
      ['a', { syncs: 16, announces: 1, delayRequests: 1, followers: 1 }],
    ]);
  });
});
