import { PLAIN_SUBNET, type Subnet } from '../network/subnets-table';
import { apply, modelNamed, planOf } from '../plan/test-plan';
import { fieldAddressFindings } from './field-addresses';
import { fixesFor } from './rules';

const subnet = (id: string, cidr: string, role: Subnet['role']): Subnet => ({
  ...{ id, name: id, cidr, vlan: null, role, ...PLAIN_SUBNET },
});
const plan = apply(
  planOf({ amp: modelNamed('amp-8'), box: modelNamed('stage-box-24'), paper: modelNamed('amp-8') }),
  { kind: 'remove-interface', deviceId: 'paper', name: 'A' },
  { kind: 'put-subnet', subnet: subnet('red', '10.20.0.0/24', 'A') },
  { kind: 'put-subnet', subnet: subnet('blue', '10.21.0.0/24', 'B') },
  { kind: 'put-interface', interface: { deviceId: 'amp', name: 'A', subnetId: 'red', address: '10.20.0.7' } },
  { kind: 'put-interface', interface: { deviceId: 'box', name: 'A', subnetId: 'red', address: '10.20.0.8' } },
  // Its address is of another network than its subnet: that is found by itself.
  { kind: 'put-interface', interface: { deviceId: 'box', name: 'B', subnetId: 'blue', address: '10.22.0.8' } },
);
const seenBy = new Map([
  ['red', ['eth0']],
  ['blue', ['eth1', 'eth2']],
]);
const at = (deviceId: string, address: string, adapter: string | null = null) =>
  fieldAddressFindings(plan, new Map([[deviceId, { address, adapter }]]), seenBy);

describe('devices that answer on a network where the plan does not have them', () => {
  test('on the planned network nothing is found, at whichever of its addresses', () => {
    expect(at('amp', '10.20.0.7', 'eth0')).toEqual([]);
    expect(at('amp', '10.20.0.99', 'eth0')).toEqual([]);
    expect(at('box', '10.21.0.99', 'eth1')).toEqual([]);
    expect(at('box', '10.22.0.8')).toEqual([]);
  });

  test('on another one it is said which adapter reaches it, and which see the networks that it should be on', () => {
    expect(at('amp', '10.21.0.7', 'eth1')).toEqual([
      {
        ...{ id: 'answers|amp', severity: 'caution', deviceIds: ['amp'], about: 'answers-elsewhere' },
        ...{ address: '10.21.0.7', subnetId: 'blue', adapter: 'eth1' },
        planned: [{ subnetId: 'red', adapters: ['eth0'] }],
      },
    ]);
    expect(at('box', '192.0.2.8')).toMatchObject([
      {
        ...{ subnetId: null, adapter: null },
        planned: [
          { subnetId: 'red', adapters: ['eth0'] },
          { subnetId: 'blue', adapters: ['eth1', 'eth2'] },
        ],
      },
    ]);
  });

  test('nothing is said of devices without a network, of names, and of what the plan does not have', () => {
    expect(at('paper', '10.21.0.7')).toEqual([]);
    expect(at('gone', '10.21.0.7')).toEqual([]);
    expect(at('amp', 'amp.venue')).toEqual([]);
  });

  test('with one interface the plan can take the address over, and then nothing is found', () => {
    const [finding] = at('amp', '10.21.0.7', 'eth1');
    const [fix, ...more] = fixesFor(plan, finding!);
    expect(more).toEqual([]);
    const after = apply(plan, ...fix!.commands);
    expect(after.interfaces.get('amp')?.get('A')).toMatchObject({ subnetId: 'blue', address: '10.21.0.7' });
    expect(fieldAddressFindings(after, new Map([['amp', { address: '10.21.0.7', adapter: 'eth1' }]]), seenBy)).toEqual(
      [],
    );
    // Which of two interfaces it is, and which subnet is meant, nobody can tell from here.
    expect(fixesFor(plan, at('box', '192.0.2.8')[0]!)).toEqual([]);
    expect(fixesFor(plan, at('amp', '192.0.2.8')[0]!)).toEqual([]);
  });
});
