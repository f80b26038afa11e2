import type { EndResource } from '../core/formats/is04';
import type { EndState } from '../core/formats/is05';
import { formatAddress } from '../core/network/address';
import { PLAIN_LINK } from '../core/network/links-table';
import type { Command } from '../core/plan/commands';
import type { FieldNode } from './field-resources';
import { PLAIN_SUBNET } from '../core/network/subnets-table';
import { apply, deviceOf, feed, modelNamed, planOf } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
import { parseTranslation } from './binding';
import { placedLegs } from './stream-legs';

const bindings = {
  nodeByDevice: new Map(),
  boundBy: new Map(),
  contested: new Map(),
  translation: parseTranslation('10.=127.'),
};

/** A box and an amplifier on the legs that are named. */
function context(legs: string) {
  let plan = planOf({ box: [modelNamed('stage-box-24'), {}], amp: [modelNamed('amp-8'), {}] });
  for (const [n, leg] of (['A', 'B'] as const).entries()) {
    if (!legs.includes(leg)) continue;
    const subnet = { id: leg, name: leg, cidr: `10.99.${n}.0/24`, vlan: null, role: leg, ...PLAIN_SUBNET };
    plan = apply(plan, { kind: 'put-subnet', subnet });
    for (const [k, deviceId] of ['box', 'amp'].entries()) {
      const address = `10.99.${n}.${11 + k}`;
      plan = apply(plan, { kind: 'put-interface', interface: { deviceId, name: leg, subnetId: leg, address } });
    }
  }
  const reckoning = reckon(apply(plan, feed('box', 1, 'amp', 1, 2)));
  const stream = reckoning.streamsBySender.get('box')![0]!;
  return { stream, context: { reckoning, bindings } };
}
const leg = (ownIp: string | null) => ({ ownIp, sourceIp: null, destinationIp: null, port: null, isEnabled: false });
const placed = (legs: string, own: readonly (string | null)[], sender: EndState | null = null) => {
  const { stream, context: c } = context(legs);
  const groups = c.reckoning.groupsByStream.get(stream.id)!;
  const names = new Map(Object.entries(groups).map(([name, group]) => [group, name]));
  return placedLegs(stream, 'amp', own.map(leg), c, sender).map((l) => {
    if (l === null) return null;
    const number = l.group.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);
    return names.get(number);
  });
};

describe('legs of a stream go where the device has them', () => {
  test.each([
    ['in our order', 'AB', ['127.99.0.12', '127.99.1.12'], ['A', 'B']],
    ['the other way round', 'AB', ['127.99.1.12', '127.99.0.12'], ['B', 'A']],
    ['where it does not say its addresses, A is the first', 'AB', ['auto', null], ['A', 'B']],
    ['one leg of the plan on a device with two: the other is off', 'A', ['127.99.0.12', null], ['A', null]],
    ['the one leg of the plan is its second', 'A', [null, '127.99.0.12'], [null, 'A']],
    ['a device with one leg has room for one', 'AB', ['127.99.0.12'], ['A']],
    ['a device whose one leg is B', 'AB', ['127.99.1.12'], ['B']],
    ['an address that the plan does not know takes what is left', 'AB', ['127.99.0.12', '127.88.8.8'], ['A', 'B']],
    ['no legs at all', 'AB', [], []],
  ])('%s', (_, legs, own, expected) => {
    expect(placed(legs, own)).toEqual(expected);
  });

  test.each([
    ['by the name of its port in the model', ['Media B', 'Media A'], null, ['B', 'A']],
    ['by the role that the name says', ['b', 'a'], null, ['B', 'A']],
    ['by the socket of the switch at the other end', ['eth1', 'eth0'], 'SW-1', ['B', 'A']],
    ['not at all where nothing tells: A is the first', ['eth1', 'eth0'], 'SW-9', ['A', 'B']],
    ['one that is bound twice to one interface takes what is left', ['Media B', 'Media B'], null, ['B', 'A']],
  ])(
    'an end that does not say its addresses is placed by its interfaces: %s',
    (_, interfaceBindings, chassis, expected) => {
      const { stream, context: c } = context('AB');
      const edge = modelNamed('edge-switch-24');
      const cable = (id: string, port: string, into: string): Command => ({
        kind: 'put-link',
        link: {
          id,
          from: { deviceId: 'amp', port },
          to: { deviceId: 'sw', port: into },
          bitsPerSecond: 1e9,
          metres: 1,
          ...PLAIN_LINK,
        },
      });
      const plan = apply(
        c.reckoning.plan,
        { kind: 'put-model', model: edge },
        { kind: 'add-device', device: deviceOf('sw', edge, { serial: 'SW-1' }) },
        cable('a', 'Media A', 'Port 1'),
        cable('b', 'Media B', 'Port 2'),
      );
      const heard = (name: string, portId: string) => ({
        name,
        portId: '',
        attached: chassis === null ? null : { chassisId: chassis, portId },
      });
      const node = { node: { interfaces: [heard('eth0', 'Port 1'), heard('eth1', 'Port 2')] } } as unknown as FieldNode;
      const end = { interfaceBindings } as unknown as EndResource;
      const groups = c.reckoning.groupsByStream.get(stream.id)!;
      const at = { ...c, reckoning: { ...c.reckoning, plan } };
      const legs = placedLegs(stream, 'amp', [leg(null), leg(null)], at, null, { node, end });
      const names = legs.map((l) => (l?.group === formatAddress(groups.A!) ? 'A' : 'B'));
      expect(names).toEqual(expected);
    },
  );

  test('a receiver is sent who sends to each group, whatever the order of the sender', () => {
    const { stream, context: c } = context('AB');
    const own = ['127.99.0.12', '127.99.1.12'].map(leg);
    const [a, b] = placedLegs(stream, 'amp', own, c).map((l) => l!.group);
    const sends = (group: string, sourceIp: string) => ({ ...leg(sourceIp), sourceIp, destinationIp: group });
    const sender = {
      isEnabled: true,
      peerId: null,
      legs: [sends(b as string, '127.99.1.11'), sends(a as string, '127.99.0.11')],
    };
    expect(placedLegs(stream, 'amp', own, c, sender).map((l) => l?.sourceIp)).toEqual(['127.99.0.11', '127.99.1.11']);
  });
});
