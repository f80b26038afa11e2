import { isIn } from './areas';
import fc from 'fast-check';
import { PLAIN_CLOCK, type ClockAbility } from '../clocks/clock-ability';
import { plannedClock } from '../clocks/clock-settings';
import { keepsProfile } from '../clocks/profiles';
import { proposeClocks } from '../clocks/propose';
import { topologyOf } from '../network/topology';
import type { Command } from '../plan/commands';
import { emptyPlan, type Plan } from '../plan/plan';
import type { Model } from '../models/models-table';
import { PLAIN_SUBNET } from '../network/subnets-table';
import type { ClockSettings } from '../clocks/clocks-table';
import type { Reference } from '../clocks/references-table';
import { apply, deviceOf, feed, modelNamed, cable } from '../plan/test-plan';
import { provenFixes } from '../reckon/proven-fixes';
import { reckon } from '../reckon/reckon';
import { fieldClockFindings } from './field-clocks';
import type { Finding } from './finding';

const master = modelNamed('master-clock');
const models = {
  gm: master,
  spare: master,
  console: modelNamed('console-72'),
  amp: modelNamed('amp-8'),
  proc: modelNamed('processor-64'),
  far: modelNamed('amp-8'),
  expander: modelNamed('expander-8'),
};
const core = modelNamed('core-switch-24');

const at = (deviceId: string, name: string, subnetId: string, address: string): Command => ({
  kind: 'put-interface',
  interface: { deviceId, name, subnetId, address },
});
const change = (plan: Plan, deviceId: string, settings: Partial<ClockSettings>): Plan =>
  apply(plan, { kind: 'put-clock', settings: { ...plannedClock(plan, deviceId)!.settings, ...settings } });
const ability = (plan: Plan, deviceId: string, now: Partial<ClockAbility>): Plan => {
  const model = plan.models.get(plan.devices.get(deviceId)!.modelId)!;
  const id = `${model.id}-${deviceId}`;
  return apply(
    plan,
    { kind: 'put-model', model: { ...model, id, clock: { ...(model.clock ?? PLAIN_CLOCK), ...now } } },
    { kind: 'change-device', deviceId, change: { modelId: id } },
  );
};
const reference = (id: string, more: Partial<Reference> = {}): Command => ({
  kind: 'put-reference',
  reference: {
    id,
    name: id,
    kind: 'word-clock',
    fromDeviceId: null,
    rateHz: 48_000,
    isFed: true,
    offsetNs: 0,
    ...more,
  },
});

/** Two routed subnets, a grandmaster with GNSS and its spare in the north, a processing unit as spare relay in the south. */
function sound(): Plan {
  let plan = emptyPlan('Test');
  for (const [id, cidr] of [
    ['north', '10.1.0.0/24'],
    ['south', '10.2.0.0/24'],
  ] as const) {
    plan = apply(plan, {
      kind: 'put-subnet',
      subnet: { id, name: id, cidr, vlan: null, role: 'A', ...PLAIN_SUBNET },
    });
  }
  plan = apply(
    plan,
    { kind: 'put-model', model: core },
    { kind: 'add-device', device: deviceOf('core', core) },
    at('core', 'routed:north', 'north', '10.1.0.1'),
    at('core', 'routed:south', 'south', '10.2.0.1'),
  );
  let host = 10;
  for (const [id, model] of Object.entries(models)) {
    host += 1;
    const subnet = id === 'proc' || id === 'far' ? 'south' : 'north';
    plan = apply(
      plan,
      { kind: 'put-model', model },
      { kind: 'add-device', device: deviceOf(id, model) },
      at(id, 'A', subnet, `10.${subnet === 'north' ? 1 : 2}.0.${host}`),
    );
  }
  plan = apply(plan, reference('roof', { kind: 'gnss', rateHz: null }), feed('console', 1, 'amp', 1, 4));
  plan = change(plan, 'gm', { mediaClock: 'references', referenceIds: ['roof'] });
  return apply(plan, ...proposeClocks(plan, topologyOf(plan)).commands);
}
const aboutClocks = (plan: Plan) => reckon(plan).findings.filter((f) => isIn('clocks', f));

test('the plan that the faults below are put into has no finding about clocks', () => {
  expect(aboutClocks(sound())).toEqual([]);
});

/** Each fault by what is done to the sound plan, the finding it must give, and the numbers that must stand in it. */
const FAULTS: readonly (readonly [string, (plan: Plan) => Plan, Finding['about'], object])[] = [
  [
    'two grandmasters that could see each other’s devices',
    (p) =>
      change(change(change(p, 'core', { relay: 'none', runsPtp: false }), 'proc', { relay: 'none' }), 'proc', {
        clientOnly: false,
      }),
    'two-grandmasters',
    { grandmasterIds: ['gm', 'proc'], subnetIds: ['south'], areSynchronous: false },
  ],
  [
    'a tie that is left to the identity',
    (p) =>
      change(change(change(p, 'gm', { mediaClock: 'ptp' }), 'gm', { priority2: 5 }), 'spare', {
        priority1: 10,
        priority2: 5,
      }),
    'clock-tie',
    { winnerId: 'gm', isIdentityKnown: false },
  ],
  [
    'all who may lead at the default priority',
    (p) =>
      Object.keys(models)
        .filter((id) => plannedClock(p, id)!.ability.mayLead)
        .concat('core')
        .reduce((now, id) => change(now, id, { priority1: 128, priority2: 128, clientOnly: false }), p),
    'priorities-default',
    { count: 5, winnerId: 'gm' },
  ],
  [
    'a first choice that only follows',
    (p) => change(p, 'amp', { priority1: 1 }),
    'leader-only-follows',
    { priority1: 1, canLead: false, ignoresId: 'gm', severity: 'refusal' },
  ],
  ['a grandmaster on a battery', (p) => ability(p, 'gm', { isBattery: true }), 'battery-grandmaster', { followers: 7 }],
  [
    'a subnet with no relay',
    (p) => change(change(p, 'core', { relay: 'none', runsPtp: false }), 'proc', { relay: 'none', clientOnly: true }),
    'subnet-no-time',
    { subnetId: 'south', devices: 2, isTimeElsewhere: true },
  ],
  [
    'a subnet with a relay and no spare',
    (p) => change(p, 'proc', { relay: 'none', unicastMasterIds: [], clientOnly: true }),
    'relay-no-spare',
    { subnetId: 'south', relayId: 'core', devices: 2 },
  ],
  [
    'a relay that cannot reach whom it asks',
    (p) =>
      change(
        apply(
          p,
          {
            kind: 'put-subnet',
            subnet: { id: 'isle', name: 'isle', cidr: '10.7.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
          },
          at('proc', 'A', 'isle', '10.7.0.9'),
        ),
        'proc',
        { relay: 'unicast', unicastMasterIds: ['gm'], clientOnly: true },
      ),
    'relay-unreachable',
    { relayId: 'proc', masterId: 'gm' },
  ],
  [
    'intervals that a device does not accept',
    (p) => change(ability(p, 'amp', { profiles: ['aes67'] }), 'gm', { logAnnounceInterval: -2, profile: 'st2059' }),
    'profile-unmet',
    { leaderId: 'gm' },
  ],
  [
    'an announce interval unlike the leader’s',
    (p) => change(p, 'amp', { logAnnounceInterval: 1 }),
    'intervals-differ',
    { leaderId: 'gm', field: 'logAnnounceInterval', leaderValue: 0, values: [1] },
  ],
  [
    'a device in another domain',
    (p) => change(p, 'amp', { domainNumber: 127 }),
    'domains-differ',
    { subnetId: 'north', domainNumber: 127, usualDomain: 0 },
  ],
  [
    'a device that is to lead and to follow a reference which nobody feeds',
    (p) =>
      change(apply(p, reference('house', { isFed: false })), 'spare', {
        mediaClock: 'references',
        referenceIds: ['house'],
      }),
    'reference-missing',
    { leads: true, state: 'hold-over', tried: [{ referenceId: 'house', problem: 'not-fed' }] },
  ],
  [
    'a reference without the wanted rate',
    (p) =>
      change(apply(p, reference('boat', { rateHz: 44_100 })), 'console', {
        mediaClock: 'references',
        referenceIds: ['boat'],
      }),
    'reference-rate',
    { referenceId: 'boat', referenceRateHz: 44_100, wantedRateHz: 48_000 },
  ],
  [
    'a rate that is not that of the clock group',
    (p) => apply(p, { kind: 'change-device', deviceId: 'proc', change: { rateHz: 96_000 } }),
    'rate-not-of-group',
    { groupRateHz: 48_000, rateHz: 96_000 },
  ],
  [
    'a clock group in which nobody decides',
    (p) => apply(p, { kind: 'put-clock-group', group: { ...[...p.clockGroups.values()][0]!, authority: null } }),
    'group-no-authority',
    { members: 5 },
  ],
  [
    'free-running clocks with lanes between them',
    (p) => change(p, 'console', { mediaClock: 'own' }),
    'free-running',
    // The console's 10 ppm against GNSS: one sample in 1 / (48 000 × 10⁻⁵) s.
    {
      partsPerMillion: 10,
      slipSeconds: 1 / (48_000 * 10 * 1e-6),
      pairs: [{ senderId: 'console', receiverId: 'amp', lanes: 4 }],
    },
  ],
  [
    'two sides of a converter on two clocks with no SRC between',
    (p) =>
      change(
        apply(p, reference('boat'), {
          kind: 'put-clock-group',
          group: { id: 'boat', name: 'Boat', rateHz: 48_000, authority: { kind: 'reference', id: 'boat' } },
        }),
        'expander',
        { secondGroupId: 'boat' },
      ),
    'free-running-sides',
    { groupId: 'boat', partsPerMillion: 10 },
  ],
  [
    'a grandmaster without a spare',
    (p) => change(p, 'spare', { priority1: 250 }),
    'grandmaster-no-spare',
    { isOnBothLegs: false, nextId: 'core', devicesWithoutTime: 0 },
  ],
  [
    'a device that speaks only PTPv1',
    (p) => ability(p, 'amp', { ptpVersions: [1] }),
    'version-1-alone',
    { subnetId: 'north' },
  ],
];

describe.each(FAULTS)('%s', (_, fault, about, figures) => {
  const plan = fault(sound());
  const reckoning = reckon(plan);
  const found = reckoning.findings.filter((f) => f.about === about);

  test('is found, with its numbers', () => {
    expect(found).toHaveLength(1);
    expect(found[0]).toMatchObject(figures);
    expect(found[0]!.deviceIds.length).toBeGreaterThan(0);
  });

  test('has a fix that takes it away', () => {
    const fixes = provenFixes(reckoning, found[0]!);
    expect(fixes.length).toBeGreaterThan(0);
    for (const fix of fixes) {
      expect(reckon(apply(plan, ...fix.commands)).findings.map((f) => f.id)).not.toContain(found[0]!.id);
    }
  });

  test('is found just the same when only what changed is worked out again', () => {
    expect(reckon(plan, reckon(sound())).findings).toEqual(reckoning.findings);
  });
});

describe('grandmasters in the field', () => {
  const identity = (plan: Plan, id: string, clockIdentity: string) => change(plan, id, { clockIdentity });
  const plan = identity(identity(sound(), 'gm', '0200000000000001'), 'spare', '0200000000000002');
  const { time } = reckon(plan).clocks;
  const told = (gmids: Record<string, string>) =>
    fieldClockFindings(plan, time, new Map(Object.entries(gmids).map(([id, gmid]) => [id, { gmid, locked: true }])));

  test('are as planned: nothing is wrong', () => {
    expect(told({ amp: '0200000000000001', console: '0200000000000001' })).toEqual([]);
  });

  test('one that differs from the plan is found with its devices, and can be taken into the plan', () => {
    const [found] = told({ amp: '0200000000000002', console: '0200000000000002' });
    expect(found).toMatchObject({
      about: 'field-grandmaster',
      plannedId: 'gm',
      foundId: 'spare',
      deviceIds: ['amp', 'console'],
    });
    const [fix] = provenFixes(reckon(plan), found!);
    expect(reckon(apply(plan, ...fix!.commands)).clocks.time.grandmasterIds[0]).toBe('spare');
  });

  test('two at once are a refusal, an unknown one told by its identity', () => {
    const found = told({ amp: '0200000000000001', console: '0200000000000001', far: 'AABBCCFFFEDDEEFF' });
    expect(found.map((f) => [f.about, f.severity])).toEqual([
      ['field-two-grandmasters', 'refusal'],
      ['field-grandmaster', 'caution'],
    ]);
    expect(found[1]).toMatchObject({ foundId: null, foundGmid: 'AABBCCFFFEDDEEFF', deviceIds: ['far'] });
  });
});

test('law: who cannot follow its leader, whose intervals differ and who is in another domain is found by asking one by one', () => {
  const ids = [...Object.keys(models), 'core'];
  const told = { unmet: 0, differing: 0, domains: 0 };
  const settings = fc.record({
    id: fc.constantFrom(...ids),
    logSyncInterval: fc.constantFrom(-7, -3, 0),
    logAnnounceInterval: fc.constantFrom(-2, 0, 1, 4),
    logDelayRequestInterval: fc.constantFrom(-3, 0),
    announceTimeout: fc.constantFrom(2, 3, 11),
    domainNumber: fc.constantFrom(0, 0, 0, 5),
  });
  fc.assert(
    fc.property(fc.array(settings, { maxLength: 8 }), (changed) => {
      const plan = changed.reduce((now, { id, ...fields }) => change(now, id, fields), sound());
      const { clocks, findings } = reckon(plan);
      const planned = (id: string) => clocks.network.clocks.get(id)!.planned;
      const unmet = new Map<string, string[]>();
      const differing = new Map<string, string[]>();
      for (const { deviceId, parentId } of clocks.time.byDevice.values()) {
        if (parentId === null || !planned(deviceId).ability.ptpVersions.includes(2)) continue;
        const [own, leader] = [planned(deviceId), planned(parentId)];
        const intervals = { ...leader.settings, announceTimeout: own.settings.announceTimeout };
        if (!own.ability.profiles.some((p) => keepsProfile(intervals, p))) {
          unmet.set(parentId, [...(unmet.get(parentId) ?? []), deviceId]);
          continue;
        }
        for (const field of ['logAnnounceInterval', 'logSyncInterval', 'logDelayRequestInterval'] as const) {
          const key = `${parentId}|${field}`;
          if (own.settings[field] !== leader.settings[field])
            differing.set(key, [...(differing.get(key) ?? []), deviceId]);
        }
      }
      const domains = new Map<string, string[]>();
      for (const { id, subnetId, deviceIds } of clocks.time.segments.values()) {
        const inDomain = new Map<number, string[]>();
        for (const deviceId of deviceIds) {
          const { domainNumber } = planned(deviceId).settings;
          inDomain.set(domainNumber, [...(inDomain.get(domainNumber) ?? []), deviceId]);
        }
        const most = Math.max(...[...inDomain.values()].map((all) => all.length));
        const usual = Math.min(...[...inDomain].filter(([, all]) => all.length === most).map(([number]) => number));
        for (const [number, all] of inDomain)
          if (subnetId !== null && number !== usual) domains.set(`${id}|${number}`, all);
      }
      const idsOf = (about: Finding['about']) =>
        new Map(
          findings.filter((f) => f.about === about).map((f) => [f.id.slice(f.id.indexOf('|') + 1), [...f.deviceIds]]),
        );
      expect(idsOf('profile-unmet')).toEqual(unmet);
      expect(idsOf('intervals-differ')).toEqual(differing);
      expect(idsOf('domains-differ')).toEqual(domains);
      told.unmet += unmet.size;
      told.differing += differing.size;
      told.domains += domains.size;
    }),
    { numRuns: 80 },
  );
  for (const count of Object.values(told)) expect(count).toBeGreaterThan(10);
});

/** A grandmaster, three switches in a row, a follower: all in one VLAN. */
function inARow(switching: Partial<NonNullable<Model['switching']>>): Plan {
  const edge = modelNamed('edge-switch-24');
  const plain = { ...edge, id: 'row-switch', switching: { ...edge.switching!, ...switching } };
  const master = modelNamed('master-clock');
  const amp = modelNamed('amp-8');
  const names = ['s1', 's2', 's3'];
  return apply(
    emptyPlan('Row'),
    {
      kind: 'put-subnet',
      subnet: { id: 'north', name: 'north', cidr: '10.1.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
    },
    ...[plain, master, amp].map((model): Command => ({ kind: 'put-model', model })),
    { kind: 'add-device', device: deviceOf('gm', master) },
    { kind: 'add-device', device: deviceOf('amp', amp) },
    ...names.map((id): Command => ({ kind: 'add-device', device: deviceOf(id, plain) })),
    at('gm', 'A', 'north', '10.1.0.11'),
    at('amp', 'A', 'north', '10.1.0.12'),
    cable('c1', 'gm', 'Media A', 's1', 'Port 1'),
    cable('c2', 's1', 'Uplink 1', 's2', 'Uplink 1'),
    cable('c3', 's2', 'Uplink 2', 's3', 'Uplink 2'),
    cable('c4', 's3', 'Port 1', 'amp', 'Media A'),
  );
}

test('three boundary clocks within a VLAN are three steps; switches that only pass time on are none', () => {
  const stepsOf = (plan: Plan) => reckon(plan).clocks.time.byDevice.get('amp');
  expect(stepsOf(inARow({ timestamping: 'boundary' }))).toMatchObject({
    grandmasterId: 'gm',
    parentId: 's3',
    stepsRemoved: 4,
  });
  expect(stepsOf(inARow({ timestamping: 'transparent' }))).toMatchObject({ parentId: 'gm', stepsRemoved: 1 });
  const inAnotherDomain = change(inARow({ timestamping: 'boundary' }), 's2', { domainNumber: 7 });
  expect(stepsOf(inAnotherDomain)).toMatchObject({ parentId: 's3', stepsRemoved: 3 });
  const cut = apply(inARow({ timestamping: 'boundary' }), { kind: 'remove-link', linkId: 'c3' });
  expect(stepsOf(cut)?.grandmasterId).not.toBe('gm');
});

test('time over switches without PTP is a caution where it shares a queue or links sleep', () => {
  const found = (switching: Parameters<typeof inARow>[0]) =>
    aboutClocks(inARow(switching)).filter((f) => f.about === 'time-through-switch');
  const office = found({ timestamping: 'none', queues: 1, energySaving: 'fixed' });
  expect(office.map((f) => f.deviceIds)).toEqual([
    ['s1', 'amp'],
    ['s2', 'amp'],
    ['s3', 'amp'],
  ]);
  for (const f of office) expect(f).toMatchObject({ severity: 'caution', sharesQueue: true, savesEnergy: true });
  expect(found({ timestamping: 'none', queues: 8, energySaving: 'none' })).toEqual([]);
  expect(found({ timestamping: 'transparent', queues: 1, energySaving: 'fixed' })).toEqual([]);
});
