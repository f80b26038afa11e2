import { recordProblem } from '../formats/read-plan-file';
import { emptyPlan, interfacesOf } from '../plan/plan';
import { apply, planOf } from '../plan/test-plan';
import { modelNamed } from '../plan/test-plan';
import { PLAIN_SUBNET } from '../network/subnets-table';
import { unknownFiguresOf } from '../models/unknown-figures';
import type { FoundNode } from './found-node';
import { importNodes } from './import-nodes';
import { modelOfNode } from './model-of-node';

const node: FoundNode = {
  nodeId: 'n1',
  label: 'Sea organ',
  serial: 'SO-1',
  addresses: ['10.0.0.50', '10.9.0.50', '10.5.0.50'],
  channelsReceive: 16,
  channelsSend: 32,
  streamsReceive: 2,
  streamsSend: 4,
  rateHz: 48_000,
};
const subnet = (id: string, cidr: string, role: 'A' | 'B' | 'control') => ({
  kind: 'put-subnet' as const,
  subnet: { ...PLAIN_SUBNET, id, name: id, cidr, vlan: null, role },
});
const plan = apply(
  planOf({ console: modelNamed('console-72') }),
  subnet('b', '10.9.0.0/24', 'B'),
  subnet('c', '10.5.0.0/24', 'control'),
);

describe('a model made from what a node tells', () => {
  test('has its channels and streams; what nodes do not tell is not known', () => {
    const model = modelOfNode('m', 'Sea organ', node);
    expect(model).toMatchObject({ channelsReceive: 16, channelsSend: 32, streamsReceive: 2, streamsSend: 4 });
    expect(unknownFiguresOf(model)).toEqual(['channelsPerStreamMax', 'linkOffsetMinNs']);
    expect(model.clock).toBeNull();
    expect(recordProblem('models', structuredClone(model))).toBeNull();
  });

  test('takes formats and widths from the caps of its receivers, ports from its interfaces, a clock where it has one', () => {
    const range = { encodings: ['L24'], ratesHz: [48_000], packetTimesUs: [125, 1000], channelsMax: 16 } as const;
    const told = { ...node, receives: [range], interfaces: ['eth0', 'eth1', 'Mgmt'], hasPtp: true };
    const model = modelOfNode('m', 'Sea organ', told);
    expect(model.receives).toEqual({ formats: [range], levels: [] });
    expect(model.channelsPerStreamMax).toBe(16);
    expect(model.ports.map((p) => [p.name, p.role])).toEqual([
      ['eth0', 'A'],
      ['eth1', 'B'],
      ['Mgmt', 'control'],
    ]);
    expect(model.clock).not.toBeNull();
  });
});

describe('a node added as it is found', () => {
  const added = (of: FoundNode, into = plan) => {
    const after = apply(into, ...importNodes(into, [of]).commands);
    const device = [...after.devices.values()].find((d) => d.nodeId === of.nodeId)!;
    return { after, device, own: interfacesOf(after, device.id) };
  };

  test('has each address on the interface of its subnet’s role, and a port for each', () => {
    const { after, device, own } = added(node);
    expect([...own.values()].map((i) => [i.name, i.subnetId, i.address])).toEqual([
      ['A', 'a', '10.0.0.50'],
      ['B', 'b', '10.9.0.50'],
      ['control', 'c', '10.5.0.50'],
    ]);
    expect(after.models.get(device.modelId)?.ports.map((p) => p.role)).toEqual(['A', 'B', 'control']);
  });

  test('an address of no subnet is kept on leg A; a second one of the same subnet is left out', () => {
    const { own } = added({ ...node, addresses: ['192.168.1.9'] }, emptyPlan('Test'));
    expect([...own.values()].map((i) => [i.name, i.subnetId, i.address])).toEqual([['A', null, '192.168.1.9']]);
    const twice = added({ ...node, addresses: ['10.0.0.50', '10.0.0.51'] }).own;
    expect([...twice.values()].map((i) => i.address)).toEqual(['10.0.0.50']);
  });

  test('what a node calls its addresses need not be addresses', () => {
    const { own } = added({ ...node, addresses: ['sea-organ.local', 'fe80::1'] });
    expect([...own.values()].map((i) => [i.name, i.address])).toEqual([['A', null]]);
  });
});
