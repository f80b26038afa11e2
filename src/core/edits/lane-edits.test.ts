import fc from 'fast-check';
import { fillByLabel, fillFrom, type Fill, type FillPattern } from './fill';
import { commandsOf, layFeeds, moveLanes, spareFor, swapSenders } from './move-lanes';
import { subscriptionsOf, type Plan } from '../plan/plan';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';

const amp = modelNamed('amp-8');
const desk = modelNamed('console-72');
const start = () => planOf({ desk, desk2: desk, amp, amp2: amp, box: modelNamed('stage-box-24') });
const run = (deviceId: string, count: number, first = 1) =>
  Array.from({ length: count }, (_, n) => ({ deviceId, channel: first + n }));
const fill = (pattern: FillPattern, step = 2): Fill => ({ pattern, step });
const heard = (plan: Plan, id: string) =>
  [...subscriptionsOf(plan, id).values()]
    .sort((a, b) => a.receiverChannel - b.receiverChannel)
    .map((s) => `${s.receiverChannel}<${s.senderDeviceId} ${s.senderChannel}`);

describe('filling a run of receiver channels', () => {
  const sent = (pattern: FillPattern, first: number, step = 2) =>
    fillFrom(start(), run('amp', 4), { deviceId: 'desk', channel: first }, fill(pattern, step)).subscriptions.map(
      (s) => s.senderChannel,
    );

  test.each([
    ['in-step', 7, [7, 8, 9, 10]],
    ['all-the-same', 7, [7, 7, 7, 7]],
    ['every-nth', 7, [7, 9, 11, 13]],
    ['reversed', 7, [10, 9, 8, 7]],
    ['in-step', 70, [70, 71, 72]],
    ['every-nth', 69, [69, 71]],
    ['reversed', 71, [72, 71]],
  ] as const)('%s from channel %i', (pattern, first, expected) => expect(sent(pattern, first)).toEqual(expected));

  test('what the sender has no channel for is left out and told', () => {
    const { leftOut } = fillFrom(start(), run('amp', 4), { deviceId: 'desk', channel: 71 }, fill('in-step'));
    expect(leftOut).toEqual([
      { deviceId: 'amp', channel: 3, why: 'no-channel-left' },
      { deviceId: 'amp', channel: 4, why: 'no-channel-left' },
    ]);
  });

  test('every receiver channel is either fed or told, whatever the pattern', () => {
    const patterns = fc.constantFrom<FillPattern>('in-step', 'all-the-same', 'every-nth', 'reversed', 'by-label');
    fc.assert(
      fc.property(patterns, fc.integer({ min: 1, max: 72 }), fc.integer({ min: 1, max: 9 }), (pattern, first, step) => {
        const receivers = run('amp', 8);
        const sender = { deviceId: 'desk', channel: first };
        const { subscriptions, leftOut } = fillFrom(start(), receivers, sender, { pattern, step });
        const told = [...subscriptions.map((s) => s.receiverChannel), ...leftOut.map((l) => l.channel)];
        expect(told.sort((a, b) => a - b)).toEqual(receivers.map((r) => r.channel));
        for (const s of subscriptions) {
          expect(s.senderChannel).toBeGreaterThanOrEqual(1);
          expect(s.senderChannel).toBeLessThanOrEqual(72);
        }
      }),
    );
  });
});

describe('filling by label', () => {
  const labelled = () =>
    apply(
      start(),
      {
        kind: 'label-channels',
        deviceId: 'desk',
        side: 'send',
        labels: [
          { channel: 1, label: 'Tide bell' },
          { channel: 2, label: 'Narration' },
        ],
      },
      { kind: 'label-channels', deviceId: 'desk2', side: 'send', labels: [{ channel: 5, label: 'narration' }] },
      { kind: 'label-channels', deviceId: 'box', side: 'send', labels: [{ channel: 3, label: 'Surge' }] },
      {
        kind: 'label-channels',
        deviceId: 'amp',
        side: 'receive',
        labels: [
          { channel: 1, label: '  tide   BELL ' },
          { channel: 2, label: 'Narration' },
          { channel: 3, label: 'Gulls' },
        ],
      },
    );

  test('capitals and spaces do not count; a label that two senders carry decides nothing', () => {
    const plan = labelled();
    const { subscriptions, leftOut } = fillByLabel(plan, run('amp', 4), plan.devices.keys());
    expect(subscriptions.map((s) => [s.receiverChannel, s.senderDeviceId, s.senderChannel])).toEqual([[1, 'desk', 1]]);
    expect(leftOut.map((l) => l.why)).toEqual(['several-like-labels', 'no-like-label', 'no-label']);
  });

  test('within one sender the label decides', () => {
    const { subscriptions } = fillFrom(labelled(), run('amp', 4), { deviceId: 'desk2', channel: 1 }, fill('by-label'));
    expect(subscriptions.map((s) => [s.receiverChannel, s.senderChannel])).toEqual([[2, 5]]);
  });

  test('a device does not feed itself', () => {
    const plan = apply(labelled(), {
      kind: 'label-channels',
      deviceId: 'desk',
      side: 'receive',
      labels: [{ channel: 1, label: 'Tide bell' }],
    });
    expect(fillByLabel(plan, run('desk', 1), ['desk']).leftOut[0]?.why).toBe('no-like-label');
  });
});

describe('swapping two senders', () => {
  const fed = () => apply(start(), feed('desk', 1, 'amp', 1, 4), feed('desk2', 1, 'amp2', 1, 2));
  const swap = (plan: Plan, count: number) => {
    const change = swapSenders(plan, { deviceId: 'desk', channel: 1 }, { deviceId: 'desk2', channel: 1 }, count);
    return apply(plan, ...commandsOf(change as NonNullable<typeof change>));
  };

  test('everyone who heard the one hears the other', () => {
    const plan = swap(fed(), 2);
    expect(heard(plan, 'amp')).toEqual(['1<desk2 1', '2<desk2 2', '3<desk 3', '4<desk 4']);
    expect(heard(plan, 'amp2')).toEqual(['1<desk 1', '2<desk 2']);
  });

  test('twice is as before', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 72 }), (count) => {
        expect(heard(swap(swap(fed(), count), count), 'amp')).toEqual(heard(fed(), 'amp'));
      }),
    );
  });

  test('runs that overlap are no swap; a lane whose new channel does not exist stays and is told', () => {
    const at = (deviceId: string, channel: number) => ({ deviceId, channel });
    expect(swapSenders(fed(), at('desk', 1), at('desk', 4), 4)).toBeNull();
    const change = swapSenders(fed(), at('desk', 1), at('box', 22), 4);
    expect(change?.subscriptions.map((s) => s.senderChannel)).toEqual([22, 23, 24]);
    expect(change?.stay).toMatchObject([{ receiverChannel: 4, why: 'no-such-channel' }]);
  });
});

describe('moving all lanes of a device to a spare', () => {
  test('what it heard is heard by the spare, what it sent is sent by the spare, and nothing is left behind', () => {
    const plan = apply(start(), feed('box', 1, 'desk', 1, 8), feed('desk', 1, 'amp', 1, 8));
    const change = moveLanes(plan, 'desk', 'desk2', { sends: true, receives: true });
    const moved = apply(plan, ...commandsOf(change));
    expect(heard(moved, 'desk')).toEqual([]);
    expect(heard(moved, 'desk2')).toHaveLength(8);
    expect(heard(moved, 'amp')[0]).toBe('1<desk2 1');
  });

  test('lanes that the spare has no channel for, or whose place is taken, stay', () => {
    const plan = apply(start(), feed('box', 1, 'desk', 7, 3), feed('desk', 1, 'amp', 7, 1));
    const change = moveLanes(plan, 'desk', 'amp', { sends: false, receives: true });
    expect(change.stay.map((s) => [s.receiverChannel, s.why])).toEqual([
      [7, 'taken'],
      [9, 'no-such-channel'],
    ]);
    const moved = apply(plan, ...commandsOf(change));
    expect(heard(moved, 'amp')).toEqual(['7<desk 1', '8<box 2']);
    expect(heard(moved, 'desk')).toEqual(['7<box 1', '9<box 3']);
  });
});

describe('who takes over', () => {
  test('is the device with room for all, of the same model and place first', () => {
    const busy = apply(start(), feed('box', 1, 'amp', 1, 8), feed('box', 1, 'amp2', 1, 8));
    // The other amplifier is full; a console has room for all eight.
    expect(spareFor(busy, 'amp')).toBe('desk');
    expect(spareFor(apply(busy, { kind: 'change-device', deviceId: 'desk2', change: { name: 'a desk' } }), 'amp')).toBe(
      'desk2',
    );
    const free = apply(start(), feed('box', 1, 'amp', 1, 8));
    expect(spareFor(free, 'amp')).toBe('amp2');
    // What a device sends counts as well: an amplifier sends nothing.
    expect(spareFor(apply(start(), feed('desk', 40, 'amp', 1)), 'desk')).toBe('desk2');
    expect(spareFor(planOf({ amp }), 'amp')).toBeNull();
  });

  test('law: what is left behind with the proposed device is never more than with any other', () => {
    const ids = ['desk', 'desk2', 'amp', 'amp2', 'box'];
    fc.assert(
      fc.property(
        fc.array(
          fc.tuple(
            fc.constantFrom('desk', 'desk2', 'box'),
            fc.nat(70),
            fc.constantFrom('desk', 'amp', 'amp2'),
            fc.nat(70),
          ),
          {
            maxLength: 12,
          },
        ),
        fc.constantFrom(...ids),
        (lanes, from) => {
          let plan = start();
          for (const [sender, a, receiver, b] of lanes) {
            const size = { desk: 72, desk2: 72, box: 24, amp: 8, amp2: 8 } as Record<string, number>;
            plan = apply(plan, feed(sender, 1 + (a % size[sender]!), receiver, 1 + (b % size[receiver]!)));
          }
          const left = (to: string) => moveLanes(plan, from, to, { sends: true, receives: true }).stay.length;
          const spare = spareFor(plan, from)!;
          for (const to of ids) if (to !== from) expect(left(spare)).toBeLessThanOrEqual(left(to));
        },
      ),
      { numRuns: 60 },
    );
  });
});

describe('laying a block over receivers', () => {
  const feeds = [{ deviceId: 'desk', channel: 1 }, null, { deviceId: 'desk', channel: 3 }] as const;

  test('nothing clears, and a block smaller than the run is laid once', () => {
    const plan = apply(start(), feed('box', 1, 'amp', 1, 4));
    const laid = apply(plan, ...commandsOf(layFeeds(plan, run('amp', 4), feeds)));
    expect(heard(laid, 'amp')).toEqual(['1<desk 1', '3<desk 3', '4<box 4']);
  });

  test('over a multiple of the block it is laid again and again', () => {
    const change = layFeeds(start(), run('amp', 6), feeds);
    expect(change.subscriptions.map((s) => [s.receiverChannel, s.senderChannel])).toEqual([
      [1, 1],
      [3, 3],
      [4, 1],
      [6, 3],
    ]);
  });
});
