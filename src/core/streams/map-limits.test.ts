import fc from 'fast-check';
import { fieldMapFindings } from '../findings/field-maps';
import type { FoundMapping } from '../findings/field-facts';
import { fixesFor } from '../findings/rules';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import { expectSame } from '../plan/test-same';
import type { MapLimits } from '../models/models-table';
import { planRepack } from '../reckon/repack-plan';
import { reckon } from '../reckon/reckon';
import type { LaneCarried } from '../reckon/lane';
import type { Reckoning } from '../reckon/reckoning';
import { bringsRun, canBeSent, mapProblem, runsOf, type MapEntry } from './map-limits';

const BLOCKS: MapLimits = { blockSize: 8, reordering: true };
const entry = (input: string, index: number): MapEntry => ({ input, index });
const map = (...entries: [number, string, number][]) =>
  new Map(entries.map(([output, input, index]) => [output, entry(input, index)]));

describe('limits of an IS-08 input', () => {
  test('a block is routed whole and in order, to wherever it fits', () => {
    const pairs = () => ({ blockSize: 2, reordering: true });
    expect(mapProblem(map([0, 'a', 2], [1, 'a', 3]), pairs)).toBeNull();
    expect(mapProblem(map([5, 'a', 0], [6, 'a', 1]), pairs)).toBeNull();
    expect(mapProblem(map([0, 'a', 2]), pairs)).toEqual({ output: 0, input: 'a', broken: 'block' });
    expect(mapProblem(map([0, 'a', 3], [1, 'a', 2]), pairs)?.broken).toBe('block');
    expect(mapProblem(map([0, 'a', 0], [1, 'b', 1]), pairs)?.broken).toBe('block');
  });

  test('without reordering an output keeps the order of the input; inputs do not mind one another', () => {
    const ordered = () => ({ blockSize: 1, reordering: false });
    expect(mapProblem(map([0, 'a', 1], [1, 'a', 5], [2, 'b', 0]), ordered)).toBeNull();
    expect(mapProblem(map([0, 'a', 5], [1, 'a', 1]), ordered)).toEqual({ output: 1, input: 'a', broken: 'order' });
    expect(mapProblem(map([0, 'a', 5], [1, 'a', 1]), () => null)).toBeNull();
  });

  test('what a receiver wants in blocks: a block without gaps is one run; the rest comes as it comes', () => {
    const wanted = [1, 2, 3, 9, 11].map((receiverChannel) => ({
      receiverChannel,
      senderChannel: receiverChannel + 20,
    }));
    expect(runsOf(BLOCKS, wanted, 8)).toEqual({ runs: [{ channels: [21, 22, 23], blockSize: 8 }], loose: [29, 31] });
    expect(bringsRun([21, 22, 23], { channels: [21, 22, 23], blockSize: 8 })).toBe(true);
    // The fourth channel of the block would sound where nothing is wanted.
    expect(bringsRun([21, 22, 23, 24], { channels: [21, 22, 23], blockSize: 8 })).toBe(false);
    expect(bringsRun([1, 21, 22, 23], { channels: [21, 22, 23], blockSize: 8 })).toBe(false);
    expect(bringsRun([9, 5, 7, 2], { channels: [9, 7, 2], blockSize: 1 })).toBe(true);
    expect(bringsRun([9, 5, 7, 2], { channels: [7, 9], blockSize: 1 })).toBe(false);
  });
});

const desk = modelNamed('console-72');
const blocks = modelNamed('recorder-96-blocks');
const ordered = modelNamed('recorder-96', { id: 'ordered', receiveMap: { blockSize: 1, reordering: false } });
const plain = modelNamed('recorder-96');
const start = planOf({ desk, blocks, ordered, plain });

/** The map of a receiver as a device would be told it, from the lanes that are carried. */
function toldTo(reckoning: Reckoning, id: string): Map<number, MapEntry> {
  const told = new Map<number, MapEntry>();
  for (const [channel, lane] of reckoning.lanesByReceiver.get(id) ?? []) {
    if (lane.verdict === 'refused') continue;
    const { receiverStreamNumber, stream } = lane.reception;
    told.set(channel - 1, entry(String(receiverStreamNumber), lane.position - 1));
    // A block goes whole: what lies beyond the stream is empty.
    if (id !== 'blocks') continue;
    const first = channel - 1 - ((lane.position - 1) % 8);
    for (let n = stream.channels.length % 8; n > 0 && n < 8; n += 1) {
      const position = lane.position - 1 - ((lane.position - 1) % 8) + n;
      if (position >= stream.channels.length) told.set(first + n, entry(String(receiverStreamNumber), position));
    }
  }
  return told;
}
const refused = (reckoning: Reckoning, id: string) =>
  [...(reckoning.lanesByReceiver.get(id) ?? [])].flatMap(([channel, l]) =>
    l.verdict === 'refused' ? [[channel, l.reason.code] as const] : [],
  );

describe('receivers that take channels in blocks, or only in order', () => {
  test('a block gets a stream that brings it so, and others share it who want all of it', () => {
    const plan = apply(
      start,
      feed('desk', 5, 'blocks', 1, 8),
      feed('desk', 1, 'plain', 1, 16),
      feed('desk', 30, 'blocks', 9, 3),
    );
    const result = reckon(plan);
    expect(refused(result, 'blocks')).toEqual([]);
    const streams = result.streamsBySender.get('desk') ?? [];
    expect(streams.map((s) => [s.channels.join(), s.receiverDeviceIds.join(), s.isInOrder])).toEqual([
      ['5,6,7,8,9,10,11,12', 'blocks,plain', true],
      ['30,31,32', 'blocks', true],
      ['1,2,3,4,13,14,15,16', 'plain', false],
    ]);
  });

  test('blocks stay whole in kept streams: one that brings the block is used as it is, another is not', () => {
    const layout = (streamNumber: number, channels: number[]) =>
      ({
        senderDeviceId: 'desk',
        streamNumber,
        channels,
        format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
        isHeld: true,
      }) as const;
    const eight = [1, 2, 3, 4, 5, 6, 7, 8];
    const wish = apply(start, feed('desk', 1, 'blocks', 1, 8), feed('desk', 1, 'plain', 1, 8));
    const held = (channels: number[]) => {
      const plan = apply(wish, { kind: 'lay-out-streams', put: [layout(4, channels)], drop: [] });
      const result = reckon(plan);
      expect(refused(result, 'blocks')).toEqual([]);
      return (result.streamsBySender.get('desk') ?? []).map((s) => [s.streamNumber, s.receiverDeviceIds.join()]);
    };
    expect(held(eight)).toEqual([[4, 'blocks,plain']]);
    expect(held([...eight].reverse())).toEqual([
      [4, 'plain'],
      [1, 'blocks'],
    ]);
  });

  test('gaps, two senders in a block and a repeated channel are refused with the size of the block, and can be fed whole', () => {
    const two = planOf({ desk, other: desk, blocks });
    for (const change of [
      [feed('desk', 1, 'blocks', 1, 3), feed('desk', 5, 'blocks', 5, 4)],
      [feed('desk', 1, 'blocks', 1, 4), feed('other', 5, 'blocks', 5, 4)],
      [feed('desk', 1, 'blocks', 1, 2), feed('desk', 1, 'blocks', 3, 2)],
    ]) {
      const plan = apply(two, ...change);
      const result = reckon(plan);
      expect(new Set(refused(result, 'blocks').map(([, code]) => code))).toEqual(new Set(['map-block']));
      const finding = result.findings.find((f) => f.about === 'lanes-refused' && f.senderDeviceId === 'desk');
      expect(finding).toMatchObject({ reason: { code: 'map-block', blockSize: 8 } });
      const fix = fixesFor(plan, finding!).find((f) => f.does === 'feed-blocks');
      expect(refused(reckon(apply(plan, ...fix!.commands)), 'blocks')).toEqual([]);
    }
  });

  test('order is kept by a stream of its own where the sender’s order does not do', () => {
    const reversed = Array.from({ length: 6 }, (_, n) => feed('desk', 6 - n, 'ordered', n + 1));
    const result = reckon(apply(start, ...reversed, feed('desk', 1, 'plain', 1, 6)));
    expect(refused(result, 'ordered')).toEqual([]);
    expect(result.streamsBySender.get('desk')?.[0]?.channels).toEqual([6, 5, 4, 3, 2, 1]);
  });

  test('a device that says otherwise than its model is found, and the model can be set as found', () => {
    const told = (id: string, limits: MapLimits | null) =>
      fieldMapFindings(start, new Map([[id, { has: 'map', receive: limits }]]));
    expect(told('blocks', { reordering: true, blockSize: 8 })).toEqual([]);
    expect(told('plain', null)).toEqual([]);
    for (const [id, limits] of [
      ['blocks', null],
      ['plain', { blockSize: 4, reordering: true }],
    ] as const) {
      const [finding] = told(id, limits);
      expect(finding).toMatchObject({
        about: 'map-limits-differ',
        deviceIds: [id],
        found: limits,
        severity: 'caution',
      });
      const [fix] = fixesFor(start, finding!);
      expect(
        fieldMapFindings(apply(start, ...fix!.commands), new Map([[id, { has: 'map', receive: limits }]])),
      ).toEqual([]);
    }
  });

  test('a sender that puts its channels into streams in blocks sends whole blocks, whoever wants what of them', () => {
    const fours = modelNamed('console-72', { id: 'fours', sendMap: { blockSize: 4, reordering: true } });
    const narrow = modelNamed('recorder-96', { id: 'narrow', channelsPerStreamMax: 2 });
    const plan = apply(
      planOf({ fours, plain, ordered, blocks, narrow }),
      feed('fours', 3, 'plain', 1, 4),
      feed('fours', 30, 'ordered', 1),
      feed('fours', 41, 'blocks', 1, 8),
      feed('fours', 1, 'narrow', 1),
      feed('fours', 50, 'blocks', 9, 8),
    );
    const result = reckon(plan);
    expect(result.streamsBySender.get('fours')?.map((s) => s.channels.join())).toEqual([
      '41,42,43,44,45,46,47,48',
      '1,2,3,4,5,6,7,8',
      '29,30,31,32',
      '49,50,51,52,53,54,55,56',
      '57,58,59,60',
    ]);
    expect(refused(result, 'narrow')).toEqual([[1, 'send-block']]);
    // Channel 50 on would have to begin a block of the sender.
    expect(new Set(refused(result, 'blocks').map(([channel, code]) => `${code} ${channel > 8}`))).toEqual(
      new Set(['map-block true']),
    );
    expect(canBeSent({ blockSize: 1, reordering: false }, [3, 0, 5], 8)).toBe(true);
    expect(canBeSent({ blockSize: 1, reordering: false }, [5, 3], 8)).toBe(false);
    expect(canBeSent({ blockSize: 2, reordering: true }, [3, 4, 0, 1, 2], 8)).toBe(true);
    expect(canBeSent({ blockSize: 2, reordering: true }, [4, 3], 8)).toBe(false);
  });

  test('law: whatever is wanted of a sender with limits, its streams keep them', () => {
    const limits = fc.record({ blockSize: fc.constantFrom(1, 2, 3, 4, 6, 8), reordering: fc.boolean() });
    const wish = fc.array(fc.tuple(run, fc.constantFrom(0, 1)), { minLength: 1, maxLength: 8 });
    fc.assert(
      fc.property(limits, wish, (sendMap, runs) => {
        const limited = modelNamed('console-72', { id: 'limited', sendMap });
        const order = Array.from({ length: 12 }, (_, n) => ({ first: 1 + 8 * n, channels: 8 }));
        const inOrder = modelNamed('recorder-96', { id: 'in-order', receiveOrder: order });
        const commands = runs
          .filter(([r]) => r.sent < 72)
          .map(([r, other]) =>
            feed(
              'desk',
              r.sent,
              other === 1 ? 'in-order' : r.receiver,
              r.received,
              Math.min(r.count, 72 - r.sent, 96 - r.received),
            ),
          );
        const result = reckon(
          apply(planOf({ desk: limited, blocks, ordered, plain, 'in-order': inOrder }), ...commands),
        );
        for (const s of result.streamsBySender.get('desk') ?? []) {
          expectSame(canBeSent(sendMap, s.channels, 72), true);
          // As a device holds it against IS-08.
          const entries = s.channels
            .map((c, n) => [n, entry('own', c - 1)] as const)
            .filter(([n]) => s.channels[n] !== 0);
          expect(mapProblem(new Map(entries), () => sendMap)).toBeNull();
        }
      }),
      { numRuns: 120 },
    );
  });

  test('a device without a channel map is found where its model maps freely, and the other way round', () => {
    const order = [
      { first: 1, channels: 8 },
      { first: 9, channels: 8 },
    ];
    const told: FoundMapping = { has: 'no-map', sendOrder: order, receiveOrder: null };
    const [finding] = fieldMapFindings(start, new Map([['plain', told]]));
    expect(finding).toMatchObject({
      about: 'no-channel-map',
      severity: 'caution',
      sendOrder: order,
      receiveOrder: null,
    });
    const [fix] = fixesFor(start, finding!);
    const fixed = apply(start, ...fix!.commands);
    expect(fieldMapFindings(fixed, new Map([['plain', told]]))).toEqual([]);
    // What the model says of the order counts.
    const other = { ...told, sendOrder: [{ first: 1, channels: 2 }] };
    expect(fieldMapFindings(fixed, new Map([['plain', other]]))).toEqual([]);
    const [back] = fieldMapFindings(fixed, new Map([['plain', { has: 'map', receive: null }]]));
    expect(back).toMatchObject({ about: 'map-limits-differ', planned: 'no-map', found: null });
    const [free] = fixesFor(fixed, back!);
    expect(apply(fixed, ...free!.commands).models.get('recorder-96')).toEqual(plain);
  });

  test('a node of several devices with maps of their own, planned as one, is found; it can be any of them', () => {
    const parts = [
      { nodeDeviceId: 'd1', label: 'Frame, card 1' },
      { nodeDeviceId: 'd2', label: 'Frame, card 2' },
    ];
    const told: FoundMapping = { has: 'map', receive: null, apart: { nodeId: 'n', parts } };
    const [finding, ...more] = fieldMapFindings(start, new Map([['plain', told]]));
    expect(more).toEqual([]);
    expect(finding).toMatchObject({ about: 'maps-apart', severity: 'caution', deviceIds: ['plain'], parts });
    const fixes = fixesFor(start, finding!);
    expect(fixes.map((f) => apply(start, ...f.commands).devices.get('plain'))).toMatchObject([
      { nodeId: 'n', nodeDeviceId: 'd1' },
      { nodeId: 'n', nodeDeviceId: 'd2' },
    ]);
  });

  const run = fc.record({
    receiver: fc.constantFrom('blocks', 'ordered', 'plain'),
    sent: fc.integer({ min: 1, max: 60 }),
    received: fc.integer({ min: 1, max: 80 }),
    count: fc.integer({ min: 1, max: 16 }),
  });
  const made = (runs: readonly { receiver: string; sent: number; received: number; count: number }[]): Plan =>
    apply(
      start,
      ...runs.map((r) => feed('desk', r.sent, r.receiver, r.received, Math.min(r.count, 72 - r.sent, 96 - r.received))),
    );

  test('law: what is carried a device with these limits takes; receivers without limits are never refused for them', () => {
    fc.assert(
      fc.property(fc.array(run, { minLength: 1, maxLength: 8 }), (runs) => {
        const result = reckon(made(runs.filter((r) => r.sent < 72)));
        expect(mapProblem(toldTo(result, 'blocks'), () => BLOCKS)).toBeNull();
        expect(mapProblem(toldTo(result, 'ordered'), () => ordered.receiveMap)).toBeNull();
        expect(refused(result, 'plain').filter(([, code]) => code.startsWith('map-'))).toEqual([]);
        // Every lane that is carried hears what was wished.
        for (const lanes of result.lanesByReceiver.values()) {
          for (const lane of lanes.values()) {
            if (lane.verdict === 'refused') continue;
            const { reception, position, subscription } = lane as LaneCarried;
            expectSame(reception.stream.channels[position - 1], subscription.senderChannel);
            expectSame(reception.stream.receiverDeviceIds.includes(subscription.receiverDeviceId), true);
          }
        }
      }),
      { numRuns: 200 },
    );
  });

  test('law: blocks fed in step are never refused for it, and repacking does not change that', () => {
    const block = fc.record({ block: fc.integer({ min: 0, max: 11 }), sent: fc.integer({ min: 1, max: 64 }) });
    fc.assert(
      fc.property(fc.uniqueArray(block, { selector: (b) => b.block, maxLength: 6 }), fc.array(run), (chosen, runs) => {
        const others = runs.filter((r) => r.receiver === 'plain' && r.sent < 72);
        const plan = apply(made(others), ...chosen.map((b) => feed('desk', b.sent, 'blocks', b.block * 8 + 1, 8)));
        const result = reckon(plan);
        const isBudget = (code: string) => code === 'stream-budget';
        // Two blocks that share some channels cannot both be told where to find them.
        const sent = chosen.flatMap((b) => Array.from({ length: 8 }, (_, n) => b.sent + n));
        fc.pre(new Set(sent).size === sent.length);
        expect(refused(result, 'blocks').filter(([, code]) => !isBudget(code))).toEqual([]);
        const repack = planRepack(result, { mayInterrupt: true, goal: 'streams' });
        repack.work(() => false);
        const after = reckon(apply(plan, ...repack.commands()));
        expect(refused(after, 'blocks').filter(([, code]) => !isBudget(code))).toEqual([]);
        expect(after.totals.streams).toBeLessThanOrEqual(result.totals.streams);
      }),
      { numRuns: 60 },
    );
  });
});
