import fc from 'fast-check';
import { generatePlan } from '../../demo/generate';
import { skerryPoint } from '../../demo/skerry-point';
import { fileOfPlan, planOfFile } from '../formats/plan-file';
import { applyCommands } from '../plan/apply-commands';
import { MERGED_KINDS, mergePlan, type MergedKind } from './merge-plan';
import { emptyPlan, type Plan } from '../plan/plan';
import { brokenPlan } from '../plan/test-breaks';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';

const NONE: ReadonlySet<MergedKind> = new Set();
const ALL: ReadonlySet<MergedKind> = new Set(MERGED_KINDS);
const harbour = planOfFile(skerryPoint());

function merged(plan: Plan, other: Plan, take = NONE): Plan {
  const result = applyCommands(plan, mergePlan(plan, other, take).commands);
  if (!result.ok) throw new Error(JSON.stringify(result.problem));
  return result.plan;
}
/** All that is merged: neither settings nor what was told to devices. */
const records = (plan: Plan) => ({ ...fileOfPlan(plan), settings: null, sentStreams: null });

describe('plans merged', () => {
  test('an empty plan takes all of another; a plan takes nothing of itself', () => {
    expect(records(merged(emptyPlan('Empty'), harbour))).toEqual(records(harbour));
    expect(mergePlan(harbour, harbour, ALL)).toMatchObject({ taken: 0, commands: [] });
  });

  test('law: any plan goes whole into an empty one, and whole over another when all that differs is taken', () => {
    fc.assert(
      fc.property(brokenPlan(harbour), fc.integer({ min: 1, max: 10_000 }), (broken, seed) => {
        expect(records(merged(emptyPlan('Empty'), broken))).toEqual(records(broken));
        const other = planOfFile(generatePlan({ devices: 12, seed, subscriptions: 60 }));
        const both = merged(broken, other, ALL);
        expect(mergePlan(both, other, ALL).taken).toBe(0);
      }),
      { numRuns: 25 },
    );
  });

  test('what differs is left unless its kind is asked for, and is named', () => {
    const console = modelNamed('console-72');
    const amp = modelNamed('amp-8');
    const mine = apply(planOf({ desk: console, amp }), feed('desk', 1, 'amp', 1, 8));
    const theirs = apply(mine, feed('desk', 9, 'amp', 3), {
      kind: 'change-device',
      deviceId: 'amp',
      change: { name: 'Amp of the hall' },
    });
    const none = mergePlan(mine, theirs, NONE);
    expect(none.commands).toEqual([]);
    expect(none.tallies.filter((t) => t.differs > 0)).toEqual([
      { kind: 'devices', new: 0, differs: 1, same: 1, differing: ['Amp of the hall'] },
      { kind: 'subscriptions', new: 0, differs: 1, same: 7, differing: ['amp, in 3'] },
    ]);
    const after = merged(mine, theirs, new Set(['subscriptions']));
    expect(after.devices.get('amp')?.name).toBe('amp');
    expect(after.subscriptions.get('amp')?.get(3)?.senderChannel).toBe(9);
  });

  test('what only this plan has stays', () => {
    const amp = modelNamed('amp-8');
    const mine = planOf({ first: amp });
    const theirs = planOf({ second: amp });
    expect([...merged(mine, theirs).devices.keys()]).toEqual(['first', 'second']);
  });
});
