import { apply, deviceOf, modelNamed } from '../plan/test-plan';
import type { Command } from '../plan/commands';
import { emptyPlan, type Plan } from '../plan/plan';
import { PLAIN_SUBNET } from './subnets-table';
import { followersBySubnet, ptpBitsPerSecond, ptpTerms } from './allowances';
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
    expect(ptpBitsPerSecond(0)).toBe(16 * 110 * 8 + 0.5 * 130 * 8);
    expect(ptpBitsPerSecond(10) - ptpBitsPerSecond(0)).toBe(10 * (110 + 120) * 8);
    const terms = ptpTerms(10);
    expect(terms.slice(0, 3).reduce((sum, t) => sum + t.value, 0)).toBe(terms[3]!.value);
  });

  test('followers are counted where they have a media leg with an address', () => {
    const plan = apply(
      chain(),
      { kind: 'put-model', model: modelNamed('amp-8') },
      { kind: 'add-device', device: deviceOf('amp', modelNamed('amp-8')) },
      { kind: 'put-interface', interface: { deviceId: 'amp', name: 'A', subnetId: 'a', address: '10.97.0.7' } },
      { kind: 'put-interface', interface: { deviceId: 'amp', name: 'control', subnetId: 'a', address: '10.97.0.8' } },
    );
    expect([...followersBySubnet(plan)]).toEqual([['a', 1]]);
  });
});
