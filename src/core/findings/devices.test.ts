import fc from 'fast-check';
import { parseAddress } from '../network/address';
import { reachOf } from '../network/reach';
import { routesOf } from '../network/routes';
import type { Plan } from '../plan/plan';
import { arbitraryPlan } from '../plan/test-arbitrary';
import { apply, modelNamed, planOf } from '../plan/test-plan';
import { deviceFindings } from './devices';
import type { Finding } from './finding';

const found = (plan: Plan): Finding[] => deviceFindings(plan, reachOf(plan, routesOf(plan)));
const some = (plan: Plan, about: Finding['about']) => found(plan).filter((f) => f.about === about);

/** Plans in which names and addresses are few, so that they meet. */
const crowded = fc
  .tuple(
    arbitraryPlan(6),
    fc.array(fc.nat(3), { minLength: 1, maxLength: 8 }),
    fc.array(fc.nat(4), { minLength: 1, maxLength: 8 }),
  )
  .map(([plan, names, hosts]): Plan => {
    let n = 0;
    const pick = (of: readonly number[]) => of[n % of.length] as number;
    const devices = new Map(
      [...plan.devices].map(([id, d]) => {
        n += 1;
        return [id, { ...d, name: `Amp ${pick(names)}` }] as const;
      }),
    );
    const interfaces = new Map(
      [...plan.interfaces].map(([id, own]) => [
        id,
        new Map(
          [...own].map(([name, i]) => {
            n += 1;
            return [name, i.address === null ? i : { ...i, address: `10.0.0.${pick(hosts) + 1}` }] as const;
          }),
        ),
      ]),
    );
    return { ...plan, devices, interfaces };
  });

describe('names and addresses', () => {
  test('law: of every name and address that several have it is told who, found by comparing each with each', () => {
    let names = 0;
    let addresses = 0;
    fc.assert(
      fc.property(crowded, (plan) => {
        const devices = [...plan.devices.values()];
        const twins = new Map<string, string[]>();
        for (const d of devices) {
          const same = devices.filter((other) => other.name === d.name).map((other) => other.id);
          if (same.length > 1) twins.set(d.name, same.sort());
        }
        const told = some(plan, 'duplicate-name');
        expect(new Map(told.map((f) => ['name' in f ? f.name : '', [...f.deviceIds]]))).toEqual(twins);
        names += twins.size;

        const all = [...plan.interfaces].flatMap(([id, own]) => [...own.values()].map((i) => ({ id, ...i })));
        const shared = new Map<string, string[]>();
        for (const i of all) {
          if (i.address === null) continue;
          const same = all.filter((other) => other.address === i.address);
          const nodes = same.map(({ id }) => plan.devices.get(id));
          const [nodeId] = nodes.map((d) => d?.nodeId ?? null);
          // Different devices of one node have its address once.
          const areOne =
            nodeId != null &&
            nodes.every((d) => d?.nodeId === nodeId && d.nodeDeviceId !== null) &&
            new Set(nodes.map((d) => d?.nodeDeviceId)).size === nodes.length;
          if (same.length > 1 && !areOne) shared.set(i.address, same.map((s) => `${s.id}/${s.name}`).sort());
        }
        const toldOf = some(plan, 'duplicate-address');
        expect(
          new Map(toldOf.map((f) => ('address' in f && 'interfaces' in f ? [f.address, [...f.interfaces]] : ['', []]))),
        ).toEqual(shared);
        addresses += shared.size;
      }),
      { numRuns: 100 },
    );
    expect(names).toBeGreaterThan(10);
    expect(addresses).toBeGreaterThan(10);
  });

  test('an address outside its subnet, its network address and its broadcast address are no hosts of it', () => {
    const plan = planOf({ amp: modelNamed('amp-8') });
    const at = (address: string) =>
      some(
        apply(plan, { kind: 'put-interface', interface: { deviceId: 'amp', name: 'A', subnetId: 'a', address } }),
        'address-outside-subnet',
      ).length;
    expect(['10.0.0.1', '10.0.0.254', '10.0.0.0', '10.0.0.255', '10.0.1.1'].map(at)).toEqual([0, 0, 1, 1, 1]);
  });

  test('a fixed address within what DHCP gives away is a caution, its ends included', () => {
    const plan = planOf({ amp: modelNamed('amp-8') });
    const subnet = { ...plan.subnets.get('a')!, dhcp: { first: '10.0.0.100', last: '10.0.0.110' } };
    const at = (address: string) =>
      some(
        apply(
          plan,
          { kind: 'put-subnet', subnet },
          { kind: 'put-interface', interface: { deviceId: 'amp', name: 'A', subnetId: 'a', address } },
        ),
        'address-in-dhcp-range',
      ).length;
    expect(parseAddress('10.0.0.100')).not.toBeNull();
    expect(['10.0.0.99', '10.0.0.100', '10.0.0.110', '10.0.0.111'].map(at)).toEqual([0, 1, 1, 0]);
  });
});
