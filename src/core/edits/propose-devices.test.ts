import fc from 'fast-check';
import { freeName, freeNames } from './free';
import { reckon } from '../reckon/reckon';
import { labelOf } from '../plan/plan';
import { freeId, proposeCopies, proposeDevices } from './propose-devices';
import { PLAIN_SUBNET } from '../network/subnets-table';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';

const amp = modelNamed('amp-8');
const start = () => planOf({ console: modelNamed('console-72'), 'Dome amp 1': amp });

describe('new devices', () => {
  test.each([
    ['Amp', 3, ['Amp 1', 'Amp 2', 'Amp 3']],
    ['Amp', 1, ['Amp']],
    ['Amp 7', 3, ['Amp 7', 'Amp 8', 'Amp 9']],
    ['Exhibit 08', 3, ['Exhibit 08', 'Exhibit 09', 'Exhibit 10']],
    ['Dome amp', 2, ['Dome amp 2', 'Dome amp 3']],
    ['Dome amp 1', 1, ['Dome amp 2']],
    ['Rack 2 amp', 2, ['Rack 2 amp 1', 'Rack 2 amp 2']],
    ['A-', 2, ['A- 1', 'A- 2']],
  ])('“%s” × %d are called %j', (name, count, names) => {
    expect(freeNames(start(), name, count)).toEqual(names);
  });

  test('law: names for new devices are as many as wanted, free, and none twice', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('Dome amp', 'Dome amp 1', 'console', 'X 09', 'Y'),
        fc.integer({ min: 1, max: 40 }),
        (name, n) => {
          const names = freeNames(start(), name, n);
          expect(names.length).toBe(n);
          expect(new Set([...names, ...[...start().devices.values()].map((d) => d.name)]).size).toBe(n + 2);
        },
      ),
    );
  });

  test('get names that count up, ids of their own and free addresses', () => {
    const commands = proposeDevices(start(), {
      model: amp,
      count: 3,
      name: 'Dome amp 1',
      placeId: null,
      subnetByRole: { A: 'a' },
    });
    const plan = apply(start(), ...commands);
    expect([...plan.devices.values()].map((d) => d.name)).toEqual([
      'console',
      'Dome amp 1',
      'Dome amp 2',
      'Dome amp 3',
      'Dome amp 4',
    ]);
    expect(reckon(plan).findings).toEqual([]);
    const addresses = [...plan.interfaces.values()].map((i) => i.get('A')?.address);
    expect(new Set(addresses).size).toBe(5);
  });

  test('stay without an address where the subnet is full', () => {
    let plan = start();
    plan = apply(plan, {
      kind: 'put-subnet',
      subnet: { id: 'tiny', name: 'Tiny', cidr: '10.9.0.0/30', vlan: null, role: 'A', ...PLAIN_SUBNET },
    });
    plan = apply(
      plan,
      ...proposeDevices(plan, { model: amp, count: 3, name: 'Amp', placeId: null, subnetByRole: { A: 'tiny' } }),
    );
    const given = [...plan.interfaces.values()].map((i) => i.get('A')).filter((i) => i?.subnetId === 'tiny');
    expect(given.map((i) => i?.address)).toEqual(['10.9.0.1', '10.9.0.2', null]);
  });

  test('copies take settings and labels along, but no lanes, serial or binding', () => {
    const plan = apply(
      start(),
      { kind: 'change-device', deviceId: 'Dome amp 1', change: { serial: 'X', nodeId: 'n', linkOffsetNs: 5_000_000 } },
      { kind: 'label-channels', deviceId: 'Dome amp 1', side: 'receive', labels: [{ channel: 2, label: 'North 2' }] },
      feed('console', 1, 'Dome amp 1', 1, 8),
    );
    const copied = apply(plan, ...proposeCopies(plan, 'Dome amp 1', 2));
    const copy = copied.devices.get('dome-amp-3');
    expect(copy).toMatchObject({ name: 'Dome amp 3', serial: null, nodeId: null, linkOffsetNs: 5_000_000 });
    expect(labelOf(copied, 'dome-amp-3', 'receive', 2)).toBe('North 2');
    expect(copied.subscriptions.has('dome-amp-3')).toBe(false);
    expect(reckon(copied).totals).toMatchObject({ refusals: 0, cautions: 0 });
  });

  test('names and ids that are taken are counted on', () => {
    expect(freeName(start(), 'console')).toBe('console 2');
    expect(freeId('Dôme  amp #1', new Set(['dome-amp-1']))).toBe('dome-amp-1-2');
    expect(freeId('***', new Set())).toBe('device');
  });
});
