import { apply, modelNamed, planOf } from '../plan/test-plan';
import type { SignalEnd } from '../signal/signal-end';
import { reckon } from '../reckon/reckon';
import { clearPatch, fillPatch, patchAsNormalled } from './fill-patch';

const plan = planOf({
  desk: modelNamed('console-72'),
  tape: modelNamed('recorder-96-blocks'),
  amp: modelNamed('amp-8'),
});
const run = (deviceId: string, terminalId: string, first: number, count: number): SignalEnd[] =>
  Array.from({ length: count }, (_, n) => ({ deviceId, terminalId, channel: first + n }));
const IN_STEP = { pattern: 'in-step', step: 1 } as const;

test('strips are fed in order from sockets, each by a record of its own, and what is left has no channel', () => {
  const { commands, leftOut } = fillPatch(
    plan,
    run('desk', 'strips', 5, 10),
    { terminalId: 'mic-in', channel: 1 },
    IN_STEP,
    null,
  );
  expect(commands).toHaveLength(8);
  expect(commands[7]).toEqual({
    kind: 'put-patch',
    patch: {
      deviceId: 'desk',
      terminalId: 'strips',
      channel: 12,
      from: { terminalId: 'mic-in', channel: 8 },
      tap: null,
    },
  });
  expect(leftOut.map((l) => [l.end.channel, l.why])).toEqual([
    [13, 'no-channel-left'],
    [14, 'no-channel-left'],
  ]);
});

test('what the model feeds so anyway needs no record, and one that says otherwise is taken away', () => {
  const patched = apply(
    plan,
    ...fillPatch(plan, run('desk', 'strips', 1, 1), { terminalId: 'mic-in', channel: 3 }, IN_STEP, null).commands,
  );
  expect(
    fillPatch(plan, run('desk', 'strips', 1, 4), { terminalId: 'network-in', channel: 1 }, IN_STEP, null).commands,
  ).toEqual([]);
  expect(
    fillPatch(patched, run('desk', 'strips', 1, 4), { terminalId: 'network-in', channel: 1 }, IN_STEP, null).commands,
  ).toEqual([{ kind: 'remove-patch', deviceId: 'desk', terminalId: 'strips', channel: 1 }]);
  expect(patchAsNormalled(patched, run('desk', 'strips', 1, 4))).toHaveLength(1);
});

test('a bus gets a send from each strip, taken where it was asked, and keeps the others', () => {
  const once = apply(
    plan,
    ...fillPatch(plan, run('desk', 'buses', 1, 2), { terminalId: 'strips', channel: 9 }, IN_STEP, 'before-fader')
      .commands,
  );
  const twice = apply(
    once,
    ...fillPatch(once, run('desk', 'buses', 1, 1), { terminalId: 'strips', channel: 20 }, IN_STEP, null).commands,
  );
  expect([...(twice.busSends.get('desk')?.values() ?? [])].map((s) => [s.channel, s.fromChannel, s.tap])).toEqual([
    [1, 9, 'before-fader'],
    [2, 10, 'before-fader'],
    [1, 20, null],
  ]);
  expect(clearPatch(twice, run('desk', 'buses', 1, 1))).toHaveLength(2);
});

test('a terminal in blocks without exceptions is fed in whole blocks, aligned at both ends, and says what goes along', () => {
  const { commands, along, leftOut } = fillPatch(
    plan,
    run('tape', 'tracks', 3, 2),
    { terminalId: 'network-in', channel: 14 },
    IN_STEP,
    null,
  );
  expect(commands).toHaveLength(8);
  expect(along.map((e) => e.channel)).toEqual([1, 2, 5, 6, 7, 8]);
  expect(leftOut).toEqual([]);
  const after = apply(plan, ...commands);
  expect(after.patches.get('tape')?.get('tracks/3')?.from).toEqual({ terminalId: 'network-in', channel: 11 });
  expect(reckon(after).findings.filter((f) => f.about === 'patch-block')).toEqual([]);
  const late = fillPatch(plan, run('tape', 'tracks', 1, 96), { terminalId: 'network-in', channel: 89 }, IN_STEP, null);
  expect(new Set(late.leftOut.map((l) => l.why))).toEqual(new Set(['no-block-left']));
});

test('an output is fed only from where its model says, and can be left fed by nothing', () => {
  const { commands, leftOut } = fillPatch(
    plan,
    run('amp', 'speaker-out', 1, 2),
    { terminalId: 'line-in', channel: 1 },
    IN_STEP,
    null,
  );
  expect(commands).toHaveLength(2);
  expect(leftOut).toEqual([]);
  const wrong = fillPatch(plan, run('desk', 'line-out', 1, 1), { terminalId: 'mic-in', channel: 1 }, IN_STEP, null);
  expect(wrong.leftOut.map((l) => l.why)).toEqual(['not-patched-from-there']);
  expect(clearPatch(plan, run('amp', 'speaker-out', 1, 1))).toEqual([
    { kind: 'put-patch', patch: { deviceId: 'amp', terminalId: 'speaker-out', channel: 1, from: null, tap: null } },
  ]);
  expect(clearPatch(plan, run('desk', 'line-out', 1, 1))).toEqual([]);
});

test('a short last block is fed from a whole block, and never from the middle of one', () => {
  const tape = modelNamed('recorder-96-blocks', { channelsReceive: 20 });
  const short = { ...tape, terminals: tape.terminals.map((t) => (t.id === 'tracks' ? { ...t, channels: 20 } : t)) };
  const small = planOf({ tape: short });
  const { commands } = fillPatch(
    small,
    run('tape', 'tracks', 18, 1),
    { terminalId: 'network-in', channel: 6 },
    IN_STEP,
    null,
  );
  const after = apply(small, ...commands);
  expect(after.patches.get('tape')?.get('tracks/17')?.from).toEqual({ terminalId: 'network-in', channel: 1 });
  expect(reckon(after).findings.filter((f) => f.about === 'patch-block')).toEqual([]);
});

test('terminals that are patched in blocks and one by one are each fed in their own way', () => {
  const tape = modelNamed('recorder-96-blocks');
  const single = { ...tape.terminals[0]!, id: 'singles', name: 'Single', blockSize: 1, channels: 4 };
  const mixed = planOf({ tape: { ...tape, terminals: [...tape.terminals, single] } });
  const fed = [...run('tape', 'tracks', 1, 1), ...run('tape', 'singles', 1, 2)];
  const after = apply(
    mixed,
    ...fillPatch(mixed, fed, { terminalId: 'network-in', channel: 11 }, IN_STEP, null).commands,
  );
  expect(after.patches.get('tape')?.get('tracks/1')?.from?.channel).toBe(9);
  expect(['1', '2'].map((n) => after.patches.get('tape')?.get(`singles/${n}`)?.from?.channel)).toEqual([11, 12]);
});
