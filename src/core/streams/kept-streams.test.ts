import fc from 'fast-check';
import type { StreamLayout } from './layouts-table';
import type { SentStream } from './sent-streams-table';
import { formatKey, type StreamFormat } from './format';
import { keptStreams } from './kept-streams';

const formats: readonly StreamFormat[] = [
  { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
  { encoding: 'L16', rateHz: 48_000, packetTimeUs: 125 },
];
const streamNumber = fc.integer({ min: 1, max: 6 });
const channels = fc.uniqueArray(fc.integer({ min: 1, max: 3 }), { minLength: 1, maxLength: 2 });
const format = fc.constantFrom(...formats);
const layout = fc.record({ senderDeviceId: fc.constant('s'), streamNumber, channels, format, isHeld: fc.boolean() });
const sent = fc
  .record({ streamNumber, channels, format })
  .map((s) => ({ ...s, senderDeviceId: 's', receivers: [] }) as unknown as SentStream);

const byNumber = <T extends { readonly streamNumber: number }>(all: readonly T[]) =>
  new Map(all.map((one) => [one.streamNumber, one]));

describe('what packing keeps of a sender', () => {
  test('law: every layout and whatever else was sent, each number once, with what it carries now', () => {
    fc.assert(
      fc.property(fc.array(layout, { maxLength: 6 }), fc.array(sent, { maxLength: 6 }), (laidOut, sentOnes) => {
        const layouts: ReadonlyMap<number, StreamLayout> = byNumber(laidOut);
        const carried: ReadonlyMap<number, SentStream> = byNumber(sentOnes);
        const kept = keptStreams(layouts, carried);
        const numbers = kept.map((k) => k.streamNumber);
        expect([...numbers].sort()).toEqual([...new Set([...layouts.keys(), ...carried.keys()])].sort());
        for (const one of kept) {
          const laid = layouts.get(one.streamNumber);
          const was = carried.get(one.streamNumber);
          const wanted = laid ?? was;
          expect([one.channels, one.format, one.isHeld]).toEqual([
            wanted?.channels,
            wanted?.format,
            laid?.isHeld ?? false,
          ]);
          // A layout that is not as it was sent begins again.
          const isAsSent =
            was !== undefined &&
            (laid === undefined ||
              (was.channels.join() === laid.channels.join() && formatKey(was.format) === formatKey(laid.format)));
          expect(one.sent).toBe(isAsSent ? was : null);
        }
      }),
      { numRuns: 300 },
    );
  });

  test('law: what is held or carries counts first, then what is laid out, then what was sent alone; each in the order of numbers', () => {
    fc.assert(
      fc.property(fc.array(layout, { maxLength: 6 }), fc.array(sent, { maxLength: 6 }), (laidOut, sentOnes) => {
        const layouts: ReadonlyMap<number, StreamLayout> = byNumber(laidOut);
        const kept = keptStreams(layouts, byNumber(sentOnes));
        const places = kept.map((k) => {
          const rank = !layouts.has(k.streamNumber) ? 2 : k.isHeld || k.sent !== null ? 0 : 1;
          return 100 * rank + k.streamNumber;
        });
        expect(places).toEqual([...places].sort((a, b) => a - b));
      }),
      { numRuns: 300 },
    );
  });

  test('of a sender of which nothing was laid out or sent nothing is kept', () => {
    expect(keptStreams(new Map(), new Map())).toEqual([]);
  });
});
