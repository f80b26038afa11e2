import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { fileOfPlan, planOfFile } from '../formats/plan-file';
import { reckon } from '../reckon/reckon';
import { comparable } from '../reckon/test-comparable';
import { applyChanges } from './changes';
import { applyCommands } from './apply-commands';
import type { Command } from './commands';
import type { Plan } from './plan';
import { PLAIN_SUBNET } from '../network/subnets-table';
import type { SwitchSettings } from '../network/switches-table';
import { mistakesIn } from './test-breaks';
import { apply, cable, deviceOf, feed, modelNamed, planOf } from './test-plan';
import { expectSame } from './test-same';

const NET = { id: 'n', name: 'Net', cidr: '10.0.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET } as const;
const switchOf = (id: string): SwitchSettings => ({
  id,
  snooping: true,
  trustsDscp: true,
  queueByDscp: [],
  energySaving: false,
  spanningTree: true,
  bridgePriority: 32_768,
  multicastRouting: false,
  spanningTrees: 'one',
  igmpVersion: 3,
  pimMode: null,
  rendezvousPoint: null,
});
const console72 = modelNamed('console-72');
const amp = modelNamed('amp-8');
const box = modelNamed('stage-box-24');
const start = () => planOf({ console: console72, box, 'amp-1': amp, 'amp-2': amp });
const text = (plan: Plan) => JSON.stringify(fileOfPlan(plan));

const senders = ['console', 'box'] as const;
const receivers = ['amp-1', 'amp-2', 'console'] as const;
const subscribe = fc
  .record({
    sender: fc.constantFrom(...senders),
    receiver: fc.constantFrom(...receivers),
    from: fc.integer({ min: 1, max: 16 }),
    to: fc.integer({ min: 1, max: 8 }),
  })
  .map(({ sender, receiver, from, to }) => feed(sender, from, receiver, to));
const anyCommand: fc.Arbitrary<Command> = fc.oneof(
  { weight: 6, arbitrary: subscribe },
  fc.record({
    kind: fc.constant('unsubscribe' as const),
    channels: fc.array(
      fc.record({ deviceId: fc.constantFrom(...receivers), channel: fc.integer({ min: 1, max: 8 }) }),
      { minLength: 1, maxLength: 4 },
    ),
  }),
  fc.record({
    kind: fc.constant('label-channels' as const),
    deviceId: fc.constant('console'),
    side: fc.constantFrom('receive' as const, 'send' as const),
    labels: fc.array(
      fc.record({ channel: fc.integer({ min: 1, max: 72 }), label: fc.option(fc.string({ maxLength: 20 })) }),
      { maxLength: 3 },
    ),
  }),
  fc.record({
    kind: fc.constant('change-device' as const),
    deviceId: fc.constantFrom('console', 'box', 'amp-1'),
    change: fc.record({
      name: fc.string({ minLength: 1, maxLength: 12 }),
      rateHz: fc.constantFrom(48_000 as const, 96_000 as const),
    }),
  }),
  fc.record({ kind: fc.constant('remove-device' as const), deviceId: fc.constantFrom('box', 'amp-2') }),
  fc.record({
    kind: fc.constant('put-interface' as const),
    interface: fc.record({
      deviceId: fc.constant('amp-1'),
      name: fc.constant('A'),
      subnetId: fc.constant('a'),
      address: fc.option(fc.constantFrom('10.0.0.13', '10.0.0.11', '10.9.0.1')),
    }),
  }),
);

describe('commands', () => {
  test('applying a batch and then its inverse gives the same plan', () => {
    fc.assert(
      fc.property(fc.array(anyCommand, { maxLength: 8 }), fc.array(anyCommand, { maxLength: 8 }), (before, batch) => {
        const first = applyCommands(start(), before);
        fc.pre(first.ok);
        const result = applyCommands(first.plan, batch);
        fc.pre(result.ok);
        expect(text(applyChanges(result.plan, result.inverse))).toBe(text(first.plan));
        expect(text(applyChanges(first.plan, result.changes))).toBe(text(result.plan));
      }),
    );
  });

  test('so does whatever is done to addresses, cables, switches, subnets and settings', () => {
    fc.assert(
      fc.property(mistakesIn(planOfFile(skerryPoint())), ({ plans, commands }) => {
        const plan = plans[0] as Plan;
        const result = applyCommands(plan, commands);
        if (!result.ok) throw new Error(result.problem.field);
        expect(text(result.plan)).toBe(text(plans[plans.length - 1] as Plan));
        expect(text(applyChanges(result.plan, result.inverse))).toBe(text(plan));
      }),
    );
  });

  test('a batch with one wrong command changes nothing and names the field', () => {
    const plan = start();
    const result = applyCommands(plan, [feed('console', 1, 'amp-1', 1), feed('console', 73, 'amp-1', 2)]);
    expect(result).toEqual({
      ok: false,
      problem: {
        reason: 'out-of-range',
        field: 'commands[1].subscriptions[0].senderChannel',
        value: '73',
        limit: '1 to 72',
      },
    });
    expect(plan.subscriptions.size).toBe(0);
  });

  test.each<[string, Command, string]>([
    ['a receiver that is not there', feed('console', 1, 'nobody', 1), 'commands[0].subscriptions[0].receiverDeviceId'],
    [
      'a model that is not there',
      { kind: 'add-device', device: { ...deviceOf('x', amp), modelId: 'none' } },
      'commands[0].device.modelId',
    ],
    ['a device that is there already', { kind: 'add-device', device: deviceOf('amp-1', amp) }, 'commands[0].device.id'],
    ['a subnet that is in use', { kind: 'remove-subnet', subnetId: 'a' }, 'commands[0].subnetId'],
    [
      'a cable into a port that is not there',
      cable('l', 'amp-1', 'Nowhere', 'amp-2', 'Media A'),
      'commands[0].link.from.port',
    ],
    [
      'a subnet whose prefix is longer than an address',
      { kind: 'put-subnet', subnet: { ...NET, cidr: '10.0.0.0/99' } },
      'commands[0].subnet.cidr',
    ],
    [
      'a DHCP range that ends before it begins',
      { kind: 'put-subnet', subnet: { ...NET, dhcp: { first: '10.0.0.9', last: '10.0.0.8' } } },
      'commands[0].subnet.dhcp',
    ],
    [
      'a pool that holds no groups',
      { kind: 'change-settings', settings: { poolA: '10.0.0.0/8' } },
      'commands[0].settings.poolA',
    ],
    [
      'a group that is an address of one host',
      {
        kind: 'put-group-choice',
        choice: { senderDeviceId: 'amp-1', streamNumber: 1, groupA: '10.0.0.1', groupB: null },
      },
      'commands[0].choice.groupA',
    ],
    [
      'a querier that is not in the plan',
      { kind: 'put-subnet', subnet: { ...NET, querierIds: ['nobody'] } },
      'commands[0].subnet.querierIds[0]',
    ],
    [
      'switch settings of what is no switch',
      { kind: 'put-switch', settings: { ...switchOf('amp-1') } },
      'commands[0].settings.id',
    ],
  ])('%s is refused by name', (_, command, field) => {
    const result = applyCommands(start(), [command]);
    expect(result.ok ? null : result.problem.field).toBe(field);
  });

  test('a receiver channel hears one sender channel: the later subscription replaces the earlier', () => {
    const plan = apply(start(), feed('console', 1, 'amp-1', 1), feed('box', 2, 'amp-1', 1));
    expect(plan.subscriptions.get('amp-1')?.get(1)).toMatchObject({ senderDeviceId: 'box', senderChannel: 2 });
  });

  test('removing a device takes its lanes along, both ways, and its inverse brings all of them back', () => {
    const plan = apply(
      start(),
      feed('box', 1, 'console', 1, 4),
      feed('console', 1, 'amp-1', 1, 8),
      feed('box', 1, 'amp-2', 1),
    );
    const result = applyCommands(plan, [{ kind: 'remove-device', deviceId: 'box' }]);
    if (!result.ok) throw new Error('refused');
    expect(result.plan.subscriptions.has('console')).toBe(false);
    expect(result.plan.subscriptions.has('amp-2')).toBe(false);
    expect(result.plan.subscriptions.get('amp-1')?.size).toBe(8);
    expect(text(applyChanges(result.plan, result.inverse))).toBe(text(plan));
  });

  test('a model that loses its slots takes the places of its units on slot buses along', () => {
    const harbour = planOfFile(skerryPoint());
    const unit = [...harbour.slotUnits.values()][0]!;
    const model = harbour.models.get(harbour.devices.get(unit.id)!.modelId)!;
    const result = applyCommands(harbour, [{ kind: 'put-model', model: { ...model, slots: null } }]);
    if (!result.ok) throw new Error('refused');
    expect(result.plan.slotUnits.has(unit.id)).toBe(false);
    expect(text(applyChanges(result.plan, result.inverse))).toBe(text(harbour));
  });

  test('a key never changes: whatever a change says of an id is left out of it', () => {
    const change = { id: 'amp-2', name: 'Other' } as { name: string };
    const plan = apply(start(), { kind: 'change-device', deviceId: 'amp-1', change });
    expect([plan.devices.get('amp-1')?.name, plan.devices.get('amp-2')?.name]).toEqual(['Other', 'amp-2']);
  });

  test('in a batch a record may point at one that comes later in it', () => {
    const plan = apply(
      start(),
      { kind: 'put-place', place: { id: 'room', name: 'Room', parentId: 'house' } },
      { kind: 'put-place', place: { id: 'house', name: 'House', parentId: null } },
    );
    expect(plan.places.get('room')?.parentId).toBe('house');
  });

  test('places cannot be put inside themselves', () => {
    const plan = apply(
      start(),
      { kind: 'put-place', place: { id: 'house', name: 'House', parentId: null } },
      { kind: 'put-place', place: { id: 'room', name: 'Room', parentId: 'house' } },
    );
    expect(
      applyCommands(plan, [{ kind: 'put-place', place: { id: 'house', name: 'House', parentId: 'room' } }]).ok,
    ).toBe(false);
  });

  test('a batch that touches one device leaves every other part of the plan as the same object', () => {
    const plan = apply(start(), feed('console', 1, 'amp-1', 1, 8), feed('console', 1, 'amp-2', 1, 8));
    const next = apply(plan, feed('console', 9, 'amp-1', 1));
    expect(next.devices).toBe(plan.devices);
    expect(next.subscriptions.get('amp-2')).toBe(plan.subscriptions.get('amp-2'));
    expect(next.subscriptions.get('amp-1')).not.toBe(plan.subscriptions.get('amp-1'));
  });

  test('any order of independent commands gives the same plan and the same reckoning', () => {
    const lanes = fc.uniqueArray(subscribe, {
      minLength: 2,
      maxLength: 12,
      selector: (c) =>
        c.kind === 'subscribe' ? `${c.subscriptions[0]?.receiverDeviceId}/${c.subscriptions[0]?.receiverChannel}` : '',
    });
    fc.assert(
      fc.property(
        lanes.chain((list) => fc.tuple(fc.constant(list), fc.shuffledSubarray(list, { minLength: list.length }))),
        ([list, shuffled]) => {
          const a = apply(start(), ...list);
          const b = apply(start(), ...shuffled);
          expectSame(text(a), text(b));
          expectSame(comparable(reckon(a)), comparable(reckon(b)));
        },
      ),
    );
  });
});
