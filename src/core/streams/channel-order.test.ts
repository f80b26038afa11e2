import fc from 'fast-check';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import type { ChannelRange } from '../models/models-table';
import { reckon } from '../reckon/reckon';
import type { Reckoning } from '../reckon/reckoning';

/** Devices without a channel map (IS-08): channels in the order of the stream. */

const ranges = (...pairs: [number, number][]): ChannelRange[] =>
  pairs.map(([first, channels]) => ({ first, channels }));
const EIGHTS = ranges([1, 8], [9, 8]);
const desk = modelNamed('console-72');
const box = modelNamed('recorder-96', { id: 'box', sendOrder: EIGHTS });
const amp = modelNamed('amp-8', { id: 'amp', receiveOrder: ranges([1, 4], [5, 4]) });
const rec = modelNamed('recorder-96', { id: 'rec' });

const streamsOf = (result: Reckoning, sender: string) =>
  (result.streamsBySender.get(sender) ?? []).map(
    (s) => `S${s.streamNumber}: ${s.channels.join()} to ${s.receiverDeviceIds.join()}`,
  );
const lanesAt = (result: Reckoning, id: string) =>
  [...(result.lanesByReceiver.get(id) ?? [])].map(([channel, lane]) =>
    lane.verdict === 'refused'
      ? `${channel}: ${lane.reason.code} ${'because' in lane.reason ? lane.reason.because : ''}`
      : `${channel}: R${lane.reception.receiverStreamNumber}.${lane.position} ${lane.reception.caution?.code ?? ''}`.trim(),
  );

describe('a receiver without a channel map', () => {
  test('each of its streams hears one stream with every channel in its place, and nothing where nothing is wanted', () => {
    const plan = apply(
      planOf({ desk, amp }),
      feed('desk', 30, 'amp', 2),
      feed('desk', 7, 'amp', 3),
      feed('desk', 5, 'amp', 5, 2),
    );
    const result = reckon(plan);
    expect(streamsOf(result, 'desk')).toEqual(['S1: 0,30,7 to amp', 'S2: 5,6 to amp']);
    expect(lanesAt(result, 'amp')).toEqual([
      '2: R1.2 path-unknown',
      '3: R1.3 path-unknown',
      '5: R2.1 path-unknown',
      '6: R2.2 path-unknown',
    ]);
    // An empty position takes its place on the wire, and is no channel.
    expect(result.streamsBySender.get('desk')?.[0]?.width).toBe(3);
    expect(result.budgetByDevice.get('desk')?.channelsSend.used).toBe(4);
  });

  test('one channel may stand in two places; two of its streams never share one', () => {
    const plan = apply(
      planOf({ desk, amp }),
      feed('desk', 3, 'amp', 1),
      feed('desk', 3, 'amp', 2),
      feed('desk', 3, 'amp', 5),
      feed('desk', 3, 'amp', 6),
    );
    const result = reckon(plan);
    expect(streamsOf(result, 'desk')).toEqual(['S1: 3,3 to amp', 'S2: 3,3 to amp']);
    expect(lanesAt(result, 'amp').map((l) => l.split(' ')[1])).toEqual(['R1.1', 'R1.2', 'R2.1', 'R2.2']);
  });

  test('several senders cannot feed one of its streams: the first of its channels decides', () => {
    const plan = apply(
      planOf({ desk, other: desk, amp }),
      feed('desk', 1, 'amp', 1),
      feed('other', 2, 'amp', 2),
      feed('other', 5, 'amp', 5),
    );
    const result = reckon(plan);
    expect(lanesAt(result, 'amp')).toEqual([
      '1: R1.1 path-unknown',
      '2: stream-order other-sender',
      '5: R2.1 path-unknown',
    ]);
    expect(streamsOf(result, 'other')).toEqual(['S1: 5 to amp']);
  });

  test('a channel that no stream feeds can hear nothing', () => {
    const some = modelNamed('amp-8', { id: 'some', receiveOrder: ranges([1, 2]) });
    const result = reckon(apply(planOf({ desk, some }), feed('desk', 1, 'some', 2, 2)));
    expect(lanesAt(result, 'some')).toEqual(['2: R1.2 path-unknown', '3: stream-order no-stream']);
  });
});

describe('a sender without a channel map', () => {
  test('its streams carry what they carry, whoever hears what of them', () => {
    const plan = apply(planOf({ box, rec }), feed('box', 7, 'rec', 20, 4));
    const result = reckon(plan);
    expect(streamsOf(result, 'box')).toEqual(['S1: 1,2,3,4,5,6,7,8 to rec', 'S2: 9,10,11,12,13,14,15,16 to rec']);
    expect(lanesAt(result, 'rec').map((l) => l.split(' ')[1])).toEqual(['R1.7', 'R1.8', 'R2.1', 'R2.2']);
  });

  test('of streams with the same channels each receiver gets the fewest, and one that it can take', () => {
    const twice = modelNamed('recorder-96', { id: 'twice', sendOrder: ranges([1, 1], [2, 1], [1, 8]) });
    const wide = reckon(apply(planOf({ twice, rec }), feed('twice', 1, 'rec', 1, 2)));
    expect(streamsOf(wide, 'twice')).toEqual(['S3: 1,2,3,4,5,6,7,8 to rec']);
    const narrow = { ...rec, id: 'narrow', channelsPerStreamMax: 2 };
    const small = reckon(apply(planOf({ twice, narrow }), feed('twice', 1, 'narrow', 1, 2)));
    expect(streamsOf(small, 'twice')).toEqual(['S1: 1 to narrow', 'S2: 2 to narrow']);
  });

  test('what is in no stream, or only in one that is too wide, is refused', () => {
    const narrow = { ...rec, id: 'narrow', channelsPerStreamMax: 4 };
    const result = reckon(apply(planOf({ box, narrow, rec }), feed('box', 1, 'narrow', 1), feed('box', 17, 'rec', 1)));
    expect(lanesAt(result, 'narrow')).toEqual(['1: stream-order not-heard']);
    expect(lanesAt(result, 'rec')).toEqual(['1: stream-order no-stream']);
    expect(result.findings.filter((f) => f.about === 'lanes-refused').map((f) => f.severity)).toEqual([
      'refusal',
      'refusal',
    ]);
  });

  test('sent to addresses each of its streams goes to one receiver', () => {
    const plan = apply(
      planOf({ box: [box, { sendsUnicast: true }], rec, second: rec }),
      feed('box', 1, 'rec', 1),
      feed('box', 2, 'second', 1),
      feed('box', 9, 'second', 2),
    );
    const result = reckon(plan);
    expect(streamsOf(result, 'box')).toEqual(['S1: 1,2,3,4,5,6,7,8 to rec', 'S2: 9,10,11,12,13,14,15,16 to second']);
    expect(lanesAt(result, 'second')).toEqual(['1: stream-order not-heard', '2: R1.1 path-unknown']);
    expect(result.streamsBySender.get('box')?.every((s) => s.unicastTo?.A !== null)).toBe(true);
  });
});

describe('neither end has a channel map', () => {
  const mics = modelNamed('recorder-96', { id: 'mics', sendOrder: ranges([1, 4], [5, 4]) });
  test('lanes in step fit; what stands beside them is heard along and told, channel by channel', () => {
    const result = reckon(apply(planOf({ mics, amp }), feed('mics', 5, 'amp', 1, 3)));
    expect(lanesAt(result, 'amp')).toEqual(['1: R1.1 heard-along', '2: R1.2 heard-along', '3: R1.3 heard-along']);
    expect(result.findings.find((f) => f.about === 'lanes-caution')).toMatchObject({
      severity: 'caution',
      caution: { code: 'heard-along', heard: [{ channel: 4, senderChannel: 8 }] },
    });
  });

  test('lanes out of step are refused', () => {
    const result = reckon(apply(planOf({ mics, amp }), feed('mics', 2, 'amp', 1)));
    expect(lanesAt(result, 'amp')).toEqual(['1: stream-order other-place']);
  });
});

test('any wishes: what each channel without a map hears is what the plan says, position by position', () => {
  const widths = fc.array(fc.integer({ min: 1, max: 8 }), { minLength: 1, maxLength: 6 });
  const orderOf = (w: number[]) =>
    w.map((channels, n) => ({ first: 1 + w.slice(0, n).reduce((a, b) => a + b, 0), channels }));
  const lane = fc.tuple(
    fc.constantFrom('desk', 'free', 'fixed'),
    fc.integer({ min: 1, max: 24 }),
    fc.constantFrom('ordered', 'rec'),
    fc.integer({ min: 1, max: 24 }),
  );
  fc.assert(
    fc.property(widths, widths, fc.array(lane, { minLength: 1, maxLength: 40 }), (sent, received, lanes) => {
      const fixed = modelNamed('recorder-96', {
        id: 'fixed',
        sendOrder: orderOf(sent),
        streamsReceive: 96,
        streamsSend: 96,
      });
      const order = orderOf(received);
      const ordered = modelNamed('recorder-96', { id: 'ordered', receiveOrder: order, streamsReceive: 96 });
      const many = { streamsReceive: 96, streamsSend: 96 };
      const free = modelNamed('recorder-96', { id: 'free', ...many });
      const start = planOf({ desk: { ...desk, ...many }, free, fixed, ordered, rec: { ...rec, ...many } });
      const plan: Plan = apply(start, ...lanes.map(([s, sc, r, rc]) => feed(s, sc, r, rc)));
      const result = reckon(plan);
      for (const sender of ['fixed']) {
        for (const s of result.streamsBySender.get(sender) ?? []) {
          const range = orderOf(sent)[s.streamNumber - 1]!;
          expect(s.channels).toEqual(Array.from({ length: range.channels }, (_, n) => range.first + n));
        }
      }
      // What the box hears: each of its streams one of a sender's, position by position, as a device without a map does.
      const heardOn = new Map<number, string>();
      for (const [, l] of result.lanesByReceiver.get('ordered') ?? []) {
        if (l.verdict === 'refused') continue;
        const { stream, receiverStreamNumber } = l.reception;
        expect(heardOn.get(receiverStreamNumber) ?? stream.id).toBe(stream.id);
        heardOn.set(receiverStreamNumber, stream.id);
      }
      expect(new Set(heardOn.values()).size).toBe(heardOn.size);
      const byId = new Map([...result.streamsBySender.values()].flat().map((s) => [s.id, s]));
      order.forEach((range, n) => {
        const stream = byId.get(heardOn.get(n + 1) ?? '');
        for (let p = 0; p < range.channels; p += 1) {
          const channel = range.first + p;
          const content = stream?.channels[p] ?? 0;
          const l = result.lanesByReceiver.get('ordered')?.get(channel);
          const isWanted = l !== undefined && l.verdict !== 'refused';
          if (isWanted) {
            expect(content).toBe(l.subscription.senderChannel);
            expect(stream?.senderDeviceId).toBe(l.subscription.senderDeviceId);
          } else if (content !== 0) {
            const told = [...result.lanesByReceiver.get('ordered')!].some(
              ([, other]) =>
                other.verdict !== 'refused' &&
                other.reception.caution?.code === 'heard-along' &&
                other.reception.caution.heard.some((h) => h.channel === channel && h.senderChannel === content),
            );
            expect(told).toBe(true);
          }
        }
      });
    }),
    { numRuns: 150 },
  );
});
