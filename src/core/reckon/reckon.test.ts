import fc from 'fast-check';
import { PLAIN_CLOCK } from '../clocks/clock-ability';
import { usualClockSettings } from '../clocks/clock-settings';
import { mistakesIn } from '../plan/test-breaks';
import { planOfFile } from '../formats/plan-file';
import { FINDS, fixesFor } from '../findings/rules';
import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { PLAIN_SUBNET } from '../network/subnets-table';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { arbitraryCommand } from '../plan/test-arbitrary-commands';
import { arbitraryPlan } from '../plan/test-arbitrary';
import { generatePlan } from '../../demo/generate';
import { skerryPoint } from '../../demo/skerry-point';
import { reckon } from './reckon';
import { comparable } from './test-comparable';
import { provenFixes } from './proven-fixes';
import type { Lane } from './lane';
import type { Reckoning } from './reckoning';
import { expectSame } from '../plan/test-same';

const console72 = modelNamed('console-72');
const amp = modelNamed('amp-8');
const box = modelNamed('stage-box-24');
const lane = (r: Reckoning, deviceId: string, channel: number): Lane => {
  const found = r.lanesByReceiver.get(deviceId)?.get(channel);
  if (found === undefined) throw new Error('no such lane');
  return found;
};
const reasonOf = (l: Lane) => (l.verdict === 'refused' ? l.reason : null);

describe('the verdict on a lane', () => {
  test('eight channels from a console to an amplifier in one subnet fit one stream', () => {
    const r = reckon(apply(planOf({ console: console72, amp }), feed('console', 1, 'amp', 1, 8)));
    expect(r.totals).toMatchObject({ streams: 1, refusedLanes: 0, refusals: 0 });
    expect(r.totals.sentBitsPerSecond).toBeCloseTo(9.84e6);
    const l = lane(r, 'amp', 5);
    expect(l).toMatchObject({ verdict: 'fits', position: 5 });
    expect(l.reception).toMatchObject({ receiverStreamNumber: 1, offset: { offsetNs: 3_000_000 } });
  });

  test('48 kHz into 96 kHz is refused, with both rates, and can be put right by a fix', () => {
    const plan = apply(planOf({ console: console72, box: [box, { rateHz: 96_000 }] }), feed('console', 1, 'box', 1, 2));
    const r = reckon(plan);
    expect(reasonOf(lane(r, 'box', 1))).toEqual({ code: 'rate-differs', senderRateHz: 48_000, receiverRateHz: 96_000 });
    const refused = r.findings.filter((f) => f.severity === 'refusal');
    expect(refused).toHaveLength(1);
    const fix = fixesFor(plan, refused[0]!)[0]!;
    expect(fix.does).toBe('set-rate');
    expect(reckon(apply(plan, ...fix.commands)).totals.refusals).toBe(0);
  });

  test('an encoding, then a packet time that the ends do not share is named', () => {
    const range = {
      encodings: ['L16' as const],
      ratesHz: [48_000 as const],
      packetTimesUs: [1000 as const],
      channelsMax: 8,
    };
    const l16 = modelNamed('stage-box-24', { id: 'l16', sends: { formats: [range], levels: [] } });
    const l24 = modelNamed('amp-8', {
      id: 'l24',
      receives: { formats: [{ ...range, encodings: ['L24'] }], levels: [] },
    });
    const short = modelNamed('amp-8', {
      id: 'short',
      receives: { formats: [{ ...range, packetTimesUs: [125] }], levels: [] },
    });
    const r = reckon(apply(planOf({ l16, l24, short }), feed('l16', 1, 'l24', 1), feed('l16', 1, 'short', 1)));
    expect(reasonOf(lane(r, 'l24', 1))).toEqual({ code: 'no-common-format', missing: 'encoding' });
    expect(reasonOf(lane(r, 'short', 1))).toEqual({ code: 'no-common-format', missing: 'packet-time' });
  });

  test('a device without an address, or with one outside its subnet, cannot be heard', () => {
    const put = (address: string | null): Command => ({
      kind: 'put-interface',
      interface: { deviceId: 'amp', name: 'A', subnetId: 'a', address },
    });
    const plan = apply(planOf({ console: console72, amp }), feed('console', 1, 'amp', 1));
    expect(reasonOf(lane(reckon(apply(plan, put(null))), 'amp', 1))).toEqual({ code: 'no-address', end: 'receiver' });
    const outside = apply(plan, put('10.0.1.7'));
    expect(reasonOf(lane(reckon(outside), 'amp', 1))).toEqual({ code: 'outside-subnet', end: 'receiver' });
    const finding = reckon(outside).findings.find((f) => f.about === 'address-outside-subnet');
    const fixed = apply(outside, ...fixesFor(outside, finding!)[0]!.commands);
    expect(reckon(fixed).totals.refusals).toBe(0);
  });

  test('devices in subnets that nothing joins do not hear each other; a router with multicast routing joins them', () => {
    let plan = apply(
      planOf({ console: console72, amp }),
      feed('console', 1, 'amp', 1),
      {
        kind: 'put-subnet',
        subnet: { id: 'b', name: 'Far', cidr: '10.1.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
      },
      { kind: 'put-interface', interface: { deviceId: 'amp', name: 'A', subnetId: 'b', address: '10.1.0.5' } },
    );
    expect(reasonOf(lane(reckon(plan), 'amp', 1))).toMatchObject({ code: 'not-reachable', unicastOnly: false });
    const router = (routing: 'unicast' | 'multicast') =>
      modelNamed('core-switch-24', { switching: { ...modelNamed('core-switch-24').switching!, routing } });
    const join = (routing: 'unicast' | 'multicast') =>
      apply(
        plan,
        { kind: 'put-model', model: router(routing) },
        {
          kind: 'add-device',
          device: { ...plan.devices.get('amp')!, id: 'core', name: 'core', modelId: 'core-switch-24' },
        },
        {
          kind: 'put-interface',
          interface: { deviceId: 'core', name: 'routed:a', subnetId: 'a', address: '10.0.0.1' },
        },
        {
          kind: 'put-interface',
          interface: { deviceId: 'core', name: 'routed:b', subnetId: 'b', address: '10.1.0.1' },
        },
      );
    expect(reasonOf(lane(reckon(join('unicast')), 'amp', 1))).toMatchObject({
      code: 'not-reachable',
      unicastOnly: true,
    });
    plan = join('multicast');
    expect(lane(reckon(plan), 'amp', 1).verdict).toBe('fits');
  });

  test('a receiver that has no stream left refuses the lanes of the last streams, with the numbers', () => {
    const small = modelNamed('amp-8', { id: 'small', streamsReceive: 1 });
    const r = reckon(
      apply(
        planOf({ console: console72, box, small }),
        feed('box', 1, 'small', 1, 2),
        feed('console', 1, 'small', 3, 2),
      ),
    );
    const refused = [1, 2, 3, 4].map((c) => reasonOf(lane(r, 'small', c))).filter((x) => x !== null);
    expect(refused).toHaveLength(2);
    expect(refused[0]).toEqual({ code: 'stream-budget', end: 'receiver', wanted: 2, limit: 1 });
  });

  test('a pool that both directions share is counted in both directions', () => {
    const pooled = modelNamed('processor-64', { id: 'pooled', channelPool: 10 });
    const r = reckon(
      apply(
        planOf({ console: console72, pooled, amp }),
        feed('pooled', 1, 'amp', 1, 8),
        feed('console', 1, 'pooled', 1, 4),
      ),
    );
    expect(r.budgetByDevice.get('pooled')?.channelPool).toEqual({ used: 12, limit: 10 });
    expect([1, 2].map((c) => lane(r, 'pooled', c).verdict)).toEqual(['fits', 'fits']);
    expect(reasonOf(lane(r, 'pooled', 3))).toEqual({ code: 'channel-pool', end: 'receiver', wanted: 12, limit: 10 });
  });

  test('a link offset that is too short for packet time and jitter is refused, and the fix is long enough', () => {
    const plan = apply(
      planOf({ console: console72, amp: [amp, { linkOffsetNs: 1_500_000 }] }),
      feed('console', 1, 'amp', 1),
    );
    const r = reckon(plan);
    expect(reasonOf(lane(r, 'amp', 1))).toEqual({ code: 'link-offset', neededNs: 2_000_000, offsetNs: 1_500_000 });
    const fix = fixesFor(
      plan,
      r.findings.find((f) => f.about === 'lanes-refused')!,
    )[0]!;
    expect(reckon(apply(plan, ...fix.commands)).totals.refusals).toBe(0);
  });
});

describe('the demo and the generator', () => {
  test('Skerry Point has exactly the faults that were planted in it', () => {
    const plan = planOfFile(skerryPoint());
    const r = reckon(plan);
    expect(r.findings.map((f) => f.about).sort()).toEqual([
      'address-outside-subnet',
      'analogue-end',
      'control-unplugged',
      'duplicate-address',
      'feedback-loop',
      'group-collision',
      'lanes-refused',
      'legs-share-switch',
      'overload',
      'poe-budget',
      'relay-no-spare',
      'slot-two-talkers',
    ]);
    expect(r.totals.refusedLanes).toBe(2);
  });

  test('every fix of every fault of Skerry Point takes that finding away', () => {
    const plan = planOfFile(skerryPoint());
    const reckoning = reckon(plan);
    for (const finding of reckoning.findings) {
      const fixes = provenFixes(reckoning, finding);
      expect(fixes.length).toBeGreaterThan(0);
      for (const fix of fixes) {
        expect(reckon(apply(plan, ...fix.commands)).findings.map((f) => f.id)).not.toContain(finding.id);
      }
    }
  });

  test('an announcement and fourteen private tracks cost the player one stream and fourteen more', () => {
    const r = reckon(planOfFile(skerryPoint()));
    const streams = r.streamsBySender.get('show-player')!.filter((s) => s.channels.some((c) => c >= 33));
    expect(streams.map((s) => s.receiverDeviceIds.length).sort((a, b) => b - a)).toEqual([
      14,
      ...Array<number>(14).fill(1),
    ]);
  });

  test.each([60, 500])(
    'the generator makes %i devices, the same for the same seed, and nothing is refused',
    (devices) => {
      const file = generatePlan({ devices, seed: 7 });
      expect(file.devices).toHaveLength(devices);
      expectSame(generatePlan({ devices, seed: 7 }), file);
      expect(generatePlan({ devices, seed: 8 })).not.toEqual(file);
      expect(reckon(planOfFile(file)).totals.refusals).toBe(0);
    },
  );
});

describe('incremental reckoning', () => {
  const file = generatePlan({ devices: 60, seed: 3 });
  const base = planOfFile(file);
  const senders = [...base.devices.values()]
    .filter((d) => (base.models.get(d.modelId)?.channelsSend ?? 0) > 0)
    .map((d) => d.id);
  const receivers = [...base.subscriptions.keys()];
  const edit: fc.Arbitrary<Command> = fc.oneof(
    {
      weight: 5,
      arbitrary: fc
        .record({
          s: fc.constantFrom(...senders),
          r: fc.constantFrom(...receivers),
          sc: fc.integer({ min: 1, max: 4 }),
          rc: fc.integer({ min: 1, max: 2 }),
        })
        .map(({ s, r, sc, rc }) => feed(s, sc, r, rc)),
    },
    fc.record({
      kind: fc.constant('unsubscribe' as const),
      channels: fc.tuple(
        fc.record({ deviceId: fc.constantFrom(...receivers), channel: fc.integer({ min: 1, max: 8 }) }),
      ),
    }),
    fc.record({
      kind: fc.constant('change-device' as const),
      deviceId: fc.constantFrom(...senders, ...receivers),
      change: fc.record({ rateHz: fc.constantFrom(48_000 as const, 96_000 as const) }),
    }),
    fc.record({ kind: fc.constant('remove-device' as const), deviceId: fc.constantFrom(...receivers) }),
  );

  test('equals a full reckoning after any edits', () => {
    fc.assert(
      fc.property(fc.array(edit, { minLength: 1, maxLength: 6 }), (edits) => {
        let plan: Plan = base;
        let step = reckon(base);
        for (const command of edits) {
          const result = applyCommands(plan, [command]);
          if (!result.ok) continue;
          plan = result.plan;
          step = reckon(plan, step);
        }
        const full = reckon(plan);
        expectSame(comparable(step), comparable(full));
      }),
      { numRuns: 20 },
    );
  });

  test('equals a full reckoning after any mistakes in addresses, cables, switches and subnets', () => {
    fc.assert(
      fc.property(mistakesIn(planOfFile(skerryPoint())), ({ plans }) => {
        const [first, ...later] = plans as [Plan, ...Plan[]];
        const step = later.reduce((before, plan) => reckon(plan, before), reckon(first));
        expectSame(comparable(step), comparable(reckon(step.plan)));
      }),
      { numRuns: 60 },
    );
  });

  test.each<[string, fc.Arbitrary<Plan>, number]>([
    ['Skerry Point', fc.constant(planOfFile(skerryPoint())), 50],
    ['a larger plan', fc.constant(base), 20],
    ['any plan', arbitraryPlan(), 120],
  ])('law: in %s, any commands of every kind leave every part equal to a full reckoning', (_, plans, numRuns) => {
    fc.assert(
      fc.property(plans, fc.array(arbitraryCommand(), { minLength: 1, maxLength: 12 }), (start, made) => {
        let step = reckon(start);
        for (const make of made) {
          const command = make(step.plan);
          const result = command === null ? null : applyCommands(step.plan, [command]);
          if (result?.ok) step = reckon(result.plan, step);
        }
        expectSame(comparable(step), comparable(reckon(step.plan)));
      }),
      { numRuns },
    );
  });

  test('two grandmasters stop sharing their word clock when one goes to 44.1 kHz: a refusal, by either reckoning', () => {
    const ids = ['console', 'box'] as const;
    const clocked = modelNamed('console-72', {
      id: 'clocked',
      clock: { ...PLAIN_CLOCK, referencesIn: ['word-clock'] },
    });
    const plan = apply(
      planOf({ console: clocked, box: clocked, amp, far: amp }),
      {
        kind: 'put-subnet',
        subnet: { ...planOf({}).subnets.get('a')!, id: 'b', cidr: '10.1.0.0/24', ...PLAIN_SUBNET },
      },
      ...(['box', 'far'] as const).map((deviceId, n): Command => ({
        kind: 'put-interface',
        interface: { deviceId, name: 'A', subnetId: 'b', address: `10.1.0.${n + 5}` },
      })),
      { kind: 'put-model', model: modelNamed('core-switch-24') },
      {
        kind: 'add-device',
        device: { ...planOf({ amp }).devices.get('amp')!, id: 'core', name: 'core', modelId: 'core-switch-24' },
      },
      ...(['a', 'b'] as const).map((subnetId, n): Command => ({
        kind: 'put-interface',
        interface: { deviceId: 'core', name: `routed:${subnetId}`, subnetId, address: `10.${n}.0.1` },
      })),
      {
        kind: 'put-clock',
        settings: { ...usualClockSettings('core', modelNamed('core-switch-24'), PLAIN_CLOCK), runsPtp: false },
      },
      {
        kind: 'put-reference',
        reference: {
          id: 'word',
          name: 'Word',
          kind: 'word-clock',
          fromDeviceId: null,
          rateHz: 48_000,
          isFed: true,
          offsetNs: 0,
        },
      },
      ...ids.map((id): Command => ({
        kind: 'put-clock',
        settings: {
          ...usualClockSettings(id, clocked, clocked.clock!),
          priority1: 1,
          mediaClock: 'references',
          referenceIds: ['word'],
        },
      })),
    );
    const gravity = (r: Reckoning) => r.findings.find((f) => f.about === 'two-grandmasters')?.severity;
    const before = reckon(plan);
    expect(gravity(before)).toBe('caution');
    const apart = apply(plan, { kind: 'change-device', deviceId: 'box', change: { rateHz: 44_100 } });
    expect(gravity(reckon(apart))).toBe('refusal');
    expect(gravity(reckon(apart, before))).toBe('refusal');
  });

  test('every rule finds only what it declares, and its fixes are those of one declaration', () => {
    const declared = [...FINDS.values()].flat();
    expect(new Set(declared).size).toBe(declared.length);
  });

  test('what an edit does not touch stays the same object', () => {
    const before = reckon(base);
    const [first, second] = receivers as [string, string];
    const after = reckon(apply(base, { kind: 'unsubscribe', channels: [{ deviceId: first, channel: 1 }] }), before);
    const kept = [...before.lanesByReceiver].filter(([id, lanes]) => after.lanesByReceiver.get(id) === lanes).length;
    expect(kept).toBeGreaterThan(before.lanesByReceiver.size / 2);
    expect(after.lanesByReceiver.get(first)).not.toBe(before.lanesByReceiver.get(first));
    expect(second).toBeDefined();
  });
});

test('a sent stream whose group collides is given another by hand: letting the choice go would keep the group it was sent to', () => {
  const plan = apply(
    planOf({ box, console: console72, amp }),
    feed('box', 1, 'amp', 1, 4),
    feed('console', 1, 'amp', 5, 4),
    {
      kind: 'put-group-choice',
      choice: { senderDeviceId: 'box', streamNumber: 1, groupA: '239.71.4.4', groupB: null },
    },
    {
      kind: 'put-group-choice',
      choice: { senderDeviceId: 'console', streamNumber: 1, groupA: '239.199.4.4', groupB: null },
    },
  );
  const stream = reckon(plan).streamsBySender.get('box')![0]!;
  const { senderDeviceId, streamNumber, channels, format } = stream;
  const receivers = [{ deviceId: 'amp', streamNumber: 1 }];
  const sent = { senderDeviceId, streamNumber, channels, format, groupA: '239.71.4.4', groupB: null, receivers };
  const carrying = apply(plan, { kind: 'keep-sent-streams', put: [sent], drop: [] });
  const reckoning = reckon(carrying);
  const finding = reckoning.findings.find((f) => f.about === 'group-collision')!;
  const fixes = provenFixes(reckoning, finding);
  expect(fixes.map((f) => f.does)).toEqual(['choose-group', 'drop-group-choice']);
  expect(fixes[0]).toMatchObject({ streamId: 'box/1', group: '239.71.4.5' });
});
