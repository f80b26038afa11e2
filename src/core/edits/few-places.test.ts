import fc from 'fast-check';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import { channelAt, feedersOf, nodeOf, type SignalGraph } from '../signal/graph';
import { PLAIN_TERMINAL, type StatedTerminal } from '../signal/terminal-shape';
import { fillPlaces, mixerOf, placesNow, proposePlaces, type FewPlaces, type MixSource } from './few-places';

const terminal = (id: string, kind: StatedTerminal['kind'], rest: Partial<StatedTerminal> = {}): StatedTerminal => ({
  ...PLAIN_TERMINAL,
  ...{ id, name: id, kind, direction: 'inside', channels: 6 },
  ...rest,
});
/** A small console: six strips with direct outs, five buses, eight network outputs that are normalled to the buses, and monitors. */
const DESK = modelNamed('console-72', {
  channelsReceive: 6,
  channelsSend: 8,
  terminals: [
    terminal('strips', 'strip', {
      normalledTo: 'network-in',
      patchFrom: ['network-in'],
      taps: ['before-fader', 'after-fader'],
    }),
    terminal('buses', 'bus', { channels: 5, sendsFrom: ['strips'] }),
    terminal('direct', 'direct', { normalledTo: 'strips', patchFrom: ['strips'] }),
    terminal('monitor', 'monitor', { channels: 1, patchFrom: ['buses'] }),
    terminal('network-out', 'network', { direction: 'out', normalledTo: 'buses', patchFrom: ['buses', 'direct'] }),
  ],
});
const ground = planOf({
  desk: DESK,
  feed: modelNamed('amp-8'),
  other: modelNamed('amp-8'),
  box: modelNamed('stage-box-24'),
});
const TARGET: FewPlaces = { mixerId: 'desk', receiverDeviceId: 'feed', firstChannel: 2, count: 4 };
const strip = (channel: number): MixSource => ({ terminalId: 'strips', channel });

const busSend = fc
  .record({ channel: fc.integer({ min: 1, max: 5 }), fromChannel: fc.integer({ min: 1, max: 6 }), isOn: fc.boolean() })
  .map(({ channel, fromChannel, isOn }): Command => ({
    kind: 'put-bus-send',
    send: {
      ...{ deviceId: 'desk', terminalId: 'buses', channel, fromTerminalId: 'strips', fromChannel, isOn },
      ...{ tap: null, levelDb: null },
    },
  }));
const patch = fc
  .record({
    out: fc.integer({ min: 1, max: 8 }),
    from: fc.constantFrom('buses', 'direct'),
    channel: fc.integer({ min: 1, max: 5 }),
  })
  .map(({ out, from, channel }): Command => ({
    kind: 'put-patch',
    patch: {
      deviceId: 'desk',
      terminalId: 'network-out',
      channel: out,
      from: { terminalId: from, channel },
      tap: null,
    },
  }));
const monitor = fc.integer({ min: 1, max: 5 }).map((channel): Command => ({
  kind: 'put-patch',
  patch: { deviceId: 'desk', terminalId: 'monitor', channel: 1, from: { terminalId: 'buses', channel }, tap: null },
}));
const lane = fc
  .tuple(
    fc.constantFrom('feed', 'other'),
    fc.integer({ min: 1, max: 8 }),
    fc.constantFrom('desk', 'desk', 'box'),
    fc.integer({ min: 1, max: 8 }),
  )
  .map(([to, received, from, sent]) => feed(from, sent, to, received));
const desks = fc
  .tuple(
    fc.array(busSend, { maxLength: 8 }),
    fc.array(patch, { maxLength: 4 }),
    fc.option(monitor),
    fc.array(lane, { maxLength: 9 }),
  )
  .map(([sends, patches, heard, lanes]) =>
    apply(ground, ...sends, ...patches, ...(heard === null ? [] : [heard]), ...lanes),
  );
const wishes = fc.array(fc.uniqueArray(fc.integer({ min: 1, max: 6 }), { maxLength: 4 }), {
  minLength: 4,
  maxLength: 4,
});

const graphs = new WeakMap<Plan, SignalGraph>();

/** Everything that sounds at a channel, as the strips and sockets behind it: a slow walk over the graph. */
function soundsAt(plan: Plan, deviceId: string, terminalId: string, channel: number): string[] {
  const signal = graphs.get(plan) ?? reckon(plan).signal;
  graphs.set(plan, signal);
  const seen = new Set<number>();
  const found = new Set<string>();
  const walk = (node: number) => {
    if (node < 0 || seen.has(node)) return;
    seen.add(node);
    const at = channelAt(signal, node);
    if (at.terminalId === 'strips' || at.terminalId === 'mic-in')
      found.add(`${at.deviceId} ${at.terminalId} ${at.channel}`);
    for (const from of feedersOf(signal, node)) walk(from);
  };
  walk(nodeOf(signal, { deviceId, terminalId, channel }));
  return [...found].sort();
}

test('law: every place has just the sources that were wanted, or stays and is said; nobody else hears anything else; once is enough', () => {
  let filled = 0;
  let left = 0;
  fc.assert(
    fc.property(desks, wishes, (plan, wanted) => {
      const places = wanted.map((channels) => ({ sources: channels.map(strip), label: null }));
      const result = fillPlaces(plan, TARGET, places, null);
      const after = apply(plan, ...result.commands);
      const leftAt = new Map(result.left.map((l) => [l.place, l.why]));
      const before = placesNow(plan, TARGET);
      placesNow(after, TARGET).forEach((place, n) => {
        const channel = TARGET.firstChannel + n;
        const wish = [...(wanted[n] ?? [])].sort();
        const own = soundsAt(after, 'feed', 'network-in', channel);
        if (leftAt.has(n) || (wish.length === 0 && before[n]?.is === 'else')) {
          left += 1;
          expect(own).toEqual(soundsAt(plan, 'feed', 'network-in', channel));
          return;
        }
        filled += 1;
        expect(own).toEqual(wish.map((c) => `desk strips ${c}`));
        expect(place.is).toBe(
          wish.length === 0 ? place.is : place.sources.length === 1 && place.bus === null ? 'alone' : 'fold',
        );
      });
      for (let channel = 1; channel <= 8; channel += 1) {
        const isPlace = channel >= TARGET.firstChannel && channel < TARGET.firstChannel + TARGET.count;
        for (const id of isPlace ? ['other'] : ['feed', 'other']) {
          expect(soundsAt(after, id, 'network-in', channel)).toEqual(soundsAt(plan, id, 'network-in', channel));
        }
      }
      expect(soundsAt(after, 'desk', 'monitor', 1)).toEqual(soundsAt(plan, 'desk', 'monitor', 1));
      expect(fillPlaces(after, TARGET, places, null)).toEqual({ commands: [], left: result.left });
    }),
    { numRuns: 250 },
  );
  expect(filled).toBeGreaterThan(300);
  expect(left).toBeGreaterThan(20);
});

test('sources of like names share a place, the most of one name first; what is too many still goes into the last', () => {
  const named = (...names: string[]) => names.map((name, n) => ({ ...strip(n + 1), name }));
  const show = (names: readonly string[], count: number) =>
    proposePlaces(named(...names), count).map((p) => `${p.label ?? ''}:${p.sources.map((s) => s.channel).join('+')}`);
  const names = ['Narrator', 'Tank mic 1', 'Tank mic 2', 'Tank mic 3', 'Organ left', 'Organ right', 'Bell'];
  expect(show(names, 7)).toEqual([':1', ':2', ':3', ':4', ':5', ':6', ':7']);
  expect(show(names, 5)).toEqual([':1', 'Tank mic:2+3+4', ':5', ':6', ':7']);
  expect(show(names, 4)).toEqual([':1', 'Tank mic:2+3+4', 'Organ:5+6', ':7']);
  expect(show(names, 2)).toEqual([':1', 'Others:2+3+4+5+6+7']);
  expect(show(names, 0)).toHaveLength(4);
});

test('only a device that mixes into its network outputs has sources to choose from', () => {
  expect(mixerOf(ground, 'desk')).toMatchObject({ bus: { id: 'buses' }, out: { id: 'network-out' } });
  expect([...mixerOf(ground, 'desk')!.aloneBy]).toEqual([['strips', 'direct']]);
  expect(mixerOf(ground, 'box')).toBeNull();
  expect(fillPlaces(ground, { ...TARGET, mixerId: 'box' }, [], null)).toEqual({ commands: [], left: [] });
});

test('a fold takes a bus of its own with its name and tap, and gives it back when it is not wanted any more', () => {
  const wanted = [
    { sources: [strip(1), strip(2)], label: 'Choir' },
    { sources: [strip(3)], label: null },
  ];
  const plan = apply(ground, ...fillPlaces(ground, TARGET, wanted, 'before-fader').commands);
  expect(placesNow(plan, TARGET).map(({ is, bus }) => [is, bus])).toEqual([
    ['fold', 1],
    ['alone', null],
    ['free', null],
    ['free', null],
  ]);
  expect(plan.channelSettings.get('desk')!.get('buses/1')!.label).toBe('Choir');
  expect([...plan.busSends.get('desk')!.values()].map((s) => s.tap)).toEqual(['before-fader', 'before-fader']);
  // Another tap alone changes the sends, and nothing else.
  const later = fillPlaces(plan, TARGET, wanted, 'after-fader').commands;
  expect(later.map((c) => c.kind)).toEqual(['put-bus-send', 'put-bus-send']);
  const tapped = apply(plan, ...later);
  expect([...tapped.busSends.get('desk')!.values()].map((s) => s.tap)).toEqual(['after-fader', 'after-fader']);
  expect(fillPlaces(tapped, TARGET, wanted, null).commands).toEqual([]);
  const none = apply(plan, ...fillPlaces(plan, TARGET, [], null).commands);
  expect(none.subscriptions.get('feed')?.size ?? 0).toBe(0);
  expect(none.busSends.get('desk')?.size ?? 0).toBe(0);
});
