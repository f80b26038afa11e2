import { skerryPoint } from '../../demo/skerry-point';
import type { Finding } from '../findings/finding';
import { planOfFile } from '../formats/plan-file';
import { applyCommands } from '../plan/apply-commands';
import type { Plan } from '../plan/plan';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { provenFixes } from './proven-fixes';
import { reckon } from './reckon';
import { budgetOfFinding, spendersOf } from './spenders';

const console72 = modelNamed('console-72');

/** Three receivers that receive pieces of one console, and a receiver that can hear few streams. */
const start = (streamsReceive: number, streamsSend = 32, pool: number | null = null) =>
  planOf({
    desk: { ...console72, id: 'desk', streamsSend },
    box: modelNamed('stage-box-24'),
    amp: modelNamed('amp-8', { id: 'few', streamsReceive, channelPool: pool }),
    amp1: modelNamed('amp-8'),
    amp2: modelNamed('amp-8'),
  });
const budgetFindings = (plan: Plan): Finding[] => reckon(plan).findings.filter((f) => budgetOfFinding(f) !== null);

describe('a budget that is used up', () => {
  const crowded = () =>
    apply(
      start(2),
      // Channels 1 to 4 are heard together with others by different receivers: four kinds, so four streams.
      feed('desk', 1, 'amp', 1, 3),
      feed('box', 1, 'amp', 4),
      feed('desk', 1, 'amp1', 1),
      feed('desk', 2, 'amp2', 1),
    );

  test('says the count, the limit and what it is spent on', () => {
    const plan = crowded();
    const [finding] = budgetFindings(plan);
    const budget = budgetOfFinding(finding as Finding);
    expect(budget).toMatchObject({ deviceId: 'amp', reason: { code: 'stream-budget', wanted: 4, limit: 2 } });
    const spenders = spendersOf(reckon(plan), 'amp', (budget as NonNullable<typeof budget>).reason);
    expect(spenders.map((s) => [s.deviceId, s.channels])).toEqual([
      ['box', 1],
      ['desk', 1],
      ['desk', 1],
      ['desk', 1],
    ]);
  });

  test('has at least two ways out, and each takes it away', () => {
    const plan = crowded();
    for (const finding of budgetFindings(plan)) {
      const fixes = provenFixes(reckon(plan), finding);
      expect(fixes.length).toBeGreaterThanOrEqual(2);
      for (const { commands } of fixes) {
        const after = applyCommands(plan, commands);
        expect(after.ok && reckon(after.plan).findings.some((f) => f.id === finding.id)).toBe(false);
      }
    }
    const repack = provenFixes(reckon(plan), budgetFindings(plan)[0] as Finding).find((f) => f.does === 'repack');
    const after = apply(plan, ...(repack?.commands ?? []));
    expect(budgetFindings(after)).toEqual([]);
    expect(after.subscriptions).toBe(plan.subscriptions);
  });

  test('of a sender is told by its streams, and of a pool by whom it hears and who hears it', () => {
    const few = apply(start(4, 1), feed('desk', 1, 'amp', 1, 8), feed('desk', 9, 'amp1', 1, 8));
    const [sender] = budgetFindings(few);
    expect(budgetOfFinding(sender as Finding)).toMatchObject({ deviceId: 'desk', reason: { end: 'sender', limit: 1 } });
    expect(provenFixes(reckon(few), sender as Finding).map((f) => f.does)).toEqual(
      expect.arrayContaining(['give-up', 'clear-lanes']),
    );

    const pooled = apply(start(4, 32, 6), feed('desk', 1, 'amp', 1, 5), feed('box', 1, 'amp', 6, 3));
    const [pool] = budgetFindings(pooled);
    const budget = budgetOfFinding(pool as Finding);
    const spenders = spendersOf(reckon(pooled), 'amp', (budget as NonNullable<typeof budget>).reason);
    expect(spenders.map((s) => [s.deviceId, s.cost])).toEqual([
      ['desk', 5],
      ['box', 3],
    ]);
    expect(provenFixes(reckon(pooled), pool as Finding).length).toBeGreaterThanOrEqual(2);
  });
});

test('a rate that refuses more lanes than it mends is not the way out to offer first', () => {
  const r = reckon(planOfFile(skerryPoint()));
  const finding = r.findings.find((f) => f.about === 'lanes-refused' && f.reason.code === 'rate-differs')!;
  const fixes = provenFixes(r, finding);
  expect(fixes.map((f) => [f.does, f.refuses ?? 0])).toEqual([
    ['clear-lanes', 0],
    ['set-rate', 10],
    ['set-rate', 140],
  ]);
});
