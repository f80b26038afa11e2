import fc from 'fast-check';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { apply, modelNamed, planOf } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import { sideWay } from './side-way';
import type { SideTraffic } from './side-traffic-table';
import { PLAIN_TERMINAL, type SideKind, type StatedTerminal } from './terminal-shape';

const link = (
  id: string,
  direction: 'in' | 'out',
  carries: readonly SideKind[],
  rest: Partial<StatedTerminal> = {},
): StatedTerminal => ({
  ...PLAIN_TERMINAL,
  ...{ id, name: id, kind: 'link', direction, channels: 4, carries, formats: ['MADI'] },
  ...rest,
});
const BOTH: readonly SideKind[] = ['MIDI', 'serial'];
/** Boxes with two MADI ways through them: one that passes serial data on, and one that does not. */
const box = modelNamed('converter-32', {
  terminals: [
    link('in-a', 'in', BOTH),
    link('in-b', 'in', ['MIDI']),
    link('out-a', 'out', BOTH, { normalledTo: 'in-a', patchFrom: ['in-a', 'in-b'] }),
    link('out-b', 'out', ['MIDI'], { normalledTo: 'in-b', patchFrom: ['in-a', 'in-b'] }),
  ],
});
const IDS = ['one', 'two', 'three'] as const;
const ground = planOf(Object.fromEntries(IDS.map((id) => [id, box])));
const cable = (id: string, from: string, out: string, to: string, into: string): Command => ({
  kind: 'put-audio-cable',
  cable: {
    ...{
      id,
      name: id,
      channels: 4,
      format: 'MADI',
      kind: 'coax',
      grade: null,
      metres: null,
      fromPlug: null,
      toPlug: null,
    },
    from: { deviceId: from, terminalId: out, channel: 1 },
    to: { deviceId: to, terminalId: into, channel: 1 },
    ...{ adapter: null, attenuationDb: null },
  },
});
const traffic = (kind: SideKind, from: [string, string], to: [string, string]): SideTraffic => ({
  ...{ id: 't', name: 'Remote', kind },
  from: { deviceId: from[0], terminalId: from[1] },
  to: { deviceId: to[0], terminalId: to[1] },
});
const wayOf = (plan: Plan, t: SideTraffic) => sideWay(reckon(plan).signal, t);

test('serial data goes along where every link carries it, and ends at the first that does not', () => {
  const plan = apply(ground, cable('c1', 'one', 'out-a', 'two', 'in-a'), cable('c2', 'two', 'out-a', 'three', 'in-a'));
  const wish = traffic('serial', ['one', 'in-a'], ['three', 'in-a']);
  expect(wayOf(plan, wish)).toEqual({ is: 'carried' });
  const past = apply(plan, cable('c2', 'two', 'out-b', 'three', 'in-a'), {
    kind: 'put-patch',
    patch: { deviceId: 'two', terminalId: 'out-b', channel: 2, from: { terminalId: 'in-a', channel: 1 }, tap: null },
  });
  expect(wayOf(past, wish)).toEqual({ is: 'ends', at: { deviceId: 'two', terminalId: 'out-b', channel: 2 } });
  expect(wayOf(past, { ...wish, kind: 'MIDI' })).toEqual({ is: 'carried' });
  expect(wayOf(ground, wish)).toEqual({ is: 'no-way' });
  const found = reckon(apply(past, { kind: 'put-side-traffic', traffic: wish })).findings.filter(
    (f) => f.about === 'side-traffic-ends',
  );
  expect(found).toMatchObject([{ severity: 'caution', deviceIds: ['one', 'three'], at: { terminalId: 'out-b' } }]);
});

test('bad records are refused: a terminal that is not there, and one that does not carry it', () => {
  const put = (t: SideTraffic) => () => apply(ground, { kind: 'put-side-traffic', traffic: t });
  expect(put(traffic('serial', ['one', 'in-b'], ['two', 'in-a']))).toThrow(/from\.terminalId/);
  expect(put(traffic('serial', ['one', 'in-a'], ['two', 'in-c']))).toThrow(/to\.terminalId/);
  // A model that no longer carries it takes what was planned along.
  const plan = apply(ground, { kind: 'put-side-traffic', traffic: traffic('MIDI', ['one', 'in-b'], ['two', 'out-b']) });
  const dumb = { ...box, terminals: box.terminals.map((t) => ({ ...t, carries: [] })) };
  expect(apply(plan, { kind: 'put-model', model: dumb }).sideTraffic.size).toBe(0);
});

test('law: it is carried just where a slow search over names finds a way that carries it', () => {
  const outs = ['out-a', 'out-b'] as const;
  const cables = fc.array(
    fc.tuple(
      fc.constantFrom(...IDS),
      fc.constantFrom(...outs),
      fc.constantFrom(...IDS),
      fc.constantFrom('in-a', 'in-b'),
    ),
    { maxLength: 5 },
  );
  const patches = fc.array(
    fc.tuple(fc.constantFrom(...IDS), fc.constantFrom(...outs), fc.constantFrom('in-a', 'in-b', null)),
    { maxLength: 4 },
  );
  const said = new Set<string>();
  fc.assert(
    fc.property(cables, patches, fc.constantFrom<SideKind>('MIDI', 'serial'), (laid, patched, kind) => {
      const plan = apply(
        ground,
        ...laid.map(([from, out, to, into], n) => cable(`c${n}`, from, out, to, into)),
        ...patched.flatMap(([deviceId, terminalId, from]) =>
          [1, 2, 3, 4].map((channel): Command => ({
            kind: 'put-patch',
            patch: { deviceId, terminalId, channel, tap: null, from: from && { terminalId: from, channel } },
          })),
        ),
      );
      const wish = traffic(kind, ['one', kind === 'serial' ? 'in-a' : 'in-b'], ['three', 'out-a']);
      const way = wayOf(plan, wish);
      said.add(way.is);
      // All four channels of a terminal go together here, so that terminals are enough to search.
      const carries = (t: string) => kind === 'MIDI' || t.endsWith('-a');
      const fedFrom = (id: string, t: string): string[] => {
        if (t.startsWith('in')) {
          const own = laid.map((c, n) => ({ c, n })).filter(({ c }) => c[2] === id && c[3] === t);
          const first = own.sort((a, b) => a.n - b.n)[0];
          return first === undefined ? [] : [`${first.c[0]} ${first.c[1]}`];
        }
        const patch = patched.filter(([d, out]) => d === id && out === t).at(-1);
        const from = patch === undefined ? t.replace('out', 'in') : patch[2];
        return from === null ? [] : [`${id} ${from}`];
      };
      const reaches = (isTold: boolean): boolean => {
        const seen = new Set<string>();
        let at = ['three out-a'];
        while (at.length > 0) {
          const [key = ''] = at;
          at = at.slice(1);
          const [id = '', t = ''] = key.split(' ');
          if (seen.has(key) || (isTold && !carries(t))) continue;
          seen.add(key);
          if (id === wish.from.deviceId && t === wish.from.terminalId) return true;
          at.push(...fedFrom(id, t));
        }
        return false;
      };
      expect(way.is).toBe(reaches(true) ? 'carried' : reaches(false) ? 'ends' : 'no-way');
    }),
    {
      numRuns: 300,
      // What chance would hardly bring together: a way past a link that does not carry it.
      examples: [[[['one', 'out-b', 'three', 'in-a']], [['one', 'out-b', 'in-a']], 'serial']],
    },
  );
  expect([...said].sort()).toEqual(['carried', 'ends', 'no-way']);
});
