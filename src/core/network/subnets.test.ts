import fc from 'fast-check';
import { apply, deviceOf, modelNamed, planOf } from '../plan/test-plan';
import { PLAIN_SUBNET } from './subnets-table';
import { proposeAddresses, proposeMove, resizeSubnet, splitSubnet } from '../edits/propose-addresses';
import { formatAddress, isHostOfBlock, parseAddress, parseCidr } from './address';
import { longestRunMetres, cablesFor } from './cable';
import { fitnessOf } from './fitness';
import { feeds, POE_WATTS, powerOf } from './power';
import { cidrText, doOverlap, doubled, halves, subnetFigures, subnetUse } from './subnets';

const block = (text: string) => parseCidr(text)!;

describe('subnet arithmetic', () => {
  test.each([
    ['10.0.0.0/8', '10.0.0.0', '10.255.255.255', '10.0.0.1', '10.255.255.254', 16_777_214],
    ['10.71.36.77/24', '10.71.36.0', '10.71.36.255', '10.71.36.1', '10.71.36.254', 254],
    ['10.71.68.0/25', '10.71.68.0', '10.71.68.127', '10.71.68.1', '10.71.68.126', 126],
    ['10.73.0.0/23', '10.73.0.0', '10.73.1.255', '10.73.0.1', '10.73.1.254', 510],
    ['10.71.80.0/26', '10.71.80.0', '10.71.80.63', '10.71.80.1', '10.71.80.62', 62],
    ['192.0.2.4/30', '192.0.2.4', '192.0.2.7', '192.0.2.5', '192.0.2.6', 2],
    // RFC 3021: both addresses of a /31 are hosts.
    ['192.0.2.6/31', '192.0.2.6', null, '192.0.2.6', '192.0.2.7', 2],
    ['192.0.2.7/32', '192.0.2.7', null, '192.0.2.7', '192.0.2.7', 1],
  ])('%s', (cidr, network, broadcast, first, last, usableHosts) => {
    expect(subnetFigures(block(cidr))).toEqual({ network, broadcast, first, last, usableHosts });
  });

  const blocks = fc
    .tuple(fc.integer({ min: 0, max: 0xffffffff }), fc.integer({ min: 8, max: 32 }))
    .map(([address, prefix]) => block(`${formatAddress(address)}/${prefix}`));

  test('first and last are hosts, what lies beside them is not, and there are as many as is said', () => {
    fc.assert(
      fc.property(blocks, (b) => {
        const { first, last, usableHosts } = subnetFigures(b);
        const from = block(`${first}/32`).base;
        const to = block(`${last}/32`).base;
        expect(to - from + 1).toBe(usableHosts);
        expect(isHostOfBlock(from, b) && isHostOfBlock(to, b)).toBe(true);
        expect(isHostOfBlock(from - 1, b) || isHostOfBlock(to + 1, b)).toBe(false);
      }),
    );
  });

  test('blocks overlap when a walk finds a common address; halves are apart and together the whole', () => {
    fc.assert(
      fc.property(blocks, blocks, (a, b) => {
        const end = (x: typeof a) => x.base + 2 ** (32 - x.prefix) - 1;
        expect(doOverlap(a, b)).toBe(Math.max(a.base, b.base) <= Math.min(end(a), end(b)));
        expect(doOverlap(a, b)).toBe(doOverlap(b, a));
        const parts = halves(a);
        if (a.prefix === 32) return expect(parts).toBeNull();
        const [low, high] = parts!;
        expect(doOverlap(low, high)).toBe(false);
        expect([low.base, end(high)]).toEqual([a.base, end(a)]);
        expect(doubled(low)).toEqual(a);
        return expect(doubled(high)).toEqual(a);
      }),
    );
  });
});

const amp = modelNamed('amp-8');
const subnetOf = (id: string, cidr: string, change = {}) =>
  ({ kind: 'put-subnet', subnet: { id, name: id, cidr, vlan: 131, role: 'A', ...PLAIN_SUBNET, ...change } }) as const;

describe('how a subnet is used', () => {
  test('held, given by DHCP and free add up to what is usable', () => {
    const plan = apply(
      planOf({ one: amp, two: amp }),
      subnetOf('a', '10.0.0.0/28', { dhcp: { first: '10.0.0.2', last: '10.0.0.4' }, gateway: '10.0.0.1' }),
    );
    const use = subnetUse(plan, plan.subnets.get('a')!);
    expect(use.held.map((h) => formatAddress(h.address))).toEqual(['10.0.0.11', '10.0.0.12']);
    expect(use.usable).toBe(14);
    expect(use.free).toBe(14 - 2 - 3 - 1);
  });

  /** Addresses around the ends of small blocks, so that all cases meet. */
  const near = fc.integer({ min: 0x0a00_00f8, max: 0x0a00_0118 }).map(formatAddress);
  test('law: who holds which address, and how many are free, is as looked up address by address', () => {
    const subnets = fc.record({
      prefix: fc.integer({ min: 26, max: 32 }),
      at: near,
      dhcp: fc.option(fc.tuple(near, near)),
      gateway: fc.option(near),
    });
    fc.assert(
      fc.property(subnets, fc.array(fc.option(near), { maxLength: 24 }), (raw, held) => {
        const interfaces = new Map(
          held.map((address, n) => {
            const deviceId = `d${n % 9}`;
            return [`${deviceId} ${n}`, new Map([['A', { deviceId, name: 'A', subnetId: null, address }]])] as const;
          }),
        );
        const owners = new Map([...interfaces].map(([key, own]) => [key, own.get('A')?.address ?? null]));
        const [first, last] = raw.dhcp ?? [];
        const dhcp = first === undefined || last === undefined ? null : { first, last };
        const { gateway } = raw;
        const subnet = { ...PLAIN_SUBNET, id: 'a', name: 'a', vlan: null, role: 'A', dhcp, gateway } as const;
        const cidr = `${raw.at}/${raw.prefix}`;
        const use = subnetUse({ interfaces }, { ...subnet, cidr });
        const own = block(cidr);
        const isIn = (address: number) => address >= own.base && address < own.base + 2 ** (32 - own.prefix);
        const range = dhcp && [parseAddress(dhcp.first)!, parseAddress(dhcp.last)!];
        const isGiven = (a: number) => range !== null && range[0]! <= a && a <= range[1]!;
        const numbers = [...new Set([...owners.values()].flatMap((a) => (a === null ? [] : [parseAddress(a)!])))];
        const holders = (a: number) => [...owners].filter(([, b]) => b === formatAddress(a)).map(([key]) => key);
        const wanted = numbers.filter(isIn).sort((a, b) => a - b);
        expect(use.held).toEqual(wanted.map((address) => ({ address, deviceIds: holders(address) })));
        let free = 0;
        for (let a = own.base; a < own.base + 2 ** (32 - own.prefix); a += 1) {
          const isTaken = numbers.includes(a) || isGiven(a) || (gateway !== null && parseAddress(gateway) === a);
          if (isHostOfBlock(a, own) && !isTaken) free += 1;
        }
        expect(use.free).toBe(free);
      }),
      { numRuns: 500 },
    );
  });

  test('every device of a place is given a sound address, none twice, none of DHCP’s; what is right stays', () => {
    const base = planOf({ one: amp, two: amp, three: amp, four: amp });
    const at = (deviceId: string, address: string | null) =>
      ({ kind: 'put-interface', interface: { deviceId, name: 'A', subnetId: 'a', address } }) as const;
    const plan = apply(
      base,
      subnetOf('a', '10.0.0.0/24', { dhcp: { first: '10.0.0.10', last: '10.0.0.20' } }),
      at('one', '10.0.0.50'),
      at('two', null),
      at('three', '10.0.0.15'),
      at('four', '10.9.0.1'),
    );
    const { changes, commands, left } = proposeAddresses(plan, ['one', 'two', 'three', 'four']);
    expect(left).toEqual([]);
    expect(changes.map((c) => c.deviceId)).toEqual(['two', 'three', 'four']);
    const after = apply(plan, ...commands);
    expect(proposeAddresses(after, ['one', 'two', 'three', 'four']).changes).toEqual([]);
    expect(new Set(changes.map((c) => c.after)).size).toBe(3);
    expect(changes.every((c) => !/^10\.0\.0\.(1\d|20)$/.test(c.after ?? ''))).toBe(true);
  });

  test('a device is moved with its card and its control address in one go; the host part is kept where it is free', () => {
    const plan = apply(
      planOf({ console: modelNamed('console-72'), taken: amp }),
      subnetOf('a2', '10.5.0.0/24'),
      subnetOf('k1', '10.6.0.0/24', { role: 'control' }),
      subnetOf('k2', '10.7.0.0/24', { role: 'control' }),
      {
        kind: 'put-interface',
        interface: { deviceId: 'console', name: 'control', subnetId: 'k1', address: '10.6.0.33' },
      },
      { kind: 'put-interface', interface: { deviceId: 'taken', name: 'A', subnetId: 'a2', address: '10.5.0.11' } },
    );
    const { changes } = proposeMove(plan, ['console'], { A: 'a2', control: 'k2' });
    expect(changes.map((c) => [c.interface, c.before, c.after])).toEqual([
      ['A', '10.0.0.11', '10.5.0.10'],
      ['control', '10.6.0.33', '10.7.0.33'],
    ]);
  });

  test('a smaller block says who falls out; what it would overlap is named', () => {
    const plan = apply(planOf({ one: amp, two: amp }), subnetOf('b', '10.0.1.0/24'));
    const small = resizeSubnet(plan, 'a', '10.0.0.8/29');
    expect(small).toMatchObject({ ok: true, fallsOut: [], overlapIds: [] });
    expect(resizeSubnet(plan, 'a', '10.0.0.8/30')).toMatchObject({
      fallsOut: [{ deviceId: 'one' }, { deviceId: 'two' }],
    });
    expect(resizeSubnet(plan, 'a', '10.0.0.0/23')).toMatchObject({ ok: true, overlapIds: ['b'] });
    expect(resizeSubnet(plan, 'a', '10.0.0.0/33')).toEqual({ ok: false, problem: 'not-a-block' });
  });

  test('a split keeps every address: the upper half goes with its devices to a subnet with its own router address and VLAN', () => {
    const core = modelNamed('core-switch-24');
    const plan = apply(
      planOf({ low: amp, high: amp }),
      subnetOf('a', '10.0.0.0/24', { gateway: '10.0.0.1' }),
      { kind: 'put-model', model: core },
      { kind: 'add-device', device: deviceOf('core', core) },
      { kind: 'put-interface', interface: { deviceId: 'core', name: 'routed:a', subnetId: 'a', address: '10.0.0.1' } },
      { kind: 'put-interface', interface: { deviceId: 'high', name: 'A', subnetId: 'a', address: '10.0.0.200' } },
    );
    const split = splitSubnet(plan, 'a');
    if (!split.ok) throw new Error(split.problem);
    expect(split.fallsOut).toEqual([]);
    const after = apply(plan, ...split.commands);
    expect(split.subnets.map((s) => [s.cidr, s.gateway, s.vlan])).toEqual([
      ['10.0.0.0/25', '10.0.0.1', 131],
      ['10.0.0.128/25', '10.0.0.129', 132],
    ]);
    expect(after.interfaces.get('high')!.get('A')!).toMatchObject({
      subnetId: split.subnets[1]!.id,
      address: '10.0.0.200',
    });
    expect(after.interfaces.get('low')!.get('A')!.subnetId).toBe('a');
    expect(splitSubnet(apply(plan, subnetOf('t', '10.8.0.0/31')), 't')).toEqual({
      ok: false,
      problem: 'too-small-to-split',
    });
  });
});

describe('cables and power', () => {
  test.each([
    ['cat5e', 1e9, 100],
    ['cat6', 1e9, 100],
    ['cat6', 1e10, 55],
    ['cat6a', 1e10, 100],
    ['om3', 1e10, 300],
    ['om3', 2.5e10, 70],
    ['om3', 4e10, 100],
    ['om3', 1e11, 70],
    ['cat5e', 1e10, 0],
  ] as const)('%s at %d bit/s carries %d m', (cable, speed, metres) => {
    expect(longestRunMetres(cable, speed)).toBe(metres);
  });

  test('for 240 m at 10 Gb/s there is OM3 and single mode', () => {
    expect(cablesFor(240, 1e10)).toEqual(['om3', 'single-mode']);
  });

  test('the watts of a class at the switch are never fewer than at the device, and classes 0 and 3 ask the same', () => {
    for (const { supplied, drawn } of Object.values(POE_WATTS)) expect(supplied).toBeGreaterThan(drawn);
    expect(POE_WATTS[0]).toEqual(POE_WATTS[3]);
    expect(feeds(3, 0) && feeds(0, 3) && !feeds(2, 3) && !feeds(null, 1)).toBe(true);
  });

  test('a switch reserves the supply watts of each class it feeds', () => {
    const plan = apply(
      planOf({ bell: modelNamed('intercom-1'), shell: modelNamed('endpoint-2') }),
      { kind: 'put-model', model: modelNamed('edge-switch-16p') },
      { kind: 'add-device', device: deviceOf('edge', modelNamed('edge-switch-16p')) },
      ...(['bell', 'shell'] as const).map((id, n) => ({
        kind: 'put-link' as const,
        link: {
          id,
          from: { deviceId: id, port: 'Media' },
          to: { deviceId: 'edge', port: `Port ${n + 1}` },
          bitsPerSecond: 1e8,
          metres: 5,
          cable: null,
          duplex: 'full' as const,
          joinedAs: null,
          setAsidePercent: 0,
          carries: null,
        },
      })),
    );
    expect(powerOf(plan).get('edge')).toMatchObject({
      budgetW: 90,
      reservedW: 22.4,
      ports: [
        { deviceId: 'bell', reservedW: 15.4 },
        { deviceId: 'shell', reservedW: 7 },
      ],
    });
  });

  test('the plain office switch is not fit for media, and says at which points; the edge switch is', () => {
    const office = fitnessOf(modelNamed('office-switch-8'), 20)!;
    expect(office.verdict).toBe('unfit');
    expect(office.lines.filter((l) => l.verdict === 'unfit').map((l) => l.criterion)).toEqual([
      'snooping',
      'group-table',
      'queues',
      'dscp-trust',
      'energy-saving',
    ]);
    expect(fitnessOf(modelNamed('edge-switch-24'), 20)!.verdict).toBe('fit');
    expect(fitnessOf(modelNamed('edge-switch-24'), 2000)!.lines.find((l) => l.criterion === 'group-table')).toEqual({
      criterion: 'group-table',
      verdict: 'unfit',
      figure: 1024,
      wanted: 2000,
    });
    expect(fitnessOf(amp, 1)).toBeNull();
  });

  test('a block is written with its host bits cleared', () => {
    expect(cidrText(block('10.1.2.3/20'))).toBe('10.1.0.0/20');
  });
});
