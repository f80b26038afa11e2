import fc from 'fast-check';
import { changedFields, touchedKey, type RecordChange } from '../plan/changes';
import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { leaveOut } from './leave-out';

const start = () =>
  apply(
    planOf({ desk: modelNamed('console-72'), amp: modelNamed('amp-8'), amp2: modelNamed('amp-8') }),
    feed('desk', 1, 'amp', 1, 4),
  );
const changesOf = (commands: readonly Command[]) => {
  const result = applyCommands(start(), commands);
  if (!result.ok) throw new Error(result.problem.field);
  return new Map(result.changes.map((c) => [touchedKey(c), c]));
};

test('law: what is left out stays as it is, and all the rest is as it would have been', () => {
  const receiver = fc.record({ deviceId: fc.constantFrom('amp', 'amp2'), channel: fc.integer({ min: 1, max: 8 }) });
  const command: fc.Arbitrary<Command> = fc.oneof(
    fc
      .tuple(receiver, fc.integer({ min: 1, max: 64 }), fc.integer({ min: 1, max: 3 }))
      .map(([r, from, count]): Command => feed('desk', from, r.deviceId, Math.min(r.channel, 6), count)),
    fc.array(receiver, { minLength: 1, maxLength: 4 }).map((channels): Command => ({ kind: 'unsubscribe', channels })),
  );
  fc.assert(
    fc.property(
      fc.array(command, { minLength: 1, maxLength: 4 }),
      fc.array(receiver, { maxLength: 4 }),
      (commands, left) => {
        const records = new Set(left.map((r) => `subscriptions:${r.deviceId}/${r.channel}`));
        const rest = leaveOut(commands, records);
        const whole = changesOf(commands);
        const part = rest === null ? new Map() : changesOf(rest);
        for (const key of records) whole.delete(key);
        expect(part).toEqual(whole);
      },
    ),
  );
});

test('anything else than a subscription cannot be kept apart', () => {
  const commands: Command[] = [{ kind: 'change-device', deviceId: 'amp', change: { name: 'A' } }];
  expect(leaveOut(commands, new Set(['devices:amp']))).toBeNull();
  expect(leaveOut(commands, new Set())).toEqual(commands);
});

test('the fields in which a record changes; null where it comes or goes', () => {
  const device = start().devices.get('amp')!;
  const change = (before: unknown, after: unknown) => ({ table: 'devices', before, after }) as RecordChange;
  expect(changedFields(change(device, { ...device, name: 'B', placeId: 'x' }))).toEqual(new Set(['name', 'placeId']));
  expect(changedFields(change(device, { ...device }))).toEqual(new Set());
  expect(changedFields(change(null, device))).toBeNull();
  expect(changedFields(change(device, null))).toBeNull();
});
