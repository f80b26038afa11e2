import fc from 'fast-check';
import { planOfFile } from '../formats/plan-file';
import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import type { SentStream } from '../streams/sent-streams-table';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { generatePlan } from '../../demo/generate';
import { skerryPoint } from '../../demo/skerry-point';
import { reckon } from './reckon';
import { loadAtTheEnds, planRepack, type RepackOptions } from './repack-plan';

const KEEP: RepackOptions = { mayInterrupt: false, goal: 'streams' };
const FREE: RepackOptions = { mayInterrupt: true, goal: 'streams' };
const amp = modelNamed('amp-8', { streamsReceive: 3 });
const start = () =>
  planOf({
    desk: modelNamed('console-72'),
    desk2: modelNamed('console-72'),
    amp1: amp,
    amp2: amp,
    amp3: amp,
    end: modelNamed('endpoint-2'),
  });

/** The plan as after everything in it was sent. */
function sentAll(plan: Plan): Plan {
  const put = [...reckon(plan).streamsBySender.values()].flat().map((s): SentStream => ({
    senderDeviceId: s.senderDeviceId,
    streamNumber: s.streamNumber,
    channels: s.channels,
    format: s.format,
    groupA: null,
    groupB: null,
    receivers: s.receiverDeviceIds.map((deviceId) => ({ deviceId, streamNumber: 1 })),
  }));
  return apply(plan, { kind: 'keep-sent-streams', put, drop: [] });
}
function repacked(plan: Plan, options: RepackOptions, looks = 400) {
  const search = planRepack(reckon(plan), options);
  let n = 0;
  search.work(() => (n += 1) > looks);
  const commands = search.commands();
  return { commands, plan: apply(plan, ...commands), state: search.state() };
}
const refusedOf = (plan: Plan) =>
  [...reckon(plan).lanesByReceiver.values()].reduce(
    (sum, lanes) => sum + [...lanes.values()].filter((l) => l.verdict === 'refused').length,
    0,
  );
const shapes = (plan: Plan) => [...reckon(plan).streamsBySender.values()].flat().map((s) => s.channels.join());

const lanes = fc.array(
  fc.record({
    from: fc.constantFrom('desk', 'desk2'),
    first: fc.integer({ min: 1, max: 24 }),
    to: fc.constantFrom('amp1', 'amp2', 'amp3'),
    at: fc.integer({ min: 1, max: 8 }),
    count: fc.integer({ min: 1, max: 4 }),
  }),
  { minLength: 1, maxLength: 14 },
);
const fedBy = (plan: Plan, list: { from: string; first: number; to: string; at: number; count: number }[]) =>
  list.reduce((p, l) => apply(p, feed(l.from, l.first, l.to, l.at, Math.min(l.count, 9 - l.at))), plan);

describe('repacking a plan', () => {
  test('is never worse, keeps every lane, and says what then comes true', () => {
    fc.assert(
      fc.property(
        lanes,
        lanes,
        fc.boolean(),
        fc.constantFrom('streams' as const, 'load' as const),
        (a, b, mayInterrupt, goal) => {
          const plan = fedBy(sentAll(fedBy(start(), a)), b);
          const after = repacked(plan, { mayInterrupt, goal });
          expect(after.plan.subscriptions).toBe(plan.subscriptions);
          expect(refusedOf(after.plan)).toBeLessThanOrEqual(refusedOf(plan));
          const [was, is] = [reckon(plan), reckon(after.plan)];
          if (after.commands.length === 0) return;
          expect(is.totals.streams).toBe(after.state.streams);
          expect(loadAtTheEnds(is)).toBeCloseTo(after.state.load, 0);
          expect(is.totals.streams).toBeGreaterThanOrEqual(after.state.fewestStreams);
          if (refusedOf(after.plan) === refusedOf(plan)) {
            if (goal === 'streams') expect(is.totals.streams).toBeLessThanOrEqual(was.totals.streams);
            else expect(loadAtTheEnds(is)).toBeLessThanOrEqual(loadAtTheEnds(was) + 1);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  test('leaves every stream that carries as it is, unless it may be interrupted', () => {
    fc.assert(
      fc.property(lanes, lanes, (a, b) => {
        const plan = fedBy(sentAll(fedBy(start(), a)), b);
        const carrying = [...reckon(plan).streamsBySender.values()].flat().filter((s) => s.sent !== null);
        const after = reckon(repacked(plan, KEEP).plan);
        for (const was of carrying) {
          const is = after.streamsBySender.get(was.senderDeviceId)?.find((s) => s.streamNumber === was.streamNumber);
          expect(is?.channels).toEqual(was.channels);
          expect(is?.sent).toBe(was.sent);
          expect(is?.receiverDeviceIds).toEqual(expect.arrayContaining([...was.receiverDeviceIds]));
        }
      }),
      { numRuns: 40 },
    );
  });

  test('joins what was sent in pieces only where it may interrupt', () => {
    let plan = start();
    for (const n of [1, 2, 3, 4]) plan = sentAll(apply(plan, feed('desk', n, n < 3 ? 'amp1' : 'amp2', n)));
    expect(shapes(plan)).toEqual(['1', '2', '3', '4']);
    expect(repacked(plan, KEEP).commands).toEqual([]);
    expect(shapes(repacked(plan, FREE).plan)).toEqual(['1,2,3,4']);
  });

  test('a new stream takes a number in which nothing was sent, so that the old one can go on until it is heard', () => {
    let plan = start();
    for (const n of [1, 2]) plan = sentAll(apply(plan, feed('desk', n, 'amp1', n)));
    const [layouts] = repacked(plan, FREE).commands as [Extract<Command, { kind: 'lay-out-streams' }>];
    expect(layouts.put.map((l) => [l.streamNumber, l.channels])).toEqual([[3, [1, 2]]]);
  });

  test('never touches a stream that is held', () => {
    let plan = start();
    for (const n of [1, 2, 3]) plan = sentAll(apply(plan, feed('desk', n, 'amp1', n)));
    const { format } = [...(plan.sentStreams.get('desk')?.values() ?? [])][0] as SentStream;
    const layout = { senderDeviceId: 'desk', streamNumber: 2, channels: [2], format, isHeld: true };
    plan = apply(plan, { kind: 'lay-out-streams', put: [layout], drop: [] });
    expect(shapes(repacked(plan, FREE).plan).sort()).toEqual(['1,3', '2']);
  });

  test('for the least load those who hear unlike things are kept apart', () => {
    const plan = [1, 2, 3].reduce((p, n) => apply(p, feed('desk', n * 2 - 1, `amp${n}`, 1, 2)), start());
    expect(repacked(plan, { ...FREE, goal: 'load' }).commands).toEqual([]);
    expect(shapes(repacked(plan, FREE).plan)).toEqual(['1,2,3,4,5,6']);
  });

  test('what is laid out is checked: channels that are there, each once', () => {
    const plan = start();
    const format = { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 } as const;
    const lay = (channels: number[]) =>
      applyCommands(plan, [
        {
          kind: 'lay-out-streams',
          put: [{ senderDeviceId: 'desk', streamNumber: 1, channels, format, isHeld: false }],
          drop: [],
        },
      ]);
    expect(lay([1, 73])).toMatchObject({
      ok: false,
      problem: { field: 'commands[0].put[0].channels[1]', limit: '1 to 72' },
    });
    expect(lay([4, 4])).toMatchObject({ ok: false, problem: { limit: 'each channel once' } });
    expect(lay([4, 5]).ok).toBe(true);
  });

  test('on 500 devices the gap to the bound is under 5 %', () => {
    const plan = planOfFile(generatePlan({ devices: 500, seed: 7 }));
    const { state } = repacked(plan, KEEP, 20_000);
    expect(state.casesDone).toBe(state.cases);
    expect(state.streams / state.fewestStreams).toBeLessThan(1.05);
    expect(state.streams).toBeLessThan(state.streamsBefore);
  });

  test('the demo plan needs 38 streams where it has 56, and no lane is lost by it', () => {
    const plan = planOfFile(skerryPoint());
    const after = repacked(plan, KEEP);
    expect([after.state.streamsBefore, after.state.streams, after.state.fewestStreams]).toEqual([56, 38, 38]);
    expect(refusedOf(after.plan)).toBe(refusedOf(plan));
  });
});
