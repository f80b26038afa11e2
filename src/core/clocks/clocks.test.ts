import fc from 'fast-check';
import type { Model } from '../models/models-table';
import { topologyOf } from '../network/topology';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { PLAIN_SUBNET } from '../network/subnets-table';
import type { ClockSettings } from './clocks-table';
import type { Reference } from './references-table';
import { apply, cable, deviceOf, modelNamed } from '../plan/test-plan';
import { emptyPlan } from '../plan/plan';
import { PLAIN_CLOCK, type ClockAbility, type WhenReferenceLost } from './clock-ability';
import { compareClocks } from './comparison';
import { clocksOf } from './clocks';
import { plannedClock } from './clock-settings';
import { changeGroupRate } from './group-rate';
import { areLocked } from './media-clock';
import { accepts, followsAt, keepsProfile, PROFILE_RULES } from './profiles';
import { proposeClocks } from './propose';
import { derives } from './reference-state';
import { takeOver } from './take-over';

const SUBNETS = { north: '10.1.0.0/24', south: '10.2.0.0/24', b: '10.9.0.0/24' } as const;
type SubnetId = keyof typeof SUBNETS;
const master = modelNamed('master-clock');
const processor = modelNamed('processor-64');
const amp = modelNamed('amp-8');
const core = modelNamed('core-switch-24');
const able = (model: Model, change: Partial<ClockAbility>): Model => ({
  ...model,
  id: `${model.id}-${Object.values(change).join('-')}`,
  clock: { ...(model.clock ?? PLAIN_CLOCK), ...change },
});

/** Two subnets of leg A and one of leg B; `core` routes between the two of leg A and is a boundary clock. */
function site(devices: Readonly<Record<string, [Model, ...SubnetId[]]>>): Plan {
  let plan = emptyPlan('Test');
  for (const [id, cidr] of Object.entries(SUBNETS)) {
    const role = id === 'b' ? 'B' : 'A';
    plan = apply(plan, { kind: 'put-subnet', subnet: { id, name: id, cidr, vlan: null, role, ...PLAIN_SUBNET } });
  }
  plan = apply(
    plan,
    { kind: 'put-model', model: core },
    { kind: 'add-device', device: deviceOf('core', core) },
    at('core', 'routed:north', 'north', 1),
    at('core', 'routed:south', 'south', 1),
  );
  let host = 10;
  for (const [id, [model, ...subnets]] of Object.entries(devices)) {
    host += 1;
    plan = apply(plan, { kind: 'put-model', model }, { kind: 'add-device', device: deviceOf(id, model) });
    for (const subnetId of subnets) plan = apply(plan, at(id, subnetId === 'b' ? 'B' : 'A', subnetId, host));
  }
  return plan;
}
const at = (deviceId: string, name: string, subnetId: SubnetId, host: number): Command => ({
  kind: 'put-interface',
  interface: { deviceId, name, subnetId, address: SUBNETS[subnetId].replace('0/24', String(host)) },
});
function set(plan: Plan, deviceId: string, change: Partial<ClockSettings>): Plan {
  return apply(plan, { kind: 'put-clock', settings: { ...plannedClock(plan, deviceId)!.settings, ...change } });
}
const reference = (id: string, change: Partial<Reference> = {}): Command => ({
  kind: 'put-reference',
  reference: {
    id,
    name: id,
    kind: 'word-clock',
    fromDeviceId: null,
    rateHz: 48_000,
    isFed: true,
    offsetNs: 0,
    ...change,
  },
});
const clocks = (plan: Plan) => clocksOf(plan, topologyOf(plan));
const kept = (plan: Plan, id: string) => clocks(plan).time.byDevice.get(id)!;
const paced = (plan: Plan, id: string) => clocks(plan).media.get(id)!;
const lose = (plan: Plan, ...deviceIds: string[]) =>
  takeOver(plan, topologyOf(plan), clocks(plan), { deviceIds, linkIds: [], referenceIds: [] });

describe('time over a network', () => {
  const plan = set(site({ gm: [master, 'north'], near: [amp, 'north'], far: [amp, 'south'] }), 'gm', { priority1: 10 });

  test('a boundary clock passes time from one subnet into the next; each relay is one step', () => {
    expect(kept(plan, 'near')).toMatchObject({ grandmasterId: 'gm', parentId: 'gm', stepsRemoved: 1 });
    expect(kept(plan, 'core')).toMatchObject({ stepsRemoved: 1, isRelaying: true });
    expect(kept(plan, 'far')).toMatchObject({ grandmasterId: 'gm', parentId: 'core', stepsRemoved: 2 });
  });

  test('multicast PTP does not cross a router that is no boundary clock', () => {
    const without = set(plan, 'core', { relay: 'none', runsPtp: false });
    expect(kept(without, 'far')).toMatchObject({ grandmasterId: null, stepsRemoved: null });
    expect(kept(without, 'near').grandmasterId).toBe('gm');
  });

  test('a device that asks across the router relays time; it never gives time back to whom it asks', () => {
    let asking = apply(
      set(plan, 'core', { relay: 'none', runsPtp: false }),
      { kind: 'put-model', model: processor },
      { kind: 'add-device', device: deviceOf('proc', processor) },
      at('proc', 'A', 'south', 40),
    );
    asking = set(asking, 'proc', { relay: 'unicast', unicastMasterIds: ['gm'], priority1: 1 });
    // Priority 1 of 1 makes it lead, and still nothing of it arrives in the north.
    expect(kept(asking, 'far').grandmasterId).toBe('proc');
    expect(kept(asking, 'near').grandmasterId).toBe('gm');
    asking = set(asking, 'proc', { priority1: 128 });
    expect(kept(asking, 'proc')).toMatchObject({ grandmasterId: 'gm', parentId: 'gm', stepsRemoved: 1 });
    expect(kept(asking, 'far')).toMatchObject({ grandmasterId: 'gm', parentId: 'proc', stepsRemoved: 2 });
  });

  test('a relay that nothing routes to the clock that it asks is told of, and relays nothing', () => {
    let asking = site({ gm: [master, 'north'], proc: [processor, 'b'], far: [amp, 'b'] });
    asking = set(asking, 'proc', { relay: 'unicast', unicastMasterIds: ['gm'] });
    expect(clocks(asking).network.unreachable).toEqual([{ relayId: 'proc', masterId: 'gm' }]);
    expect(kept(asking, 'proc').parentId).toBeNull();
  });

  test('a device on both legs follows the better and passes nothing from one to the other', () => {
    let both = site({ gm: [master, 'north'], box: [modelNamed('stage-box-24'), 'north', 'b'], lone: [amp, 'b'] });
    both = set(both, 'gm', { priority1: 10 });
    expect(kept(both, 'box').grandmasterId).toBe('gm');
    expect(kept(both, 'lone').grandmasterId).toBeNull();
  });

  test('two parts of one subnet that no cable joins keep time by themselves', () => {
    const edge = modelNamed('edge-switch-24');
    const link = (id: string, from: [string, string], to: [string, string]) => cable(id, ...from, ...to);
    const island = apply(
      site({ gm: [master, 'north'], one: [amp, 'north'], two: [amp, 'north'] }),
      { kind: 'put-model', model: edge },
      { kind: 'add-device', device: deviceOf('s1', edge) },
      { kind: 'add-device', device: deviceOf('s2', edge) },
      link('l1', ['gm', 'Media A'], ['s1', 'Port 1']),
      link('l2', ['one', 'Media A'], ['s1', 'Port 2']),
      link('l3', ['two', 'Media A'], ['s2', 'Port 1']),
    );
    expect(kept(island, 'one').grandmasterId).not.toBeNull();
    expect(kept(island, 'two').grandmasterId).toBeNull();
    const joined = apply(island, link('l4', ['s1', 'Uplink 1'], ['s2', 'Uplink 1']));
    expect(kept(joined, 'two').grandmasterId).toBe(kept(joined, 'one').grandmasterId);
  });

  test('devices in another PTP domain do not hear the grandmaster', () => {
    expect(kept(set(plan, 'near', { domainNumber: 127 }), 'near').grandmasterId).toBeNull();
  });

  test('PTPv1 does not interwork: a device that speaks only it needs one that speaks both', () => {
    const old = able(amp, { ptpVersions: [1] });
    const both = able(amp, { ptpVersions: [1, 2] });
    const v1 = site({ gm: [master, 'north'], old: [old, 'north'] });
    expect(kept(v1, 'old').grandmasterId).toBeNull();
    const joined = site({ gm: [master, 'north'], old: [old, 'north'], zboth: [both, 'north'] });
    expect(kept(set(joined, 'gm', { priority1: 10 }), 'old')).toMatchObject({ grandmasterId: 'gm', parentId: 'zboth' });
  });

  test('a master clock says by its class what it is locked to', () => {
    const classOf = (change: Partial<ClockSettings>, ...commands: Command[]) => {
      const p = set(
        apply(plan, reference('roof', { kind: 'gnss', rateHz: null }), reference('word'), ...commands),
        'gm',
        change,
      );
      return kept(p, 'gm').clockClass;
    };
    expect(classOf({})).toBe(187);
    expect(classOf({ mediaClock: 'references', referenceIds: ['roof'] })).toBe(6);
    expect(classOf({ mediaClock: 'references', referenceIds: ['word'] })).toBe(13);
    expect(
      classOf({ mediaClock: 'references', referenceIds: ['roof'] }, reference('roof', { kind: 'gnss', isFed: false })),
    ).toBe(187);
    const locked = set(apply(plan, reference('roof', { kind: 'gnss', rateHz: null })), 'gm', {
      mediaClock: 'references',
      referenceIds: ['roof'],
    });
    const lost = takeOver(locked, topologyOf(locked), clocks(locked), {
      deviceIds: [],
      linkIds: [],
      referenceIds: ['roof'],
    });
    // IEEE 1588-2008 table 5: 7 is what was locked to a primary reference and is in hold-over.
    expect(lost.after.time.byDevice.get('gm')!.clockClass).toBe(7);
    expect(lost.after.media.get('gm')!.state).toBe('hold-over');
  });
});

describe('why this one', () => {
  const plan = site({ a: [master, 'north'], b: [processor, 'north'] });
  const of = (p: Plan, id: string) => clocks(p).network.clocks.get(id)!.clock;

  test('fields are asked in the order of the standard, and none after the one that decides', () => {
    const set10 = set(plan, 'b', { priority1: 10 });
    const { fields, winnerId, decidedBy } = compareClocks(of(set10, 'a'), of(set10, 'b'));
    expect([winnerId, decidedBy]).toEqual(['b', 'priority1']);
    expect(fields.map((f) => f.role)).toEqual(['decides', ...Array<string>(5).fill('not-asked')]);
    expect(compareClocks(of(plan, 'a'), of(plan, 'b'))).toMatchObject({ winnerId: 'a', decidedBy: 'clockClass' });
  });

  test('one that only follows does not come into it, nor one in another domain', () => {
    const follows = set(plan, 'a', { clientOnly: true, priority1: 0 });
    expect(compareClocks(of(follows, 'a'), of(follows, 'b'))).toMatchObject({
      winnerId: 'b',
      before: 'a-only-follows',
    });
    const apart = set(plan, 'b', { domainNumber: 5 });
    expect(compareClocks(of(apart, 'a'), of(apart, 'b')).before).toBe('other-domain');
  });

  test('the comparison names as winner whom the network follows', () => {
    fc.assert(
      fc.property(fc.tuple(...Array.from({ length: 4 }, () => fc.constantFrom(1, 128, 200))), ([p, q, r, s]) => {
        let made = set(plan, 'a', { priority1: p, priority2: q });
        made = set(made, 'b', { priority1: r, priority2: s });
        made = set(made, 'core', { clientOnly: true });
        expect(compareClocks(of(made, 'a'), of(made, 'b')).winnerId).toBe(kept(made, 'a').grandmasterId);
      }),
    );
  });
});

describe('take-over', () => {
  const two = (change: Partial<ClockSettings>) => {
    const plan = site({ gm: [master, 'north'], spare: [master, 'north'], box: [amp, 'north'], far: [amp, 'south'] });
    return ['gm', 'spare', 'box', 'far', 'core'].reduce(
      (now, id) =>
        set(now, id, { ...change, ...(id === 'gm' ? { priority1: 1 } : id === 'spare' ? { priority1: 2 } : {}) }),
      plan,
    );
  };

  test.each([
    // The time-out counts from the last announce, which came up to one interval before the loss.
    ['the AES67 defaults', PROFILE_RULES.aes67.usual, 4, 8],
    ['the ST 2059-2 defaults', PROFILE_RULES.st2059.usual, 0.5, 1],
    ['the common subset', PROFILE_RULES.common.usual, 2, 4],
  ])('with %s the spare leads %#', (_, intervals, from, to) => {
    const { steps } = lose(two(intervals), 'gm');
    expect(steps[0]).toMatchObject({ deviceId: 'spare', what: 'leads', from, to });
    const box = steps.find((s) => s.deviceId === 'box')!;
    expect(box).toMatchObject({ what: 'follows', grandmasterId: 'spare', parentId: 'spare' });
    expect(box.from).toBeGreaterThanOrEqual(from);
    // Two announces of the newcomer, and then what the model takes to lock.
    expect(box.to).toBeCloseTo(to + 2 * 2 ** intervals.logAnnounceInterval);
    expect(box.lockedBy).toBeCloseTo(box.to + 5);
    // Behind the relay it comes later: the relay says so when it has changed over itself.
    const far = steps.find((s) => s.deviceId === 'far')!;
    expect(far.parentId).toBe('core');
    expect(far.to).toBeGreaterThan(box.to);
  });

  test('a spare of class 1 to 127 is passive, and waits out its time-out as well (clause 9.2.6.11)', () => {
    const plan = ['gm', 'spare'].reduce(
      (now, id) => set(now, id, { mediaClock: 'references', referenceIds: ['roof'] }),
      apply(two({}), reference('roof', { kind: 'gnss', rateHz: null })),
    );
    const was = kept(plan, 'spare');
    expect([was.parentId, was.isStandingBy, was.clockClass]).toEqual([null, true, 6]);
    expect(lose(plan, 'gm').steps[0]).toMatchObject({ deviceId: 'spare', what: 'leads', from: 4, to: 8 });
  });

  test('a spare relay that takes over waits in PRE_MASTER: one announce interval more than it is steps away (clause 9.2.6.10)', () => {
    let plan = site({ gm: [master, 'north'], box: [amp, 'south'] });
    plan = apply(
      plan,
      { kind: 'add-device', device: deviceOf('core-2', modelNamed('core-switch-24')) },
      ...(['north', 'south'] as const).map((id): Command => ({
        kind: 'put-interface',
        interface: {
          deviceId: 'core-2',
          name: `routed:${id}`,
          subnetId: id,
          address: id === 'north' ? '10.1.0.250' : '10.2.0.250',
        },
      })),
    );
    plan = apply(plan, cable('between', 'core', 'Uplink 1', 'core-2', 'Uplink 1'));
    plan = set(plan, 'core-2', { runsPtp: true, relay: 'boundary', priority1: 201 });
    plan = set(plan, 'core', { priority1: 200 });
    expect([kept(plan, 'box').parentId, kept(plan, 'core-2').parentId]).toEqual(['core', 'gm']);
    const box = lose(plan, 'core').steps.find((s) => s.deviceId === 'box')!;
    expect(box).toMatchObject({ what: 'other-way', parentId: 'core-2' });
    // 8 s time-out of its passive port at the latest, (1 + 1) intervals of PRE_MASTER, two announces.
    expect(box.to).toBe(8 + 2 * 2 + 2 * 2);
    expect(box.from).toBe(4 + 2 * 2 + 2);
  });

  test('who loses its reference is heard on: the spare leads with the next announce, and again when hold-over ends', () => {
    let plan = apply(two({ priority1: 10 }), reference('roof', { kind: 'gnss', rateHz: null }));
    plan = set(plan, 'gm', { mediaClock: 'references', referenceIds: ['roof'], priority2: 1, priority1: 10 });
    plan = set(plan, 'spare', { priority2: 2, priority1: 10 });
    const loss = { deviceIds: [], linkIds: [], referenceIds: ['roof'] };
    const drill = takeOver(plan, topologyOf(plan), clocks(plan), loss);
    // Class 7 in hold-over still beats a spare on its own.
    expect(drill.steps).toEqual([]);
    expect(drill.after.time.byDevice.get('gm')!.clockClass).toBe(7);
    // Nobody says any more how far off it is.
    const accuracy = (c: ReturnType<typeof clocks>) => c.network.clocks.get('gm')!.clock.clockAccuracy;
    expect([accuracy(clocks(plan)), accuracy(drill.after)]).toEqual([0x21, 0xfe]);
    expect(drill.holdoverEnds).toMatchObject([{ deviceIds: ['gm'], afterSeconds: 86_400, steps: [] }]);
    // One that is locked by itself takes over at once: class 6 beats 7, within an announce interval, without a time-out.
    const second = set(apply(plan, reference('mast', { kind: 'gnss', rateHz: null })), 'spare', {
      mediaClock: 'references',
      referenceIds: ['mast'],
      priority2: 2,
      priority1: 10,
    });
    const both = takeOver(second, topologyOf(second), clocks(second), loss);
    expect(both.steps.find((s) => s.deviceId === 'spare')).toMatchObject({ what: 'leads', from: 0, to: 2 });
    expect(both.steps.find((s) => s.deviceId === 'gm')).toMatchObject({ what: 'stands-by', from: 0, to: 4 });
    // A spare of class 13 waits until hold-over is over and the class is 187.
    const studio = able(master, { classPrimary: 13, classLocked: 13 });
    const locked = apply(
      second,
      { kind: 'put-model', model: { ...studio, id: 'studio' } },
      { kind: 'change-device', deviceId: 'spare', change: { modelId: 'studio' } },
    );
    const later = takeOver(locked, topologyOf(locked), clocks(locked), loss);
    expect(later.steps).toEqual([]);
    expect(later.holdoverEnds[0]!.steps[0]).toMatchObject({ deviceId: 'spare', what: 'leads' });
  });

  test('without the relay, devices behind it hear nobody', () => {
    const { steps, paces } = lose(two({}), 'core');
    expect(steps).toHaveLength(1);
    expect(steps[0]).toMatchObject({ deviceId: 'far', what: 'alone', lockedBy: null });
    expect(paces.map((p) => [p.deviceId, p.after.state])).toEqual([['far', 'free']]);
  });

  test('who is not touched takes no step, and losing a follower changes nothing', () => {
    expect(lose(two({}), 'box').steps).toEqual([]);
    expect(lose(two({}), 'spare').steps).toEqual([]);
  });

  test('a lost cable is a loss like any other', () => {
    const edge = modelNamed('edge-switch-24');
    const ends = (id: string, from: string, port: string, n: number) => cable(id, from, port, 's', `Port ${n}`);
    const plan = apply(
      two({}),
      { kind: 'put-model', model: edge },
      { kind: 'add-device', device: deviceOf('s', edge) },
      ends('lg', 'gm', 'Media A', 1),
      ends('ls', 'spare', 'Media A', 2),
      ends('lb', 'box', 'Media A', 3),
    );
    expect(kept(plan, 'box').grandmasterId).toBe('gm');
    const pulled = (linkId: string) =>
      takeOver(plan, topologyOf(plan), clocks(plan), { deviceIds: [], linkIds: [linkId], referenceIds: [] });
    // Its own cable gone, the amplifier hears nobody; the grandmaster's gone, all but it follow the spare.
    expect(pulled('lb').steps.map((s) => [s.deviceId, s.what])).toEqual([['box', 'alone']]);
    expect(pulled('lg').after.time.byDevice.get('box')!.grandmasterId).toBe('spare');
    expect(pulled('lg').after.time.byDevice.get('gm')!.grandmasterId).toBe('gm');
  });

  test('steps never come before the loss, nor a child before its parent', () => {
    fc.assert(
      fc.property(
        fc.subarray(['gm', 'spare', 'core', 'box']),
        fc.constantFrom(-2, 0, 1),
        (lost, logAnnounceInterval) => {
          const plan = two({ logAnnounceInterval });
          const result = lose(plan, ...lost);
          const byId = new Map(result.steps.map((s) => [s.deviceId, s]));
          for (const step of result.steps) {
            expect(step.from).toBeGreaterThanOrEqual(0);
            expect(step.to).toBeGreaterThanOrEqual(step.from);
            const parent = byId.get(step.parentId ?? '');
            if (parent !== undefined) expect(step.to).toBeGreaterThan(parent.to - 1e-9);
            expect(result.after.time.byDevice.get(step.deviceId)!.grandmasterId).toBe(step.grandmasterId);
          }
          for (const id of lost) expect(byId.has(id)).toBe(false);
        },
      ),
    );
  });
});

describe('what samples are paced by', () => {
  const host = (whenReferenceLost: WhenReferenceLost) => able(processor, { whenReferenceLost });

  test.each([
    ['hold-over', 'hold-over', 'oscillator host'],
    ['run-free', 'free', 'oscillator host'],
    ['stop', 'stopped', 'stopped'],
    ['next-reference', 'reference', 'reference second'],
  ] as const)('a model that should %s when its reference is lost does', (behaviour, state, origin) => {
    let plan = apply(
      site({ host: [host(behaviour), 'north'] }),
      reference('first', { isFed: false }),
      reference('second'),
    );
    plan = set(plan, 'host', { mediaClock: 'references', referenceIds: ['first', 'second'] });
    expect(paced(plan, 'host')).toMatchObject({ state, originKey: origin });
    expect(paced(plan, 'host').tried).toEqual([{ referenceId: 'first', problem: 'not-fed' }]);
    const fed = apply(plan, reference('first'));
    expect(paced(fed, 'host')).toMatchObject({ state: 'reference', referenceId: 'first', tried: [] });
  });

  test('who follows the grandmaster has the pace of what the grandmaster is locked to', () => {
    let plan = apply(
      site({ gm: [master, 'north'], box: [amp, 'south'] }),
      reference('roof', { kind: 'gnss', rateHz: null }),
    );
    expect(paced(plan, 'box').originKey).toBe('oscillator gm');
    plan = set(plan, 'gm', { mediaClock: 'references', referenceIds: ['roof'] });
    expect(paced(plan, 'box')).toMatchObject({ originKey: 'gnss', partsPerMillion: 0 });
  });

  test('a reference that a device gives carries on where that device gets it from', () => {
    let plan = apply(
      site({ gm: [master, 'north'], host: [processor, 'b'] }),
      reference('word', { fromDeviceId: 'gm' }),
    );
    plan = set(plan, 'host', { mediaClock: 'references', referenceIds: ['word'], runsPtp: false });
    expect(paced(plan, 'host')).toMatchObject({ state: 'reference', originKey: 'oscillator gm' });
    expect(areLocked(paced(plan, 'host'), paced(plan, 'gm'))).toBe(true);
  });

  test('two devices that clock each other are told so, and the answer is the same whichever is asked first', () => {
    let plan = apply(
      site({ x: [host('hold-over'), 'north'], y: [host('hold-over'), 'north'] }),
      reference('from-x', { fromDeviceId: 'x' }),
      reference('from-y', { fromDeviceId: 'y' }),
    );
    plan = set(plan, 'x', { mediaClock: 'references', referenceIds: ['from-y'] });
    plan = set(plan, 'y', { mediaClock: 'references', referenceIds: ['from-x'] });
    const problems = ['x', 'y'].flatMap((id) => paced(plan, id).tried.map((t) => t.problem));
    expect(problems).toContain('loop');
    const turned: Plan = { ...plan, devices: new Map([...plan.devices].reverse()) };
    expect(clocks(turned).media).toEqual(clocks(plan).media);
  });

  test('48 kHz makes 96 and 192 kHz, and 44.1 only where the model crosses the families', () => {
    expect(derives(48_000, 96_000, false)).toBe(true);
    expect(derives(48_000, 44_100, false)).toBe(false);
    expect(derives(44_100, 88_200, false)).toBe(true);
    expect(derives(48_000, 44_100, true)).toBe(true);
    let plan = apply(site({ host: [host('run-free'), 'north'] }), reference('boat', { rateHz: 44_100 }));
    plan = set(plan, 'host', { mediaClock: 'references', referenceIds: ['boat'] });
    expect(paced(plan, 'host')).toMatchObject({
      state: 'free',
      tried: [{ referenceId: 'boat', problem: 'wrong-rate' }],
    });
  });
});

describe('profiles', () => {
  test('the settings of AES-R16 keep both profiles', () => {
    for (const profile of ['aes67', 'st2059'] as const)
      expect(keepsProfile(PROFILE_RULES.common.usual, profile)).toBe(true);
  });
  test('the defaults of the two profiles do not meet', () => {
    expect(keepsProfile(PROFILE_RULES.st2059.usual, 'aes67')).toBe(false);
    expect(keepsProfile({ ...PROFILE_RULES.aes67.usual, logAnnounceInterval: 2 }, 'st2059')).toBe(false);
    expect(PROFILE_RULES.aes67.domainNumber).not.toBe(PROFILE_RULES.st2059.domainNumber);
  });
  test('how long one waits for announces is its own affair (ST 2059-2: 2 to 10), whatever its leader is set to', () => {
    const { usual } = PROFILE_RULES.st2059;
    for (const announceTimeout of [2, 10]) expect(keepsProfile({ ...usual, announceTimeout }, 'st2059')).toBe(true);
    for (const announceTimeout of [1, 11]) expect(keepsProfile({ ...usual, announceTimeout }, 'st2059')).toBe(false);
    const ability = { ...PLAIN_CLOCK, profiles: ['st2059' as const] };
    expect(accepts(ability, { ...usual, announceTimeout: 99 })).toBe(false);
    expect(followsAt(ability, { ...usual, announceTimeout: 99 }, usual.announceTimeout)).toBe(true);
  });

  test('a model accepts what one of its profiles allows', () => {
    const aes67 = { ...PLAIN_CLOCK, profiles: ['aes67'] as const };
    expect(accepts(aes67, PROFILE_RULES.common.usual)).toBe(true);
    expect(accepts(aes67, PROFILE_RULES.st2059.usual)).toBe(false);
  });
});

describe('the rate of a clock group', () => {
  test('is changed for all members that can, and those that cannot are named', () => {
    let plan = site({ c: [modelNamed('console-72'), 'north'], a: [amp, 'north'] });
    plan = apply(plan, {
      kind: 'put-clock-group',
      group: { id: 'g', name: 'G', rateHz: 48_000, authority: { kind: 'device', id: 'c' } },
    });
    plan = set(set(plan, 'c', { groupId: 'g' }), 'a', { groupId: 'g' });
    const change = changeGroupRate(plan, 'g', 96_000);
    expect(change).toMatchObject({ changes: ['c'], cannot: ['a'] });
    const after = apply(plan, ...change.commands);
    expect(after.devices.get('c')!.rateHz).toBe(96_000);
    expect(after.clockGroups.get('g')!.rateHz).toBe(96_000);
    expect(after.devices.get('a')!.rateHz).toBe(48_000);
  });
});

describe('a proposed clock plan', () => {
  const models: Readonly<Record<string, Model>> = {
    master,
    console: modelNamed('console-72'),
    processor,
    amp,
    endpoint: modelNamed('endpoint-2'),
    box: modelNamed('stage-box-24'),
  };
  const sites = fc
    .array(
      fc.tuple(fc.constantFrom(...Object.keys(models)), fc.constantFrom<SubnetId>('north', 'south'), fc.boolean()),
      {
        minLength: 1,
        maxLength: 12,
      },
    )
    .map((rows) =>
      site(
        Object.fromEntries(
          rows.map(([kind, subnetId, hasB], n) => {
            const model = models[kind]!;
            const subnets = hasB && model.ports.some((p) => p.role === 'B') ? [subnetId, 'b' as const] : [subnetId];
            return [`${kind}-${n}`, [model, ...subnets]];
          }),
        ),
      ),
    );
  const proposed = (plan: Plan) => {
    const proposal = proposeClocks(plan, topologyOf(plan));
    return { proposal, plan: apply(plan, ...proposal.commands) };
  };

  test('whom it names as grandmaster everyone in its subnet follows, and no two clocks are tied', () => {
    fc.assert(
      fc.property(sites, (plan) => {
        const { proposal, plan: after } = proposed(plan);
        const choice = proposal.choices.find((c) => c.what === 'grandmaster');
        if (choice?.what !== 'grandmaster') return;
        const { time, network } = clocks(after);
        for (const k of time.byDevice.values()) {
          if (k.ports.some((p) => choice.subnetIds.includes(p.subnetId ?? ''))) {
            expect(k.grandmasterId).toBe(choice.deviceId);
          }
        }
        const leaders = [...network.clocks.values()].filter((c) => !c.clock.clientOnly);
        const ranks = leaders.map((c) => `${c.clock.priority1}/${c.clock.clockClass}/${c.clock.priority2}`);
        expect(new Set(ranks).size).toBe(ranks.length);
      }),
      { numRuns: 60 },
    );
  });

  test('grandmaster and spare have one priority 1 wherever their figures put them in order: class decides when a reference is lost', () => {
    let plan = site({ one: [master, 'north'], two: [master, 'north'] });
    plan = apply(
      plan,
      reference('roof', { kind: 'gnss', rateHz: null }),
      reference('mast', { kind: 'gnss', rateHz: null }),
    );
    plan = set(set(plan, 'one', { referenceIds: ['roof'] }), 'two', { referenceIds: ['mast'] });
    const after = proposed(plan).plan;
    const of = (id: string) => after.clocks.get(id)!;
    expect([of('one').priority1, of('two').priority1]).toEqual([10, 10]);
    expect([of('one').priority2, of('two').priority2]).toEqual([1, 2]);
    const lost = { deviceIds: [], linkIds: [], referenceIds: ['roof'] };
    const { time } = takeOver(after, topologyOf(after), clocks(after), lost).after;
    expect(time.grandmasterIds[0]).toBe('two');
  });

  test('when the grandmaster dies the spare that it named leads wherever it is', () => {
    fc.assert(
      fc.property(sites, (plan) => {
        const { proposal, plan: after } = proposed(plan);
        const first = proposal.choices.find((c) => c.what === 'grandmaster');
        const spare = proposal.choices.find((c) => c.what === 'spare');
        if (first?.what !== 'grandmaster' || spare?.what !== 'spare') return;
        const { time } = lose(after, first.deviceId).after;
        expect(time.byDevice.get(spare.deviceId)!.grandmasterId).toBe(spare.deviceId);
      }),
      { numRuns: 60 },
    );
  });

  test('it has nothing left to propose once it is applied, and does not depend on the order of records', () => {
    fc.assert(
      fc.property(sites, (plan) => {
        const { plan: after, proposal } = proposed(plan);
        expect(proposeClocks(after, topologyOf(after)).commands).toEqual([]);
        const turned: Plan = { ...plan, devices: new Map([...plan.devices].reverse()) };
        expect(proposeClocks(turned, topologyOf(turned))).toEqual(proposal);
      }),
      { numRuns: 60 },
    );
  });

  test('GNSS before dedicated clocks before consoles before the rest', () => {
    let plan = site({ mid: [modelNamed('console-72'), 'north'], one: [master, 'north'], two: [master, 'south'] });
    const order = (p: Plan) =>
      proposeClocks(p, topologyOf(p)).choices.flatMap((c) =>
        c.what === 'grandmaster' || c.what === 'spare' ? [c.deviceId] : [],
      );
    expect(order(plan)).toEqual(['one', 'two']);
    plan = set(apply(plan, reference('roof', { kind: 'gnss', rateHz: null })), 'two', { referenceIds: ['roof'] });
    expect(order(plan)).toEqual(['two', 'one']);
    expect(order(apply(plan, { kind: 'remove-device', deviceId: 'one' }))).toEqual(['two', 'mid']);
  });
});

test('clocks of a plan do not depend on the order of its records', () => {
  const plan = site({ gm: [master, 'north', 'b'], one: [amp, 'south'], two: [processor, 'b'], three: [amp, 'b'] });
  const turned: Plan = {
    ...plan,
    devices: new Map([...plan.devices].reverse()),
    interfaces: new Map([...plan.interfaces].reverse()),
    subnets: new Map([...plan.subnets].reverse()),
  };
  expect(clocks(turned)).toEqual(clocks(plan));
});
