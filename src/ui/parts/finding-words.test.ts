import { fieldAddressFindings } from '@/core/findings/field-addresses';
import { fieldMapFindings } from '@/core/findings/field-maps';
import { fixesFor } from '@/core/findings/rules';
import { fieldNameFindings } from '@/core/findings/field-names';
import { nameFindings } from '@/core/findings/names';
import { throughFindings } from '@/core/findings/through';
import type { Finding } from '@/core/findings/finding';
import type { Plan } from '@/core/plan/plan';
import { routeThrough } from '@/core/signal/through';
import { apply, feed, modelNamed, planOf } from '@/core/plan/test-plan';
import { reckon } from '@/core/reckon/reckon';
import type { LaneReason } from '@/core/reckon/lane';
import { channelName } from './names';
import { longReason, mapWords, shortReason } from './lane-words';
import { findingTitle, fixWords } from './finding-words';

const unit = modelNamed('processor-64', { passesThrough: 8 });
const start = planOf({
  unit: [unit, { name: 'Hall unit' }],
  box: [modelNamed('stage-box-24'), { name: 'Hall box', throughId: null }],
  amp: [modelNamed('amp-8'), { name: 'Hall amp' }],
  station: [modelNamed('intercom-1'), { name: 'Gate' }],
  recorder: [modelNamed('recorder-96-blocks'), { name: 'Tape' }],
});
const said = (plan: Plan, findings: readonly Finding[]) =>
  findings.map((f) => [findingTitle(plan, f), ...fixesFor(plan, f).map((fix) => fixWords(plan, fix))]);

describe('words for what was found', () => {
  test('labels that are too long', () => {
    const plan = apply(start, {
      kind: 'label-channels',
      deviceId: 'station',
      side: 'send',
      labels: [{ channel: 1, label: 'Gate at the ferry steps', short: 'Ferry steps' }],
    });
    expect(said(plan, nameFindings(plan))).toEqual([
      ['Gate out 1: labels longer than the 16 characters that it holds', 'Shorten 1 label of Gate'],
      ['Gate out 1: short labels longer than the 8 characters that it holds', 'Shorten 1 label of Gate'],
    ]);
  });

  test('a sender that is heard by a name it has no more', () => {
    const plan = apply(start, feed('box', 1, 'station', 1));
    expect(said(plan, fieldNameFindings(plan, new Map([['box', 'Old box']])))).toEqual([
      ['Hall box calls itself Old box: 1 device subscribes by that name', 'Rename it to Old box in the plan'],
    ]);
  });

  test('a device that answers where the plan does not have it, with the adapters of the server', () => {
    const at = (address: string, adapter: string | null, seen: Readonly<Record<string, readonly string[]>>) =>
      said(start, fieldAddressFindings(start, new Map([['amp', { address, adapter }]]), new Map(Object.entries(seen))));
    expect(at('10.9.0.7', 'eth1', { a: ['eth0', 'wlan0'] })).toEqual([
      ['Hall amp answers at 10.9.0.7 by eth1 of the server; the plan has it in Leg A (eth0, wlan0)'],
    ]);
    expect(at('10.9.0.7', null, {})).toEqual([['Hall amp answers at 10.9.0.7; the plan has it in Leg A']]);
  });

  test('what goes past a unit, what a unit passes in vain, and what a pass is called', () => {
    const through = apply(start, { kind: 'change-device', deviceId: 'amp', change: { throughId: 'unit' } });
    const past = apply(through, feed('box', 5, 'amp', 1, 2));
    expect(said(past, throughFindings(past))).toEqual([
      [
        'Hall amp 1, 2 receives Hall box past Hall unit',
        'Route these 2 lanes of Hall amp through it',
        'Clear these 2 lanes of Hall amp',
      ],
    ]);
    const wish = { receiverDeviceId: 'amp', receiverChannel: 1, senderDeviceId: 'box', senderChannel: 5 };
    const led = apply(through, { kind: 'subscribe', subscriptions: routeThrough(through, [wish]).subscriptions });
    expect(channelName(led, 'unit', 'send', 1)).toBe('out 5, from Hall box');
    expect(channelName(led, 'unit', 'send', 2)).toBe('out 2');
    const vain = apply(led, { kind: 'unsubscribe', channels: [{ deviceId: 'amp', channel: 1 }] });
    expect(said(vain, throughFindings(vain))).toEqual([
      ['Hall unit receives 1 channel to pass on, with no subscriber', 'Clear this lane of Hall unit'],
    ]);
    const none = apply(through, { kind: 'put-model', model: { ...unit, passesThrough: 0 } });
    expect(said(none, throughFindings(none))).toEqual([
      [
        'Hall unit passes no channel from input to output, and 1 device is routed through it',
        'Route nothing through Hall unit',
      ],
    ]);
  });

  test('blocks that cannot be fed, and maps that are not as the model says', () => {
    const plan = apply(start, feed('box', 1, 'recorder', 2, 2));
    const finding = reckon(plan).findings.find((f) => f.about === 'lanes-refused');
    expect(said(plan, [finding!])).toEqual([
      [
        'Tape 2, 3 from Hall box: fed in blocks of 8 only',
        // The block would begin before the first channel of the sender, so it cannot be fed in step.
        'Clear these 2 lanes of Tape',
      ],
    ]);
    expect(
      said(
        start,
        fieldMapFindings(start, new Map([['amp', { has: 'map', receive: { blockSize: 4, reordering: false } }]])),
      ),
    ).toEqual([
      [
        'Hall amp reports that its channels are fed in blocks of 4, in the order of the stream; the model says one by one',
        'Set model Amplifier 8: fed in blocks of 4, in the order of the stream',
      ],
    ]);
    const receiveOrder = [1, 3, 5, 7].map((first) => ({ first, channels: 2 }));
    const noMap = { has: 'no-map', sendOrder: null, receiveOrder } as const;
    expect(said(start, fieldMapFindings(start, new Map([['amp', noMap]])))).toEqual([
      [
        'Hall amp offers no channel map (IS-08); the model says that channels are mapped freely to streams',
        'Set model Amplifier 8 to the order of its streams: in 1–2, 3–4, 5–6, 7–8',
      ],
    ]);
    expect(mapWords({ blockSize: 1, reordering: false })).toBe('one by one, in the order of the stream');
    const parts = [
      { nodeDeviceId: 'd1', label: 'Frame, card 1' },
      { nodeDeviceId: 'd2', label: 'Frame, card 2' },
    ];
    const apart = { has: 'map', apart: { nodeId: 'n', parts } } as const;
    expect(said(start, fieldMapFindings(start, new Map([['amp', apart]])))).toEqual([
      [
        'Hall amp is planned as one device, and its node has 2 devices with separate channel maps: Frame, card 1; Frame, card 2. Only one of them is mapped',
        'Bind Hall amp to Frame, card 1 only; the others can be added separately',
        'Bind Hall amp to Frame, card 2 only; the others can be added separately',
      ],
    ]);
  });

  test('every reason of a refusal has a short and a long form', () => {
    const reasons: LaneReason[] = [
      { code: 'rate-differs', senderRateHz: 48_000, receiverRateHz: 96_000 },
      { code: 'no-common-format', missing: 'encoding' },
      { code: 'no-address', end: 'sender' },
      { code: 'outside-subnet', end: 'receiver' },
      { code: 'not-reachable', senderSubnetId: 'a', receiverSubnetId: 'a', unicastOnly: true },
      { code: 'channel-missing', end: 'sender', channel: 9, count: 8 },
      { code: 'stream-budget', end: 'receiver', wanted: 5, limit: 4 },
      { code: 'channel-pool', end: 'receiver', wanted: 99, limit: 96 },
      { code: 'ttl-too-short', routers: 2, ttl: 2 },
      { code: 'not-joined', leg: 'B' },
      { code: 'map-block', blockSize: 8 },
      { code: 'map-order' },
      { code: 'send-block', blockSize: 8, limit: 4 },
      { code: 'stream-order', end: 'sender', because: 'no-stream', range: null },
      { code: 'stream-order', end: 'receiver', because: 'no-stream', range: null },
      { code: 'stream-order', end: 'sender', because: 'not-heard', range: { first: 1, channels: 8 } },
      {
        ...{ code: 'stream-order', end: 'receiver', because: 'other-sender' },
        ...{ range: { first: 1, channels: 8 }, otherSenderId: 'recorder' },
      },
      { code: 'stream-order', end: 'receiver', because: 'other-place', range: { first: 1, channels: 1 } },
      { code: 'link-offset', neededNs: 2e6, offsetNs: 1e6 },
    ];
    const long = reasons.map((r) => longReason(start, r, 'box', 'amp'));
    expect(new Set(long).size).toBe(reasons.length);
    for (const text of [...long, ...reasons.map(shortReason)]) {
      expect(text).not.toMatch(/undefined|NaN|\bbox\b(?<!Hall box)/);
      expect(text.length).toBeGreaterThan(10);
    }
    expect(long.every((text) => text.endsWith('.'))).toBe(true);
  });
});
