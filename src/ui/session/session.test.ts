import { skerryPoint } from '@/demo/skerry-point';
import { planOfFile } from '@/core/formats/plan-file';
import { applyCommands } from '@/core/plan/apply-commands';
import type { Command } from '@/core/plan/commands';
import { feed } from '@/core/plan/test-plan';
import type { TopicNews, TopicValue } from '@/field/live/topics';
import type { FieldMessage } from '@/server/messages';
import { reckonDesk } from '@/workers/reckon-desk';
import { identityOf } from './ask-worker';
import { mergedField } from './field-view';
import { NO_FIELD } from './plan-store';
import { evidenceOf, stateOf } from './shown';
import { merged } from './view';

const file = skerryPoint();

function changesOf(...commands: Command[]) {
  const result = applyCommands(planOfFile(file), commands);
  if (!result.ok) throw new Error(result.problem.field);
  return result.changes;
}

describe('the view of the page', () => {
  const desk = reckonDesk();
  const whole = merged(null, desk.load(file));

  test('is the reckoning lane by lane', () => {
    expect(whole.lanes.get('dome-amp-1')?.get(1)).toMatchObject({ verdict: 'fits', senderDeviceId: 'dome-renderer' });
    expect(whole.totals.refusedLanes).toBe(2);
    expect(whole.findings.length).toBe(12);
  });

  test('after a change it is what a view of the changed plan is, and what did not change is the same object', () => {
    const changes = changesOf(feed('loft-console', 1, 'dome-amp-6', 1, 8));
    const after = merged(whole, desk.advance(changes));
    const again = reckonDesk();
    again.load(file);
    const full = merged(null, again.advance(changes));
    expect(after.lanes.get('dome-amp-6')).toEqual(full.lanes.get('dome-amp-6'));
    expect(after.lanes.get('dome-amp-6')?.size).toBe(8);
    expect(after.totals).toEqual(full.totals);
    expect(after.lanes.get('dome-amp-1')).toBe(whole.lanes.get('dome-amp-1'));
  });

  test('a preview says what the batch comes to record by record, and leaves the plan as it is', () => {
    const fresh = reckonDesk();
    const before = merged(null, fresh.load(file));
    const outcome = fresh.preview([feed('loft-console', 1, 'dome-amp-6', 1, 2)]);
    if (!outcome.ok) throw new Error('refused');
    expect(outcome.result.changes.map((c) => c.table)).toEqual(['subscriptions', 'subscriptions']);
    expect(merged(before, outcome.result.delta).lanes.get('dome-amp-6')?.size).toBe(2);
    fresh.endPreview();
    expect(fresh.explain('dome-amp-6', 1)).toBeNull();
    expect(fresh.preview([feed('nobody', 1, 'dome-amp-6', 1)])).toMatchObject({
      ok: false,
      problem: { reason: 'unknown' },
    });
  });

  test('a receiver that loses its last lane is gone from the view', () => {
    const fresh = reckonDesk();
    const before = merged(null, fresh.load(file));
    const channels = [...(before.lanes.get('dome-amp-1')?.keys() ?? [])].map((channel) => ({
      deviceId: 'dome-amp-1',
      channel,
    }));
    const after = merged(before, fresh.advance(changesOf({ kind: 'unsubscribe', channels })));
    expect(after.lanes.has('dome-amp-1')).toBe(false);
    expect(after.budgets.get('dome-amp-1')?.channelsReceive.used).toBe(0);
  });
});

describe('the field as the page holds it', () => {
  const device = (nodeId: string): TopicValue<'devices'> => ({
    nodeId,
    boundBy: 'address',
    addresses: [],
    askedAt: null,
    interfaces: [],
    isTried: true,
    failure: null,
    answeredAt: null,
    foundFrom: null,
    foundAt: null,
    isNotKnown: false,
    runBy: null,
  });
  const news = (topics: TopicNews, more: Partial<FieldMessage> = {}): FieldMessage => ({
    isFull: false,
    topics,
    events: [],
    ...more,
  });
  const first = mergedField(
    NO_FIELD,
    news({ devices: { a: [1, device('n')], b: [2, device('m')] }, names: { a: [1, 'Amp'] } }, { isFull: true }),
  );

  test('news changes what it names and nothing else; the maps of other topics stay the same objects', () => {
    const second = mergedField(first, news({ devices: { b: [7, device('other')] } }));
    expect(second.devices.get('a')).toBe(first.devices.get('a'));
    expect([second.devices.get('b')?.nodeId, second.since.devices.get('b')]).toEqual(['other', 7]);
    expect(second.names).toBe(first.names);
    expect(second.since.names).toBe(first.since.names);
  });

  test('what is gone leaves the time since when; what is no more leaves nothing', () => {
    const second = mergedField(first, news({ devices: { a: null, b: [9] } }));
    expect(second.devices.size).toBe(0);
    expect(second.since.devices).toEqual(new Map([['b', 9]]));
  });

  test('a full message replaces all that was known', () => {
    const second = mergedField(first, news({ devices: { c: [3, device('k')] } }, { isFull: true }));
    expect([[...second.devices.keys()], second.names.size]).toEqual([['c'], 0]);
  });

  test('events come newest first, each once however often it grows', () => {
    const lost = { id: 4, at: 10, what: 'devices-gone' as const, deviceIds: ['a'] };
    const back = { id: 5, at: 20, what: 'devices-back' as const, deviceIds: ['a'] };
    const second = mergedField(first, news({}, { events: [lost, back] }));
    const third = mergedField(second, news({}, { events: [{ ...lost, deviceIds: ['a', 'b'] }] }));
    expect(third.events).toEqual([back, { ...lost, deviceIds: ['a', 'b'] }]);
    expect(mergedField(third, news({ names: {} })).events).toBe(third.events);
  });

  test('a refusal of the plan counts before what a device says; without evidence a lane is planned', () => {
    const lane = { verdict: 'fits' } as Parameters<typeof stateOf>[0];
    const evidence = { state: 'carrying' as const, checks: [], readAt: 5 };
    expect(stateOf(lane, null)).toBe('planned');
    expect(stateOf(lane, evidence)).toBe('carrying');
    expect(stateOf({ ...lane, verdict: 'refused' }, evidence)).toBe('refused');
    const field = mergedField(NO_FIELD, news({ lanes: { a: [1, { evidence: [evidence], evidenceAt: { 3: 0 } }] } }));
    expect([evidenceOf(field, 'a', 3), evidenceOf(field, 'a', 4), evidenceOf(field, 'z', 1)]).toEqual([
      evidence,
      null,
      null,
    ]);
  });
});

test('a question to the worker is told from others by the very objects that it is about', () => {
  const plan = { name: 'x' };
  expect(identityOf(plan)).toBe(identityOf(plan));
  expect(identityOf(plan)).not.toBe(identityOf({ name: 'x' }));
  expect([identityOf('a'), identityOf(3), identityOf(null)]).toEqual(['a', 3, null]);
});
