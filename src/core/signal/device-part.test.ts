import fc from 'fast-check';
import type { BusSend } from '../patch/bus-sends-table';
import { devicePart, listNumberOf, nodeIn, NOBODY } from './device-part';
import { PLAIN_TERMINAL } from './terminal-shape';
import type { Insides } from './terminals';

const STRIPS = 5;
const BUSES = 4;
const console_: Insides = {
  terminals: [
    { ...PLAIN_TERMINAL, id: 'strips', name: 'Strip', kind: 'strip', direction: 'inside', channels: STRIPS },
    {
      ...PLAIN_TERMINAL,
      id: 'buses',
      name: 'Bus',
      kind: 'bus',
      direction: 'inside',
      channels: BUSES,
      sendsFrom: ['strips'],
    },
    { ...PLAIN_TERMINAL, id: 'matrix', name: 'Matrix', kind: 'bus', direction: 'inside', channels: 3, mixes: 'buses' },
  ],
  channelsReceive: 6,
  channelsSend: 2,
  receiveMap: null,
  sendMap: null,
  passesThrough: 0,
  slots: null,
};

const send: fc.Arbitrary<BusSend> = fc.record({
  deviceId: fc.constant('desk'),
  terminalId: fc.constantFrom('buses', 'matrix', 'gone'),
  channel: fc.integer({ min: 1, max: BUSES + 1 }),
  fromTerminalId: fc.constantFrom('strips', 'buses', 'network-in', 'gone'),
  fromChannel: fc.integer({ min: 1, max: STRIPS + 1 }),
  tap: fc.constant(null),
  isOn: fc.boolean(),
  levelDb: fc.constant(null),
});
const keyOf = (s: BusSend) => `${s.terminalId}/${s.channel}/${s.fromTerminalId}/${s.fromChannel}`;

describe('what buses of a device mix', () => {
  test('law: what is sent to each, in rising order, with what it mixes anyway; told one by one', () => {
    fc.assert(
      fc.property(fc.array(send, { maxLength: 24 }), (sends) => {
        const byKey = new Map(sends.map((s) => [keyOf(s), s]));
        const part = devicePart('desk', console_, undefined, byKey);
        for (const [terminalId, channels] of [
          ['buses', BUSES],
          ['matrix', 3],
        ] as const) {
          for (let channel = 1; channel <= channels; channel += 1) {
            const sources = [...byKey.values()]
              .filter((s) => s.isOn && s.terminalId === terminalId && s.channel === channel)
              .map((s) => nodeIn(part, s.fromTerminalId, s.fromChannel))
              .filter((node) => node !== NOBODY);
            const anyway = Array.from({ length: BUSES }, (_, n) => nodeIn(part, 'buses', n + 1));
            const all = terminalId === 'matrix' ? [...anyway, ...sources] : sources;
            const feeder = part.feeders[nodeIn(part, terminalId, channel)] as number;
            const wanted = [...new Set(all)].sort((a, b) => a - b);
            expect(listNumberOf(feeder) < 0 ? [] : [...(part.lists[listNumberOf(feeder)] ?? [])]).toEqual(wanted);
          }
        }
      }),
      { numRuns: 300 },
    );
  });

  test('devices of one model that nobody patched share what they are made of, and are called by their own ids', () => {
    const [a, b] = [devicePart('a', console_, undefined, undefined), devicePart('b', console_, undefined, undefined)];
    expect([a.deviceId, b.deviceId]).toEqual(['a', 'b']);
    expect([b.feeders, b.lists, b.terminals]).toEqual([a.feeders, a.lists, a.terminals]);
    expect(b.feeders).toBe(a.feeders);
    expect(devicePart('c', console_, undefined, new Map([['x', { ...ONE, deviceId: 'c' }]])).feeders).not.toBe(
      a.feeders,
    );
  });
});

const ONE: BusSend = {
  deviceId: 'desk',
  terminalId: 'buses',
  channel: 1,
  fromTerminalId: 'strips',
  fromChannel: 1,
  tap: null,
  isOn: true,
  levelDb: null,
};
