import { skerryPoint } from '@/demo/skerry-point';
import { planOfFile } from '@/core/formats/plan-file';
import { applyCommands } from '@/core/plan/apply-commands';
import type { Command } from '@/core/plan/commands';
import { feed } from '@/core/plan/test-plan';
import type { DeviceFieldView, FieldMessage } from '@/server/messages';
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
    expect(whole.findings.length).toBe(9);
  });

  test('after a change it is what a view of the changed plan is, and what did not change is the same object', () => {
    const changes = changesOf(feed('loft-console', 1, 'dome-amp-5', 1, 8));
    const after = merged(whole, desk.advance(changes));
    const anew = reckonDesk();
    anew.load(file);
    const full = merged(null, anew.advance(changes));
    expect(after.lanes.get('dome-amp-5')).toEqual(full.lanes.get('dome-amp-5'));
    expect(after.lanes.get('dome-amp-5')?.size).toBe(8);
    expect(after.totals).toEqual(full.totals);
    expect(after.lanes.get('dome-amp-1')).toBe(whole.lanes.get('dome-amp-1'));
  });

  test('a preview says what the batch comes to record by record, and leaves the plan as it is', () => {
    const fresh = reckonDesk();
    const before = merged(null, fresh.load(file));
    const outcome = fresh.preview([feed('loft-console', 1, 'dome-amp-5', 1, 2)]);
    if (!outcome.ok) throw new Error('refused');
    expect(outcome.result.changes.map((c) => c.table)).toEqual(['subscriptions', 'subscriptions']);
    expect(merged(before, outcome.result.delta).lanes.get('dome-amp-5')?.size).toBe(2);
    fresh.endPreview();
    expect(fresh.explain('dome-amp-5', 1)).toBeNull();
    expect(fresh.preview([feed('nobody', 1, 'dome-amp-5', 1)])).toMatchObject({
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
  const device = (more: Partial<DeviceFieldView> = {}): DeviceFieldView => ({
    nodeId: 'n',
    nodeLabel: 'Amp',
    boundBy: 'address',
    addresses: [],
    interfaces: [],
    clock: null,
    receiveMap: null,
    failure: null,
    lanes: {},
    fieldOnly: {},
    ...more,
  });
  const message = (more: Partial<FieldMessage>): FieldMessage => ({
    isFull: false,
    registry: null,
    devices: {},
    absent: {},
    unknown: null,
    links: null,
    switches: null,
    clockEvents: null,
    announced: null,
    ...more,
  });

  test('news changes what it names and nothing else; a device that is told as gone is gone', () => {
    const first = mergedField(
      NO_FIELD,
      message({ isFull: true, devices: { a: device(), b: device({ nodeLabel: 'B' }) } }),
    );
    const second = mergedField(first, message({ devices: { b: null } }));
    expect([...second.devices.keys()]).toEqual(['a']);
    expect(second.devices.get('a')).toBe(first.devices.get('a'));
    expect(second.names).toEqual(new Map([['a', 'Amp']]));
  });

  test('facts keep their map while none of them changes, so that nothing is found anew', () => {
    const first = mergedField(NO_FIELD, message({ devices: { a: device() } }));
    const second = mergedField(first, message({ devices: { a: device({ nodeId: 'other' }) } }));
    expect(second.names).toBe(first.names);
    expect(mergedField(second, message({ devices: { a: device({ nodeLabel: 'New' }) } })).names).not.toBe(first.names);
  });

  test('a full message replaces all that was known', () => {
    const first = mergedField(NO_FIELD, message({ devices: { a: device() }, absent: { c: {} } }));
    const second = mergedField(first, message({ isFull: true, devices: { b: device() } }));
    expect([[...second.devices.keys()], second.absent.size]).toEqual([['b'], 0]);
  });

  test('a refusal of the plan counts before what a device says; without evidence a lane is planned', () => {
    const lane = { verdict: 'fits' } as Parameters<typeof stateOf>[0];
    const evidence = { state: 'carrying' } as NonNullable<Parameters<typeof stateOf>[1]>;
    expect(stateOf(lane, null)).toBe('planned');
    expect(stateOf(lane, evidence)).toBe('carrying');
    expect(stateOf({ ...lane, verdict: 'refused' }, evidence)).toBe('refused');
    const field = mergedField(NO_FIELD, message({ devices: { a: device({ lanes: { 3: evidence } }) } }));
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
