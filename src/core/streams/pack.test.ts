import fc from 'fast-check';
import { ethernetGroupBits, isReservedGroup, parseCidr, isInBlock } from '../network/address';
import { DEFAULT_SETTINGS } from '../plan/settings-table';
import { expectSame } from '../plan/test-same';
import type { SentStream } from './sent-streams-table';
import { formatKey, type StreamFormat } from './format';
import { groupSeedOf } from './group-seed';
import { allocateGroups } from './groups';
import { keptStreams } from './kept-streams';
import { packSender } from './pack';
import { placementFor, type Demand } from './packing';
import type { Stream } from './stream';

const format: StreamFormat = { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 };
const demand = (receiverDeviceId: string, senderChannels: number[], channelsMax = 8): Demand => ({
  receiverDeviceId,
  format,
  formatKey: formatKey(format),
  channelsMax,
  legs: ['A'],
  senderChannels,
});
const kept = (...sent: SentStream[]) => keptStreams(new Map(), new Map(sent.map((s) => [s.streamNumber, s])));
const run = (first: number, count: number) => Array.from({ length: count }, (_, n) => first + n);
const shape = (streams: readonly Stream[]) => streams.map((s) => [s.channels.join(','), s.receiverDeviceIds.join(',')]);

const demands = fc
  .uniqueArray(
    fc.record({
      id: fc.integer({ min: 1, max: 9 }),
      channels: fc.array(fc.integer({ min: 1, max: 24 }), { minLength: 1, maxLength: 12 }),
      max: fc.integer({ min: 2, max: 8 }),
    }),
    { selector: (w) => w.id, minLength: 1, maxLength: 9 },
  )
  .map((list) => list.map((w) => demand(`r${w.id}`, w.channels, w.max)));

describe('packing of one sender', () => {
  test('channels that the same receivers want travel together; a shared channel is sent once', () => {
    const { streams } = packSender('s', [demand('r1', [1, 2]), demand('r2', [1, 3]), demand('r3', [1])], [], 16);
    expect(shape(streams)).toEqual([
      ['1', 'r1,r2,r3'],
      ['2', 'r1'],
      ['3', 'r2'],
    ]);
  });

  test('a run that is longer than a stream is cut at the limit', () => {
    const { streams } = packSender('s', [demand('r1', run(1, 20))], [], 16);
    expect(streams.map((s) => s.channels.length)).toEqual([8, 8, 4]);
  });

  test('unlike streams are joined only where the sender has too few', () => {
    const private4 = [1, 2, 3, 4].map((n) => demand(`r${n}`, [n]));
    expect(packSender('s', private4, [], 4).streams).toHaveLength(4);
    expect(packSender('s', private4, [], 2).streams).toHaveLength(2);
    expect(shape(packSender('s', private4, [], 1).streams)).toEqual([['1,2,3,4', 'r1,r2,r3,r4']]);
  });

  test('a stream that was sent keeps its number, channels and order, whatever else is wanted', () => {
    const sent: SentStream = {
      senderDeviceId: 's',
      streamNumber: 3,
      channels: [4, 2, 9],
      format,
      groupA: '239.71.9.9',
      groupB: null,
      receivers: [{ deviceId: 'r1', streamNumber: 2 }],
    };
    const { streams } = packSender('s', [demand('r1', [2, 4]), demand('r2', [2, 5])], kept(sent), 16);
    expect(streams[0]).toMatchObject({ streamNumber: 3, channels: [4, 2, 9], receiverDeviceIds: ['r1', 'r2'], sent });
    expect(shape(streams.slice(1))).toEqual([['5', 'r2']]);
    expect(packSender('s', [demand('r1', [7])], kept(sent), 16).streams.map((s) => s.streamNumber)).toEqual([1]);
  });

  test('a layout counts before what was sent under its number, and carries on where the two are the same', () => {
    const sent = (streamNumber: number, channels: number[]): SentStream => ({
      ...{ senderDeviceId: 's', streamNumber, channels, format, groupA: null, groupB: null },
      receivers: [{ deviceId: 'r1', streamNumber }],
    });
    const layout = (streamNumber: number, channels: number[], isHeld = false) => ({
      ...{ senderDeviceId: 's', streamNumber, channels, format, isHeld },
    });
    const sentOnes = new Map([1, 2, 3].map((n) => [n, sent(n, [n])]));
    const stay = keptStreams(
      new Map([layout(2, [2], true), layout(5, [1, 3])].map((l) => [l.streamNumber, l])),
      sentOnes,
    );
    const { streams } = packSender('s', [demand('r1', [1, 2, 3])], stay, 16);
    expect(streams.map((s) => [s.streamNumber, s.channels, s.sent === null, s.isHeld])).toEqual([
      [2, [2], false, true],
      [5, [1, 3], true, false],
    ]);
  });

  test('every wanted channel reaches every receiver that demands it, within all limits, in any order of demands', () => {
    fc.assert(
      fc.property(demands, fc.integer({ min: 1, max: 12 }), fc.infiniteStream(fc.nat()), (list, streamsMax, random) => {
        const packing = packSender('s', list, [], streamsMax);
        for (const w of list) {
          for (const channel of w.senderChannels) {
            const place = placementFor(packing, w.formatKey, channel, w.receiverDeviceId);
            expectSame(place?.stream.channels[place.position - 1], channel);
            expectSame(place?.stream.receiverDeviceIds.includes(w.receiverDeviceId), true);
          }
        }
        for (const s of packing.streams) {
          const limits = list.filter((w) => s.receiverDeviceIds.includes(w.receiverDeviceId)).map((w) => w.channelsMax);
          expect(s.channels.length).toBeLessThanOrEqual(Math.min(...limits));
        }
        expect(new Set(packing.streams.map((s) => s.streamNumber)).size).toBe(packing.streams.length);
        const shuffled = [...list].sort(() => ((random.next().value as number) % 2 === 0 ? 1 : -1));
        expect(packSender('s', shuffled, [], streamsMax).streams).toEqual(packing.streams);
      }),
    );
  });
});

describe('multicast groups', () => {
  const streams = (ids: readonly string[]): Stream[] =>
    ids.map((id) => ({
      id,
      senderDeviceId: id,
      streamNumber: 1,
      channels: [1],
      width: 1,
      format,
      formatKey: '',
      legs: ['A', 'B'],
      receiverDeviceIds: [],
      unicastTo: null,
      sent: null,
      isHeld: false,
      isInOrder: false,
      essence: 'audio',
      groupSeed: groupSeedOf(id),
    }));
  const readsOf = (ids: readonly string[], settings = DEFAULT_SETTINGS, more: Partial<Stream> = {}) => ({
    settings,
    groupChoices: new Map(),
    deviceIds: [...ids].sort(),
    streamsBySender: new Map(streams(ids).map((s) => [s.id, [{ ...s, ...more }]])),
  });

  test('are unique as Ethernet addresses over both legs, from their pools, and never reserved', () => {
    fc.assert(
      fc.property(fc.uniqueArray(fc.string({ minLength: 1, maxLength: 8 }), { maxLength: 200 }), (ids) => {
        const groups = allocateGroups(readsOf(ids)).byStream;
        const all = [...groups.values()].flatMap((g) => [g.A as number, g.B as number]);
        expect(new Set(all.map(ethernetGroupBits)).size).toBe(ids.length * 2);
        expect(all.some(isReservedGroup)).toBe(false);
        for (const g of groups.values()) {
          expect(isInBlock(g.A as number, parseCidr(DEFAULT_SETTINGS.poolA)!)).toBe(true);
          expect(isInBlock(g.B as number, parseCidr(DEFAULT_SETTINGS.poolB)!)).toBe(true);
        }
      }),
    );
  });

  test('law: streams that come and go leave the others their groups, as if all had been given out at once', () => {
    const names = fc.uniqueArray(fc.string({ minLength: 1, maxLength: 2 }), { maxLength: 14 });
    const prefix = fc.integer({ min: 24, max: 28 });
    fc.assert(
      fc.property(fc.array(names, { minLength: 2, maxLength: 6 }), prefix, (steps, bits) => {
        const settings = { ...DEFAULT_SETTINGS, poolA: `239.71.0.0/${bits}`, poolB: `239.72.0.0/${bits}` };
        const all = streams([...new Set(steps.flat())]);
        let before: Parameters<typeof allocateGroups>[1];
        for (const ids of steps) {
          const kept = all.filter((s) => ids.includes(s.id)).map((s): [string, Stream[]] => [s.id, [s]]);
          const now = { ...readsOf(ids, settings), streamsBySender: new Map(kept) };
          const made = allocateGroups(now, before);
          expect([...made.byStream].sort()).toEqual([...allocateGroups(now).byStream].sort());
          before = { now, made };
        }
      }),
    );
  });

  test('a full pool gives no group rather than one twice', () => {
    const small = { ...DEFAULT_SETTINGS, poolA: '239.71.1.0/30' };
    const { byStream, without } = allocateGroups(readsOf(['a', 'b', 'c', 'd', 'e'], small));
    const given = [...byStream.values()].map((g) => g.A);
    expect(without).toHaveLength(1);
    expect(given.filter((g) => g !== null)).toHaveLength(4);
    expect(given.filter((g) => g === null)).toHaveLength(1);
  });
});
