import fc from 'fast-check';
import type { MapLimits } from '../core/models/models-table';
import { mapProblem, type MapEntry } from '../core/streams/map-limits';
import type { ChannelMap } from '../core/formats/is08';
import type { FieldNode } from './field-resources';
import { isFed, receiverAction, type WantedEntry } from './receiver-map';

const CHANNELS = 16;
const node = { receivers: [{ id: 'r1' }, { id: 'r2' }] } as unknown as FieldNode;
/** A device with two outputs of its own, eight channels each, and one that a stream takes. */
function mapWith(
  limits: MapLimits | null,
  active: Record<string, Record<number, readonly [string, number]>> = {},
): ChannelMap {
  const input = (id: string, receiverId: string | null) => ({
    id,
    name: null,
    receiverId,
    channels: 8,
    limits: receiverId ? limits : null,
  });
  return {
    inputs: [input('in-1', 'r1'), input('in-2', 'r2'), input('own', null)],
    outputs: [
      { id: 'left', name: null, sourceId: null, channels: 8, routable: null },
      { id: 'right', name: null, sourceId: null, channels: 8, routable: null },
      { id: 'stream', name: null, sourceId: 's', channels: 8, routable: null },
    ],
    active: new Map(
      Object.entries(active).map(([output, entries]) => [
        output,
        new Map(Object.entries(entries).map(([n, [from, index]]) => [Number(n), { input: from, index }])),
      ]),
    ),
    readAt: 0,
  };
}
const feed = (channel: number, streamNumber: number, position: number): WantedEntry => ({
  channel,
  feed: { channel, streamNumber, position },
});
const off = (channel: number): WantedEntry => ({ channel, feed: null });
const any = () => true;
const FOURS: MapLimits = { blockSize: 4, reordering: true };

/** The map once the action is done. */
function after(map: ChannelMap, action: ReturnType<typeof receiverAction>): Map<string, Map<number, MapEntry>> {
  const now = new Map(map.outputs.map((o) => [o.id, new Map(map.active.get(o.id) ?? [])]));
  for (const [output, entries] of Object.entries(action)) {
    for (const [n, { input, channel_index: index }] of Object.entries(entries)) {
      if (input === null || index === null) now.get(output)?.delete(Number(n));
      else now.get(output)?.set(Number(n), { input, index });
    }
  }
  return now;
}

describe('what a receiving device is sent for its channel map', () => {
  test('channels are counted through the outputs of its own', () => {
    expect(receiverAction(mapWith(null), node, [feed(9, 2, 3), off(8)], any)).toEqual({
      left: { 7: { input: null, channel_index: null } },
      right: { 0: { input: 'in-2', channel_index: 2 } },
    });
    const fed = mapWith(null, { right: { 0: ['in-2', 2] } });
    expect(isFed(fed, node, { channel: 9, streamNumber: 2, position: 3 })).toBe(true);
    expect(isFed(fed, node, { channel: 9, streamNumber: 1, position: 3 })).toBe(false);
  });

  test('a channel or a stream that it has not is said', () => {
    expect(() => receiverAction(mapWith(null), node, [feed(17, 1, 1)], any)).toThrow('no output channel 17');
    expect(() => receiverAction(mapWith(null), node, [feed(1, 3, 1)], any)).toThrow('no input for receiver 3');
  });

  test('a block goes whole, and is taken off whole', () => {
    const action = receiverAction(mapWith(FOURS), node, [feed(5, 1, 1), feed(6, 1, 2)], any);
    expect(Object.values(action['left'] ?? {}).map((e) => e.channel_index)).toEqual([0, 1, 2, 3]);
    const fed = mapWith(FOURS, { left: { 4: ['in-1', 0], 5: ['in-1', 1], 6: ['in-1', 2], 7: ['in-1', 3] } });
    expect(receiverAction(fed, node, [off(6)], any)).toEqual({
      left: Object.fromEntries([4, 5, 6, 7].map((n) => [n, { input: null, channel_index: null }])),
    });
    expect(() => receiverAction(fed, node, [off(6)], (channel) => channel !== 8)).toThrow('channel 8 would go silent');
  });

  test('what the device cannot do is found out before it is sent', () => {
    expect(() => receiverAction(mapWith(FOURS), node, [feed(5, 1, 1), feed(6, 1, 3)], any)).toThrow('blocks of 4 only');
    expect(() => receiverAction(mapWith(FOURS), node, [feed(7, 1, 1)], any)).toThrow('does not fit there');
    const ordered = mapWith({ blockSize: 1, reordering: false });
    expect(() => receiverAction(ordered, node, [feed(1, 1, 5), feed(2, 1, 2)], any)).toThrow('keeps the order');
  });

  const wanted = fc.uniqueArray(
    fc.record({
      channel: fc.integer({ min: 1, max: CHANNELS }),
      streamNumber: fc.integer({ min: 1, max: 2 }),
      position: fc.integer({ min: 1, max: 8 }),
      isOff: fc.boolean(),
    }),
    { selector: (w) => w.channel, maxLength: 10 },
  );
  const limits = fc.constantFrom<MapLimits | null>(
    null,
    FOURS,
    { blockSize: 2, reordering: true },
    { blockSize: 1, reordering: false },
  );

  test('law: whatever is sent can be done, and does what was asked, from one change to the next', () => {
    const entriesOf = (list: readonly { channel: number; streamNumber: number; position: number; isOff: boolean }[]) =>
      list.map(({ isOff, ...f }) => (isOff ? off(f.channel) : feed(f.channel, f.streamNumber, f.position)));
    const tried = (map: ChannelMap, entries: readonly WantedEntry[]) => {
      try {
        return receiverAction(map, node, entries, any);
      } catch {
        return null;
      }
    };
    fc.assert(
      fc.property(limits, wanted, wanted, (limit, first, second) => {
        let map = mapWith(limit);
        for (const entries of [entriesOf(first), entriesOf(second)]) {
          const action = tried(map, entries);
          if (action === null) continue;
          const now = after(map, action);
          for (const own of ['left', 'right']) expect(mapProblem(now.get(own) ?? new Map(), () => limit)).toBeNull();
          map = { ...map, active: now };
          for (const { channel, feed: wish } of entries)
            if (wish !== null) expect([channel, isFed(map, node, wish)]).toEqual([channel, true]);
          // One that is taken off receives nothing, unless its block is fed with it.
          const isAlone = limit === null || limit.blockSize === 1;
          for (const { channel, feed: wish } of isAlone ? entries : []) {
            const [output, index] = channel <= 8 ? ['left', channel - 1] : ['right', channel - 9];
            if (wish === null) expect(now.get(output as string)?.has(index as number)).toBe(false);
          }
        }
      }),
      { numRuns: 400 },
    );
  });
});
