import fc from 'fast-check';
import { fixesFor } from '../findings/rules';
import { throughFindings } from '../findings/through';
import { reckon } from '../reckon/reckon';
import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import type { Subscription } from '../plan/subscriptions-table';
import { PLAIN_TERMINAL } from './terminal-shape';
import { originOf, passesOf, routeThrough, unitsBetween, unitUse } from './through';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';

const unit = modelNamed('processor-64', { passesThrough: 8, channelPool: null });
const box = modelNamed('stage-box-24');
const amp = modelNamed('amp-8');
const through = { throughId: 'unit' };
/** Everything of the box and of two amplifiers goes through the unit; the desk is beside it. */
const start = planOf({
  unit,
  box: [box, through],
  left: [amp, through],
  right: [amp, through],
  desk: modelNamed('console-72'),
});
const wish = (sender: string, senderChannel: number, receiver: string, receiverChannel: number): Subscription => ({
  ...{ senderDeviceId: sender, senderChannel, receiverDeviceId: receiver, receiverChannel },
});
const routed = (plan = start, ...wishes: Subscription[]) =>
  apply(plan, { kind: 'subscribe', subscriptions: routeThrough(plan, wishes).subscriptions });

describe('everything through a processing unit', () => {
  test('a channel is taken in once and given out once, however many hear it: both count', () => {
    const plan = routed(start, wish('box', 3, 'left', 1), wish('box', 3, 'right', 1), wish('box', 4, 'right', 2));
    expect(plan.subscriptions.get('unit')?.size).toBe(2);
    const use = unitUse(plan, 'unit');
    expect(use).toMatchObject({ fed: [1, 2], heard: [1, 2], ownHeard: [], members: ['box', 'left', 'right'] });
    const budget = reckon(plan).budgetByDevice.get('unit');
    expect(budget?.channelsReceive.used).toBe(2);
    expect(budget?.channelsSend.used).toBe(2);
    expect(throughFindings(plan)).toEqual([]);
  });

  test('its own players cost only when they are sent out, and go to the receiver directly', () => {
    const plan = routed(start, wish('unit', 20, 'left', 1), wish('unit', 20, 'right', 1));
    expect(unitUse(plan, 'unit')).toMatchObject({ fed: [], heard: [], ownHeard: [20] });
    expect(plan.subscriptions.get('left')?.get(1)).toEqual(wish('unit', 20, 'left', 1));
  });

  test('what one end alone goes through lies on the way too; devices beside it meet directly', () => {
    expect(unitsBetween(start, 'box', 'desk')).toEqual(['unit']);
    expect(unitsBetween(start, 'desk', 'left')).toEqual(['unit']);
    expect(unitsBetween(start, 'unit', 'left')).toEqual([]);
    const two = apply(
      planOf({ unit, second: unit, box: [box, through], amp: [amp, { throughId: 'second' }] }),
      feed('box', 1, 'unit', 5),
    );
    const plan = routed(two, wish('box', 1, 'amp', 1));
    expect(originOf(plan, 'second', 1)).toEqual({ deviceId: 'box', channel: 1 });
    // The pass that carries it already is used again.
    expect(plan.subscriptions.get('second')?.get(1)).toEqual(wish('unit', 5, 'second', 1));
  });

  test('what a unit passes follows from its patch: another output, two of them, none; an effect and a mix pass nothing', () => {
    const patched = (channel: number, from: [string, number] | null): Command => ({
      kind: 'put-patch',
      patch: {
        ...{ deviceId: 'unit', terminalId: 'network-out', channel, tap: null },
        from: from && { terminalId: from[0], channel: from[1] },
      },
    });
    const out = {
      ...PLAIN_TERMINAL,
      id: 'network-out',
      name: 'Network out',
      kind: 'network',
      direction: 'out',
    } as const;
    const model = { ...unit, terminals: [{ ...out, channels: 1, patchFrom: ['network-in'] }] };
    const ground = apply(start, { kind: 'put-model', model });
    expect([...passesOf(ground, 'unit').outsOf.keys()]).toEqual([1, 2, 3, 4, 5, 6, 7, 8]);
    const plan = apply(ground, patched(1, ['network-in', 20]), patched(2, null), patched(30, ['network-in', 3]));
    const { outsOf, inOf } = passesOf(plan, 'unit');
    expect([outsOf.get(1), outsOf.get(2), outsOf.get(3), outsOf.get(20)]).toEqual([undefined, undefined, [3, 30], [1]]);
    expect([inOf.get(1), inOf.get(2), inOf.get(30)]).toEqual([20, undefined, 3]);
    const heard = routed(plan, wish('box', 7, 'left', 1));
    expect(heard.subscriptions.get('unit')?.get(3)).toEqual(wish('box', 7, 'unit', 3));
    expect(originOf(heard, 'unit', 30)).toEqual({ deviceId: 'box', channel: 7 });
    const effect = { ...model, terminals: [{ ...out, channels: 1, isEffect: true }] };
    expect(passesOf(apply(start, { kind: 'put-model', model: effect }), 'unit').outsOf.size).toBe(0);
    // Buses of a console mix: only its direct outs would pass, and none is patched.
    expect(passesOf(start, 'desk').outsOf.size).toBe(0);
  });

  test('law: everyone hears what was wished, and what was heard before stays', () => {
    const wishes = fc.array(
      fc.record({
        senderDeviceId: fc.constantFrom('box', 'desk', 'unit'),
        senderChannel: fc.integer({ min: 1, max: 24 }),
        receiverDeviceId: fc.constantFrom('left', 'right'),
        receiverChannel: fc.integer({ min: 1, max: 8 }),
      }),
      { maxLength: 12 },
    );
    const lanesOf = (plan: typeof start) =>
      ['left', 'right'].flatMap((id) => [...(plan.subscriptions.get(id)?.values() ?? [])]);
    fc.assert(
      fc.property(wishes, wishes, (first, second) => {
        const before = routed(start, ...first);
        const result = routeThrough(before, second);
        const after = apply(before, { kind: 'subscribe', subscriptions: result.subscriptions });
        const lastOf = new Map(second.map((w) => [`${w.receiverDeviceId} ${w.receiverChannel}`, w]));
        for (const l of result.left) lastOf.delete(`${l.deviceId} ${l.channel}`);
        for (const lane of lanesOf(after)) {
          const wished = lastOf.get(`${lane.receiverDeviceId} ${lane.receiverChannel}`);
          const was = before.subscriptions.get(lane.receiverDeviceId)?.get(lane.receiverChannel);
          const now = originOf(after, lane.senderDeviceId, lane.senderChannel);
          if (wished !== undefined && result.left.length === 0) {
            expect(now).toEqual(originOf(before, wished.senderDeviceId, wished.senderChannel));
          } else if (was !== undefined && wished === undefined && result.left.length === 0) {
            expect(now).toEqual(originOf(before, was.senderDeviceId, was.senderChannel));
          }
        }
        // Never more passes than there are sources, nor than the unit has.
        const use = unitUse(after, 'unit');
        expect(use.fed.length).toBeLessThanOrEqual(8);
        expect(
          new Set(
            [...(after.subscriptions.get('unit')?.values() ?? [])].map((s) => `${s.senderDeviceId} ${s.senderChannel}`),
          ).size,
        ).toBe(use.fed.length);
      }),
    );
  });

  test('where no pass is left the wish is left out and told', () => {
    const nine = Array.from({ length: 9 }, (_, n) => wish('box', n + 1, n < 8 ? 'left' : 'right', (n % 8) + 1));
    const result = routeThrough(start, nine);
    expect(result.left).toEqual([{ deviceId: 'right', channel: 1, unitId: 'unit' }]);
    expect(result.subscriptions).toHaveLength(16);
  });

  test('lanes past the unit are found and led through it; so are units that pass nothing, and idle passes', () => {
    const past = apply(start, feed('box', 1, 'left', 1, 2));
    const [finding] = throughFindings(past);
    expect(finding).toMatchObject({ about: 'past-the-unit', channels: [1, 2], unitIds: ['unit'], severity: 'caution' });
    const fix = fixesFor(past, finding!).find((f) => f.does === 'route-through');
    const led = apply(past, ...fix!.commands);
    expect(throughFindings(led)).toEqual([]);
    expect(originOf(led, 'unit', 2)).toEqual({ deviceId: 'box', channel: 2 });

    const idle = apply(led, { kind: 'unsubscribe', channels: [{ deviceId: 'left', channel: 2 }] });
    const [unheard] = throughFindings(idle);
    expect(unheard).toMatchObject({ about: 'idle-passes', channels: [2], severity: 'note' });
    expect(throughFindings(apply(idle, ...fixesFor(idle, unheard!)[0]!.commands))).toEqual([]);

    const none = apply(start, { kind: 'put-model', model: { ...unit, passesThrough: 0 } });
    const [nothing] = throughFindings(none);
    expect(nothing).toMatchObject({ about: 'unit-passes-nothing' });
    expect(throughFindings(apply(none, ...fixesFor(none, nothing!)[0]!.commands))).toEqual([]);
  });

  test('units are not chained: what goes through one is none, and one goes through no other', () => {
    const put = (deviceId: string, throughId: string) =>
      applyCommands(start, [{ kind: 'change-device', deviceId, change: { throughId } }]);
    expect(put('unit', 'desk')).toMatchObject({
      ok: false,
      problem: { reason: 'in-use', field: 'commands[0].change.throughId' },
    });
    expect(put('desk', 'box')).toMatchObject({ ok: false, problem: { reason: 'in-use' } });
    expect(put('desk', 'desk')).toMatchObject({ ok: false, problem: { reason: 'unknown' } });
    expect(put('desk', 'unit').ok).toBe(true);
  });

  test('a unit that is removed leaves its devices to meet directly', () => {
    const after = apply(start, { kind: 'remove-device', deviceId: 'unit' });
    expect([...after.devices.values()].every((d) => d.throughId === null)).toBe(true);
  });
});
