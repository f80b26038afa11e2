import { CATALOGUE } from '../models/catalogue';
import type { Model } from '../models/models-table';
import { emptyPlan } from '../plan/plan';
import { applyCommands } from '../plan/apply-commands';
import { modelNamed } from '../plan/test-plan';
import { PLAIN_TERMINAL, type StatedTerminal } from './terminal-shape';
import { isInsideKnown, terminalOf, terminalProblem, terminalsOf } from './terminals';

const socket = (id: string, rest: Partial<StatedTerminal> = {}): StatedTerminal => ({
  ...PLAIN_TERMINAL,
  id,
  name: id,
  kind: 'connector',
  direction: 'in',
  channels: 4,
  ...rest,
});
const withTerminals = (...terminals: StatedTerminal[]): Model => modelNamed('amp-8', { terminals });

test('every model of the catalogue has terminals that fit together', () => {
  for (const model of CATALOGUE) expect([model.id, terminalProblem(model)]).toEqual([model.id, null]);
  const bare = CATALOGUE.filter((m) => !isInsideKnown(m)).map((m) => m.kind);
  expect(new Set(bare)).toEqual(new Set(['processor', 'clock', 'switch']));
});

test('network and slot terminals follow from the figures of the model, and come first', () => {
  expect(
    terminalsOf(modelNamed('processor-64')).map((t) => [t.id, t.channels, t.normalledTo, t.normalledChannels]),
  ).toEqual([
    ['network-in', 64, null, 0],
    ['network-out', 64, 'network-in', 48],
  ]);
  expect(terminalsOf(modelNamed('slot-unit-4')).map((t) => t.id)).toEqual([
    'slots-in',
    'slots-out',
    'line-in',
    'line-out',
  ]);
  expect(terminalsOf(modelNamed('core-switch-24'))).toEqual([]);
});

test('a stated network terminal says how it is patched and has as many channels as the model, whatever it states', () => {
  const out = terminalOf(modelNamed('console-72'), 'network-out');
  expect(out).toMatchObject({ channels: 72, normalledTo: 'buses', normalledChannels: 72 });
});

test.each([
  ['two of one id', [socket('a'), socket('a')], 'terminals[1].id'],
  ['an input that is fed', [socket('a'), socket('b', { normalledTo: 'a' })], 'terminals[1].normalledTo'],
  ['a patch from nowhere', [socket('a', { direction: 'out', patchFrom: ['b'] })], 'terminals[0].patchFrom[0]'],
  [
    'a patch from an output',
    [socket('a', { direction: 'out' }), socket('b', { direction: 'out', patchFrom: ['a'] })],
    'terminals[1].patchFrom[0]',
  ],
  [
    'sends to what is no bus',
    [socket('a'), socket('b', { direction: 'out', sendsFrom: ['a'] })],
    'terminals[1].sendsFrom',
  ],
  [
    'a ring of normals',
    [socket('a', { direction: 'inside', normalledTo: 'b' }), socket('b', { direction: 'inside', normalledTo: 'a' })],
    'terminals[0].normalledTo',
  ],
  ['a network of its own', [socket('a', { kind: 'network' })], 'terminals[0].kind'],
  ['sockets called as the network is', [socket('network-in')], 'terminals[0].kind'],
])('a model is refused for %s, with the place', (_, terminals, path) => {
  const model = withTerminals(...terminals);
  expect(terminalProblem(model)).toMatchObject({ path });
  const result = applyCommands(emptyPlan('Test'), [{ kind: 'put-model', model }]);
  expect(result.ok).toBe(false);
});
