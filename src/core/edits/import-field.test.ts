import { planOfFile } from '../formats/plan-file';
import { skerryPoint } from '../../demo/skerry-point';
import { importNetwork } from './import-network';
import { rowsOfField, type FoundInterfaces } from './import-field';

const plan = planOfFile(skerryPoint());
const held = (found: Record<string, FoundInterfaces>) =>
  importNetwork(plan, rowsOfField(plan, new Map(Object.entries(found))));
const attached = (chassisId: string, portId: string) => ({ chassisId, portId });

test('a device that is where the plan has it brings nothing new', () => {
  const link = plan.links.get('drop-dome-amp-1-a')!;
  const items = held({
    'dome-amp-1': {
      addresses: ['10.71.52.31', '10.72.52.31'],
      interfaces: [{ name: 'A', attached: attached(plan.devices.get('south-edge-a')!.serial!, link.to.port) }],
    },
  });
  expect(items.map((i) => i.verdict)).toEqual(['same']);
});

test('another socket and another address are told, leg by leg, by the subnet that holds the address', () => {
  const items = held({
    'dome-amp-1': {
      addresses: ['10.71.52.31', '10.72.52.77'],
      interfaces: [{ name: 'B', attached: attached('south edge b', 'Port 22') }],
    },
  });
  expect(items).toEqual([expect.objectContaining({ verdict: 'differs', port: 'Media B' })]);
  expect(items[0]!.changes).toEqual([
    { what: 'address', before: '10.72.52.31', after: '10.72.52.77' },
    {
      what: 'plugged into',
      before: expect.stringMatching(/^South edge B Port/) as string,
      after: 'South edge B Port 22',
    },
  ]);
});

test('a switch that the plan does not know, and an address that no subnet holds, are named and change nothing', () => {
  const items = held({
    'dome-amp-1': { addresses: [], interfaces: [{ name: 'A', attached: attached('02-aa-bb-cc-dd-ee', 'ge-0/0/1') }] },
    'dome-amp-2': { addresses: ['192.168.7.7'], interfaces: [] },
  });
  expect(items.map((i) => i.problem)).toEqual([
    'no switch is called “02-aa-bb-cc-dd-ee”',
    'no subnet of the plan holds 192.168.7.7',
  ]);
});
