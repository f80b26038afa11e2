import { isIn } from './areas';
import { modelNamed, apply, deviceOf, feed, planOf } from '../plan/test-plan';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { PLAIN_LINK, type Link } from '../network/links-table';
import { PLAIN_SUBNET, type Subnet } from '../network/subnets-table';
import { switchSettingsOf } from '../network/switch-settings';
import { provenFixes } from '../reckon/proven-fixes';
import { reckon } from '../reckon/reckon';
import type { Finding } from './finding';

const console72 = modelNamed('console-72');
const amp = modelNamed('amp-8');
const endpoint = modelNamed('endpoint-2');
const edge = modelNamed('edge-switch-24');
const powered = modelNamed('edge-switch-16p');
const core = modelNamed('core-switch-24');

const link = (id: string, from: string, to: string, change: Partial<Link> = {}): Command => {
  const end = (text: string) => {
    const [deviceId = '', port = ''] = text.split('#');
    return { deviceId, port };
  };
  return {
    kind: 'put-link',
    link: { id, from: end(from), to: end(to), bitsPerSecond: 1e9, metres: 10, ...PLAIN_LINK, cable: 'cat6', ...change },
  };
};
const subnet = (change: Partial<Subnet>): Command => ({
  kind: 'put-subnet',
  subnet: {
    id: 'a',
    name: 'Leg A',
    cidr: '10.0.0.0/24',
    vlan: 131,
    role: 'A',
    ...PLAIN_SUBNET,
    gateway: '10.0.0.1',
    querierIds: ['router'],
    ...change,
  },
});
const at = (deviceId: string, name: string, subnetId: string, address: string): Command => ({
  kind: 'put-interface',
  interface: { deviceId, name, subnetId, address },
});

/** console on edge-1, amp on edge-2, both edges on a router with multicast; two legs, nothing wrong. */
function sound(): Plan {
  return apply(
    planOf({ console: console72, amp }),
    ...[edge, powered, core].map((model): Command => ({ kind: 'put-model', model })),
    ...['edge-1', 'edge-2', 'edge-b'].map((id): Command => ({ kind: 'add-device', device: deviceOf(id, edge) })),
    { kind: 'add-device', device: deviceOf('router', core) },
    { kind: 'add-device', device: deviceOf('router-b', core) },
    subnet({}),
    subnet({
      id: 'b',
      name: 'Leg B',
      cidr: '10.2.0.0/24',
      vlan: 231,
      role: 'B',
      gateway: '10.2.0.1',
      querierIds: ['router-b'],
    }),
    at('router', 'routed:a', 'a', '10.0.0.1'),
    at('router-b', 'routed:b', 'b', '10.2.0.1'),
    at('console', 'B', 'b', '10.2.0.11'),
    at('amp', 'B', 'b', '10.2.0.12'),
    link('c', 'console#Media A', 'edge-1#Port 1'),
    link('d', 'amp#Media A', 'edge-2#Port 1'),
    link('u1', 'edge-1#Uplink 1', 'router#Uplink 1', { bitsPerSecond: 1e10 }),
    link('u2', 'edge-2#Uplink 1', 'router#Uplink 2', { bitsPerSecond: 1e10 }),
    link('cb', 'console#Media B', 'edge-b#Port 1'),
    link('db', 'amp#Media B', 'edge-b#Port 2'),
    link('ub', 'edge-b#Uplink 1', 'router-b#Uplink 1', { bitsPerSecond: 1e10 }),
    feed('console', 1, 'amp', 1, 8),
  );
}

const set = (plan: Plan, id: string, change: object): Command => ({
  kind: 'put-switch',
  settings: { ...switchSettingsOf(plan, id)!, ...change },
});

test('the plan that the faults below are put into has no finding but about clocks, of which nothing is said in it', () => {
  expect(reckon(sound()).findings.filter((f) => !isIn('clocks', f))).toEqual([]);
});

test('switches are managed by one network: where its VLAN does not lead from one to the other, that is said until it does', () => {
  const network = subnet({
    ...{ id: 'm', name: 'Management', cidr: '10.4.0.0/24', vlan: 300, role: 'control' },
    ...{ gateway: null, querierIds: [] },
  });
  const managed = ['edge-1', 'edge-2', 'edge-b'].map((id, n) => at(id, 'control', 'm', `10.4.0.${n + 2}`));
  const apart = (...commands: Command[]) =>
    reckon(apply(sound(), network, ...managed, ...commands)).findings.filter((f) => f.about === 'management-apart');
  expect(apart()).toMatchObject([{ severity: 'caution', subnetId: 'm', deviceIds: ['edge-b'] }]);
  expect(apart(link('m', 'router#Uplink 3', 'router-b#Uplink 3', { bitsPerSecond: 1e10 }))).toEqual([]);
  // A cable that does not carry the VLAN does not help.
  const cut = link('m', 'router#Uplink 3', 'router-b#Uplink 3', { bitsPerSecond: 1e10, carries: ['a', 'b'] });
  expect(apart(cut)).toHaveLength(1);
});

test('a control network of its own is no finding, as long as somebody is there to control from, or a router leads to it', () => {
  const network = subnet({
    id: 'k',
    name: 'Control',
    cidr: '10.3.0.0/24',
    role: 'control',
    gateway: null,
    querierIds: [],
  });
  const aboutControl = (...commands: Command[]) =>
    reckon(apply(sound(), network, ...commands)).findings.filter((f) => f.about === 'control-apart');
  const console = at('console', 'control', 'k', '10.3.0.5');
  expect(aboutControl(console).map((f) => f.deviceIds)).toEqual([['console']]);
  expect(aboutControl(console, at('amp', 'control', 'k', '10.3.0.6'))).toEqual([]);
  expect(aboutControl(console, at('router', 'routed:k', 'k', '10.3.0.1'))).toEqual([]);
});

/** Each fault by what is done to the sound plan, the finding it must give, and the numbers that must stand in it. */
const FAULTS: [Finding['about'], (plan: Plan) => Command[], object][] = [
  ['duplicate-address', () => [at('amp', 'A', 'a', '10.0.0.11')], { address: '10.0.0.11' }],
  ['address-outside-subnet', () => [at('amp', 'A', 'a', '10.9.0.4')], { cidr: '10.0.0.0/24' }],
  [
    'address-in-dhcp-range',
    () => [subnet({ dhcp: { first: '10.0.0.10', last: '10.0.0.11' } })],
    { address: '10.0.0.11' },
  ],
  [
    'subnet-full',
    () => [
      subnet({ dhcp: { first: '10.0.0.13', last: '10.0.0.254' } }),
      subnet({ cidr: '10.0.0.8/29', gateway: null, dhcp: { first: '10.0.0.9', last: '10.0.0.10' } }),
      at('x1', 'A', 'a', '10.0.0.13'),
      at('x2', 'A', 'a', '10.0.0.14'),
    ],
    { free: 0, usable: 6 },
  ],
  [
    'subnets-overlap',
    () => [subnet({ id: 'c', name: 'Wide', cidr: '10.2.0.0/16', role: 'other', querierIds: [], gateway: null })],
    { cidrs: ['10.2.0.0/24', '10.2.0.0/16'] },
  ],
  [
    'legs-on-one-vlan',
    () => [
      subnet({
        ...{ id: 'b', name: 'Leg B', cidr: '10.2.0.0/24', vlan: 131, role: 'B' },
        ...{ gateway: '10.2.0.1', querierIds: ['router-b'] },
      }),
    ],
    { severity: 'refusal', subnetIds: ['a', 'b'], vlan: 131 },
  ],
  [
    'control-unplugged',
    () => [
      subnet({ id: 'k', name: 'Control', cidr: '10.3.0.0/24', role: 'control', gateway: null, querierIds: [] }),
      at('console', 'control', 'k', '10.3.0.5'),
    ],
    { severity: 'caution', deviceIds: ['console'], subnetIds: ['k'] },
  ],
  ['no-querier', () => [subnet({ querierIds: [] })], { subnetId: 'a', devices: 2 }],
  ['two-queriers', () => [subnet({ querierIds: ['router', 'edge-1'] })], { winnerId: 'router' }],
  ['gateway-nobody', () => [subnet({ gateway: '10.0.0.2' })], { gateway: '10.0.0.2' }],
  [
    'control-apart',
    () => [
      subnet({ id: 'k', name: 'Control', cidr: '10.3.0.0/24', role: 'control', gateway: null, querierIds: [] }),
      at('console', 'control', 'k', '10.3.0.5'),
    ],
    { mediaSubnetId: 'a', controlSubnetId: 'k' },
  ],
  ['legs-in-one-network', () => [at('console', 'B', 'a', '10.0.0.77')], { subnetIds: ['a', 'a'] }],
  [
    'legs-at-one-switch',
    () => [link('x', 'spare#Media A', 'edge-b#Port 8'), link('y', 'spare#Media B', 'edge-b#Port 9')],
    { switchId: 'edge-b' },
  ],
  [
    'legs-share-switch',
    () => [
      link('cb', 'console#Media B', 'edge-1#Port 2'),
      link('v', 'edge-1#Uplink 2', 'edge-b#Uplink 2', { carries: ['b'] }),
    ],
    { switchId: 'edge-1', streamIds: ['console/1'] },
  ],
  [
    'link-unfit',
    () => [link('c', 'console#Media A', 'edge-1#Port 1', { cable: 'wireless' })],
    { why: 'wireless', streams: 1 },
  ],
  ['link-unfit', () => [link('c', 'console#Media A', 'edge-1#Port 1', { duplex: 'half' })], { why: 'half-duplex' }],
  ['energy-saving', (plan) => [set(plan, 'edge-1', { energySaving: true })], { switchId: 'edge-1', isFixed: false }],
  ['snooping-off', (plan) => [set(plan, 'edge-1', { snooping: false })], { canSnoop: true }],
  ['dscp-untrusted', (plan) => [set(plan, 'edge-1', { trustsDscp: false })], { canTrust: true }],
  [
    'queue-mapping',
    (plan) => [set(plan, 'edge-1', { queueByDscp: [{ dscp: 34, queue: 7 }] })],
    { ptpQueue: 0, mediaQueue: 7, queues: 8 },
  ],
  [
    'group-table-full',
    () => [
      { kind: 'put-model', model: { ...edge, switching: { ...edge.switching!, groupTableSize: 1 } } },
      at('spare', 'A', 'a', '10.0.0.60'),
      link('s', 'spare#Media A', 'edge-1#Port 3'),
      feed('spare', 1, 'amp', 8),
    ],
    { wanted: 2, limit: 1 },
  ],
  [
    'group-collision',
    () => [
      feed('console', 20, 'amp', 8),
      {
        kind: 'put-group-choice',
        choice: { senderDeviceId: 'console', streamNumber: 1, groupA: '239.71.1.1', groupB: '239.199.1.1' },
      },
    ],
    {
      groups: [
        { streamId: 'console/1', leg: 'A', group: '239.71.1.1' },
        { streamId: 'console/1', leg: 'B', group: '239.199.1.1' },
      ],
    },
  ],
  [
    'group-reserved',
    () => [
      {
        kind: 'put-group-choice',
        choice: { senderDeviceId: 'console', streamNumber: 1, groupA: '239.128.0.9', groupB: null },
      },
    ],
    { group: '239.128.0.9' },
  ],
  [
    'overload',
    () => [link('u1', 'edge-1#Uplink 1', 'router#Uplink 1', { bitsPerSecond: 1e7 })],
    { senderId: 'edge-1', usableBitsPerSecond: 1e7, ceilingPercent: 70 },
  ],
  [
    'overload',
    () => [link('u1', 'edge-1#Uplink 1', 'router#Uplink 1', { setAsidePercent: 99 })],
    { usableBitsPerSecond: 1e7 },
  ],
  [
    'loop',
    (plan) => [link('ring', 'edge-1#Uplink 2', 'edge-2#Uplink 2'), set(plan, 'edge-2', { spanningTree: false })],
    { linkIds: ['ring'], switchIds: ['edge-2'] },
  ],
  [
    'loop',
    (plan) => [link('self', 'edge-1#Port 7', 'edge-1#Port 8'), set(plan, 'edge-1', { spanningTree: false })],
    { linkIds: ['self'], switchIds: ['edge-1'] },
  ],
  [
    'poe-budget',
    () => [
      { kind: 'put-model', model: endpoint },
      { kind: 'add-device', device: deviceOf('gallery', powered) },
      link('g', 'gallery#Uplink 1', 'router#Uplink 3'),
      ...Array.from({ length: 13 }, (_, n): Command[] => [
        { kind: 'add-device', device: deviceOf(`e${n}`, endpoint) },
        link(`e${n}`, `e${n}#Media`, `gallery#Port ${n + 1}`, { bitsPerSecond: 1e8 }),
      ]).flat(),
    ],
    { wantedW: 91, budgetW: 90 },
  ],
  [
    'poe-class',
    () => [
      { kind: 'put-model', model: endpoint },
      { kind: 'add-device', device: deviceOf('fed', powered) },
      link('f', 'fed#Uplink 1', 'router#Uplink 3'),
      { kind: 'add-device', device: deviceOf('e1', endpoint) },
      { kind: 'add-device', device: deviceOf('e2', endpoint) },
      at('e1', 'A', 'a', '10.0.0.51'),
      at('e2', 'A', 'a', '10.0.0.52'),
      link('e2', 'e2#Media', 'fed#Port 1', { bitsPerSecond: 1e8 }),
      link('e1', 'e1#Media', 'edge-1#Port 9', { bitsPerSecond: 1e8 }),
    ],
    { takesClass: 2, givesClass: null },
  ],
  ['port-twice', () => [link('x', 'spare#Media A', 'edge-1#Port 1')], { port: 'Port 1', linkIds: ['c', 'x'] }],
  [
    'cable-too-long',
    () => [link('u1', 'edge-1#Uplink 1', 'router#Uplink 1', { bitsPerSecond: 1e10, metres: 56 })],
    { metres: 56, limitMetres: 55 },
  ],
  [
    'link-too-fast',
    () => [link('c', 'console#Media A', 'edge-1#Port 1', { bitsPerSecond: 1e10 })],
    { portBitsPerSecond: 1e9 },
  ],
  [
    'discovery-local',
    () => [
      subnet({ id: 'far', name: 'Far', cidr: '10.1.0.0/24', gateway: null, querierIds: ['router'] }),
      at('router', 'routed:far', 'far', '10.1.0.1'),
      at('amp', 'A', 'far', '10.1.0.5'),
      { kind: 'change-settings', settings: { discovery: 'local' } },
    ],
    { subnetIds: ['a', 'far'], lanes: 8 },
  ],
  [
    'late-by-queueing',
    (plan) => {
      const crowd = [
        at('spare', 'A', 'a', '10.0.0.60'),
        link('s', 'spare#Media A', 'edge-1#Port 3'),
        feed('spare', 1, 'amp', 8),
      ];
      // The offset is enough for the way, and not for the way behind the other sender's packet.
      const { neededNs } = reckon(apply(plan, ...extras, ...crowd))
        .lanesByReceiver.get('amp')!
        .get(1)!.reception!.offset;
      return [...crowd, { kind: 'change-device', deviceId: 'amp', change: { linkOffsetNs: neededNs + 500 } }];
    },
    { receiverDeviceId: 'amp' },
  ],
];

/** Devices that only some faults need. */
const extras: Command[] = [
  { kind: 'add-device', device: deviceOf('spare', console72) },
  { kind: 'add-device', device: deviceOf('x1', amp) },
  { kind: 'add-device', device: deviceOf('x2', amp) },
];

describe('each fault is found with its numbers, and every fix that is offered takes it away', () => {
  test.each(FAULTS)('%s', (about, change, numbers) => {
    const base = sound();
    const plan = apply(base, ...extras, ...change(base));
    const reckoning = reckon(plan);
    const found = reckoning.findings.find((f) => f.about === about);
    expect(found).toMatchObject(numbers);
    const fixes = provenFixes(reckoning, found!);
    expect(fixes.length).toBeGreaterThan(0);
    for (const fix of fixes) {
      const after = reckon(apply(plan, ...fix.commands)).findings.map((f) => f.id);
      expect(after).not.toContain(found!.id);
    }
  });
});

test('IEEE 802.3, clause 33: power goes over copper only', () => {
  const fed = (cable: 'cat6' | 'om3' | null) =>
    apply(
      sound(),
      { kind: 'put-model', model: endpoint },
      { kind: 'add-device', device: deviceOf('fed', powered) },
      link('f', 'fed#Uplink 1', 'router#Uplink 3'),
      { kind: 'add-device', device: deviceOf('e2', endpoint) },
      at('e2', 'A', 'a', '10.0.0.52'),
      link('e2', 'e2#Media', 'fed#Port 1', { bitsPerSecond: 1e8, cable }),
    );
  const unpowered = (plan: Plan) => reckon(plan).findings.filter((f) => f.about === 'poe-class').length;
  expect([unpowered(fed('cat6')), unpowered(fed(null)), unpowered(fed('om3'))]).toEqual([0, 0, 1]);
});

describe('reach across routers', () => {
  const far = (routing: 'unicast' | 'multicast', ttl = 32): Plan =>
    apply(
      sound(),
      { kind: 'put-model', model: { ...core, switching: { ...core.switching!, routing } } },
      subnet({ id: 'far', name: 'Far', cidr: '10.1.0.0/24', gateway: null, querierIds: ['router'] }),
      at('router', 'routed:far', 'far', '10.1.0.1'),
      at('amp', 'A', 'far', '10.1.0.5'),
      { kind: 'remove-interface', deviceId: 'amp', name: 'B' },
      { kind: 'change-settings', settings: { multicastTtl: ttl } },
    );
  const first = (plan: Plan) => reckon(plan).lanesByReceiver.get('amp')!.get(1)!;

  test('unicast routing alone does not carry a group; a copy for each receiver gets through', () => {
    expect(first(far('unicast'))).toMatchObject({
      verdict: 'refused',
      reason: { code: 'not-reachable', unicastOnly: true },
    });
    const reckoning = reckon(far('unicast'));
    const finding = reckoning.findings.find((f) => f.about === 'lanes-refused')!;
    const fix = provenFixes(reckoning, finding)[0]!;
    expect(fix.does).toBe('send-unicast');
    const sent = reckon(apply(far('unicast'), ...fix.commands));
    expect(sent.lanesByReceiver.get('amp')!.get(1)!.verdict).not.toBe('refused');
    // It goes to the receiver's own address.
    expect(sent.groupsByStream.get('console/1')!.A).toBe(0x0a010005);
  });

  test('a router that was told not to route groups is told to by the fix', () => {
    const plan = apply(far('multicast'), set(far('multicast'), 'router', { multicastRouting: false }));
    const reckoning = reckon(plan);
    const finding = reckoning.findings.find((f) => f.about === 'lanes-refused')!;
    const fix = provenFixes(reckoning, finding)[0]!;
    expect(fix).toMatchObject({ does: 'set-switch', what: 'multicast-routing-on' });
    expect(first(apply(plan, ...fix.commands)).verdict).not.toBe('refused');
  });

  test('a time to live of one ends at the first router, of two reaches behind it', () => {
    expect(first(far('multicast', 1))).toMatchObject({ reason: { code: 'ttl-too-short', routers: 1, ttl: 1 } });
    expect(first(far('multicast', 2)).verdict).not.toBe('refused');
    const reckoning = reckon(far('multicast', 1));
    const fix = provenFixes(
      reckoning,
      reckoning.findings.find((f) => f.about === 'lanes-refused')!,
    )[0]!;
    expect(fix).toMatchObject({ does: 'set-ttl', ttl: 2 });
  });

  test('a copy for each receiver is not held to the time to live of groups', () => {
    const plan = apply(far('unicast', 1), {
      kind: 'change-device',
      deviceId: 'console',
      change: { sendsUnicast: true },
    });
    expect(first(plan).verdict).not.toBe('refused');
  });

  test('plugged in at both ends and yet not joined: one leg is missed, both are a refusal', () => {
    const one = apply(sound(), { kind: 'remove-link', linkId: 'u2' });
    expect(first(one)).toMatchObject({ verdict: 'caution', reception: { caution: { code: 'one-leg', missing: 'A' } } });
    const none = apply(one, {
      kind: 'put-link',
      link: { ...one.links.get('db')!, to: { deviceId: 'edge-2', port: 'Port 5' } },
    });
    expect(first(none)).toMatchObject({ verdict: 'refused', reason: { code: 'not-joined' } });
  });
});
