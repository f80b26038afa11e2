import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { readDevicePatchList, writeDevicePatchList } from '../formats/device-patch-list';
import { fileOfPlan, planOfFile } from '../formats/plan-file';
import { readSocketList, writeSocketList } from '../formats/socket-list';
import { arbitraryPlan } from '../plan/test-arbitrary';
import type { Plan } from '../plan/plan';
import { apply, modelNamed, planOf } from '../plan/test-plan';
import { PLAIN_TERMINAL } from '../signal/terminal-shape';
import { commandsOfItems, importDevicePatches, importSockets } from './import-signals';

const demo = planOfFile(skerryPoint());
const bare = (plan: Plan): Plan => ({
  ...plan,
  pluggedIn: new Map(),
  channelSettings: new Map(),
  patches: new Map(),
  busSends: new Map(),
});
const restored = (plan: Plan) => {
  const empty = bare(plan);
  const sockets = importSockets(empty, readSocketList(writeSocketList(plan)).rows);
  const patches = importDevicePatches(empty, readDevicePatchList(writeDevicePatchList(plan)).rows);
  expect([...sockets, ...patches].flatMap((i) => i.problem ?? [])).toEqual([]);
  return apply(empty, ...commandsOfItems(sockets), ...commandsOfItems(patches));
};

test('law: what is exported comes back to the last field, and changes nothing where it is', () => {
  fc.assert(
    fc.property(arbitraryPlan(), (plan) => {
      // Labels of network channels are in the patch list.
      const settings = [...plan.channelSettings].map(
        ([id, own]) =>
          [
            id,
            new Map(
              [...own].map(([k, s]) => [
                k,
                { ...s, ...(/^(network|slots)-/.test(s.terminalId) ? { label: null } : {}) },
              ]),
            ),
          ] as const,
      );
      const now = { ...plan, channelSettings: new Map(settings) };
      expect(fileOfPlan(restored(now))).toEqual(fileOfPlan(now));
      const again = importSockets(now, readSocketList(writeSocketList(now)).rows);
      expect(commandsOfItems(again)).toEqual([]);
    }),
    { numRuns: 60 },
  );
});

test('Skerry Point comes back from its two lists', () => {
  expect(fileOfPlan(restored(demo))).toEqual(fileOfPlan(demo));
  expect(writeSocketList(demo).split('\r\n')[1]).toMatch(/^Dome amp 1,Loudspeaker,1,North arc 1,loudspeaker,/);
});

test('an input list as people write it: other names of columns, a comma in numbers, 48 V as x', () => {
  const list = 'Stage box;Sockets;Ch;Microphone;Gain dB;48V\nwave stage box;mic in;13;Spare pair left;28,0;x\n';
  const [item] = importSockets(demo, readSocketList(list).rows);
  expect(item).toMatchObject({ verdict: 'differs', where: 'Wave stage box, Mic in 13' });
  const after = apply(demo, ...item!.commands);
  expect(after.pluggedIn.get('wave-stage-box')?.get('mic-in/13')).toMatchObject({
    name: 'Spare pair left',
    kind: 'microphone',
  });
  expect(after.channelSettings.get('wave-stage-box')?.get('mic-in/13')).toMatchObject({
    gainDb: 28,
    hasPhantom: true,
  });
});

test.each([
  ['Wave box,Mic in,1,Bell,,,', 'no device is called “Wave box”'],
  [
    'Wave stage box,Strip,1,Bell,,,',
    'Wave stage box has no terminal “Strip”; it has Network in, Network out, Mic in, Line out',
  ],
  ['Wave stage box,Mic in,25,Bell,,,', 'Mic in has no channel “25”; they are 1 to 24'],
  ['Wave stage box,Mic in,1,,trumpet,,', 'kind: “trumpet” cannot be read'],
  ['Wave stage box,Mic in,1,,,MADI,', 'format “MADI” does not fit: microphone, line'],
  ['Wave stage box,Mic in,1,,,,61', 'gainDb “61” does not fit: 0 to 60 dB'],
  ['Wave stage box,Mic in,1,,,,28.5', 'gainDb “28.5” does not fit: steps of 1 dB from 0 dB'],
  ['Wave stage box,Mic in,20,,microphone,,', 'what is plugged in has no name'],
  [
    'Wave stage box,Mic in,1,Bell,loudspeaker,,',
    'kind “loudspeaker” does not fit: microphone, instrument, line-source, player, radio-pack',
  ],
])('a line of an input list that cannot be is named with its reason: %s', (line, problem) => {
  const { rows } = readSocketList(`device,terminal,channel,name,kind,format,gain\n${line}\n`);
  expect(importSockets(demo, rows)).toMatchObject([{ line: 2, verdict: 'refused', problem, commands: [] }]);
});

test.each([
  ['Loft console,Strip,73,Mic in,1,,,', 'Strip has no channel “73”; they are 1 to 72'],
  ['Loft console,Line out,1,Mic in,1,,,', 'from.terminalId “mic-in” does not fit: buses, direct, monitor'],
  [
    'Loft console,Strip,1,Mic in,1,post,,',
    '“post” is not a tap; they are before-equaliser, before-fader, after-fader, after-mute',
  ],
  ['Loft console,Bus,1,,,,on,', 'a send needs a source'],
  ['Loft console,Bus,1,Strip,1,,maybe,', 'send: “maybe” is neither on nor off'],
  ['Loft console,Bus,1,Strip,1,,on,loud', 'send level: “loud” is not a number'],
])('a line of a device patch that cannot be is named with its reason: %s', (line, problem) => {
  const header = 'device,output,number,from,from number,tap,send,send level';
  const items = importDevicePatches(demo, readDevicePatchList(`${header}\n${line}\n`).rows);
  expect(items).toMatchObject([{ line: 2, verdict: 'refused', problem, commands: [] }]);
});

test('a loop in a list is named and refused: a channel that would feed itself through what is patched and normalled', () => {
  const insert = {
    ...PLAIN_TERMINAL,
    id: 'insert',
    name: 'Insert',
    kind: 'direct',
    direction: 'inside',
    channels: 2,
  } as const;
  const unit = modelNamed('expander-8', {
    terminals: [
      { ...insert, patchFrom: ['back', 'network-in'] },
      { ...insert, id: 'back', name: 'Back', normalledTo: 'insert', patchFrom: ['insert'] },
    ],
  });
  const plan = planOf({ unit });
  const list = (...lines: string[]) =>
    readDevicePatchList(['device,output,number,from,from number', ...lines].join('\n')).rows;
  // Back is normalled to Insert, so that Insert from Back is a ring of two.
  expect(importDevicePatches(plan, list('unit,Insert,1,Back,1'))).toMatchObject([
    { problem: 'it would feed itself: a loop', commands: [] },
  ]);
  const crossed = importDevicePatches(
    plan,
    list('unit,Back,1,Insert,2', 'unit,Insert,1,Back,1', 'unit,Insert,2,Back,1'),
  );
  expect(crossed.map((i) => i.problem)).toEqual([null, null, 'it would feed itself: a loop']);
});

test('two lines for one channel: the second is refused', () => {
  const { rows } = readSocketList('device,terminal,channel,name\nLoft console,Mic in,2,A\nLoft console,Mic in,2,B\n');
  expect(importSockets(demo, rows).map((i) => i.problem)).toEqual([null, 'line 2 has it already']);
});
