import { isIn } from '@/core/findings/areas';
import { searchFor } from '@/ui/parts/find-text';
import fc from 'fast-check';
import { takeOver, type ClockLoss } from '@/core/clocks/take-over';
import { proposeClocks } from '@/core/clocks/propose';
import { fileOfPlan, planOfFile } from '@/core/formats/plan-file';
import { apply } from '@/core/plan/test-plan';
import { reckon } from '@/core/reckon/reckon';
import { generatePlan } from '@/demo/generate';
import { skerryPoint } from '@/demo/skerry-point';
import { choiceWords, intervalWords, secondsWords, slipWords, stepWords } from '@/ui/parts/clock-words';
import { merged } from '@/ui/session/view';
import { reckonDesk } from '@/workers/reckon-desk';
import { clockRows, groupRows, paceDifferences, referenceRows } from './clock-rows';
import { parseSelection, selectionText } from '@/ui/parts/selection';
import { CLOCK_KINDS, lossText, parseLoss, withLost, withoutLost } from './selection';
import { timeTree, type LeaderNode } from './tree';

const plan = planOfFile(skerryPoint());
const reckoning = reckon(plan);
const desk = reckonDesk();
const view = merged(null, desk.load(fileOfPlan(plan)));
const deviceIds = [...reckoning.clocks.time.byDevice.keys()];
const lossOf = (ids: readonly string[]): ClockLoss => ({ deviceIds: ids, linkIds: [], referenceIds: [] });

/** Every device that the tree names as one that hears or leads, as often as it does. */
function namedIn(node: LeaderNode): string[] {
  return [node.deviceId, ...node.segments.flatMap((s) => [...s.followers, ...s.relays.flatMap(namedIn)])];
}

describe('the tree of time', () => {
  test('has every clock once, under the one that it hears, whatever is lost', () => {
    fc.assert(
      fc.property(fc.subarray(deviceIds, { maxLength: 4 }), (lost) => {
        const { after } = takeOver(plan, reckoning.topology, reckoning.clocks, lossOf(lost));
        const tree = timeTree(plan, { time: after.time, media: after.media });
        const named = [...tree.roots.flatMap(namedIn), ...tree.alone].sort();
        expect(named).toEqual(deviceIds.filter((id) => !lost.includes(id)).sort());
        const check = (node: LeaderNode): void => {
          for (const segment of node.segments) {
            for (const id of segment.followers) expect(after.time.byDevice.get(id)!.parentId).toBe(node.deviceId);
            segment.relays.forEach(check);
          }
        };
        tree.roots.forEach(check);
      }),
      { numRuns: 40 },
    );
  });

  test('counts below a leader all that hang on it, and names who stands by', () => {
    const [root] = timeTree(plan, view.clocks).roots;
    expect(root).toMatchObject({ deviceId: 'north-master', isGrandmaster: true, below: 48 });
    const core = root!.segments.flatMap((s) => s.relays).find((r) => r.deviceId === 'core-a')!;
    const south = core.segments.find((s) => s.id === 'a-south')!;
    expect(south.standingBy).toEqual(['south-processor']);
  });
});

test('a second clock on GNSS standby: it is neither alone nor a follower', () => {
  const settings = plan.clocks.get('south-master')!;
  const both = apply(plan, {
    kind: 'put-clock',
    settings: { ...settings, mediaClock: 'references', referenceIds: ['gnss-north'] },
  });
  const { clocks, findings } = reckon(both);
  const shown = { time: clocks.time, media: clocks.media };
  expect(clockRows(both, shown, [], searchFor(''), null).find((r) => r.device.id === 'south-master')!.role).toBe(
    'standby',
  );
  const tree = timeTree(both, shown);
  expect(tree.alone).toEqual([]);
  const core = tree.roots[0]!.segments.flatMap((s) => s.relays).find((r) => r.deviceId === 'core-a')!;
  expect(core.segments.find((s) => s.id === 'a-south')!.standingBy).toContain('south-master');
  expect(findings.filter((f) => isIn('clocks', f)).map((f) => f.about)).toEqual(['relay-no-spare']);
});

describe('what the worker tells of clocks', () => {
  test('a preview of another rate tells each clock that differs, and the plan stays as it is', () => {
    const outcome = desk.preview([{ kind: 'change-device', deviceId: 'show-player', change: { rateHz: 96_000 } }]);
    if (!outcome.ok) throw new Error('not possible');
    const after = merged(view, outcome.result.delta);
    const differing = paceDifferences(view.clocks, after.clocks);
    expect(differing.map((d) => [d.deviceId, d.before.rateHz, d.after.rateHz])).toEqual([
      ['show-player', 48_000, 96_000],
    ]);
    desk.endPreview();
    expect(desk.clockLoss(lossOf([]))!.paces).toEqual([]);
  });

  test('a loss tells the lanes that it disturbs: silent, running apart, or changing over together', () => {
    const found = desk.clockLoss(lossOf(['north-master']))!;
    // The embedder listens to the black burst of the lost clock and holds over by itself.
    expect(found.lanes.filter((l) => l.how === 'slips').map((l) => l.receiverId)).toEqual(['picture-embedder']);
    const lanes = (how: string) => found.lanes.filter((l) => l.how === how).reduce((sum, l) => sum + l.lanes, 0);
    expect(lanes('silent')).toBe(0);
    expect(lanes('slips') + lanes('relocks')).toBe(326);
    const player = desk.clockLoss(lossOf(['show-player']))!;
    expect(new Set(player.lanes.map((l) => l.how))).toEqual(new Set(['silent']));
  });

  test('why: the grandmaster against its runner-up, others against the grandmaster', () => {
    expect(desk.clockWhy('north-master')).toMatchObject({
      leads: true,
      comparison: { aId: 'north-master', bId: 'south-master', decidedBy: 'clockClass', winnerId: 'north-master' },
    });
    expect(desk.clockWhy('exhibit-1')).toMatchObject({
      leads: false,
      comparison: { winnerId: 'north-master', before: 'b-only-follows' },
    });
    expect(desk.clockWhy('nobody')).toBeNull();
  });
});

describe('rows and words', () => {
  test('sheets show what the reckoning says', () => {
    const rows = clockRows(plan, view.clocks, view.findings, searchFor(''), null);
    expect(rows).toHaveLength(deviceIds.length);
    expect(rows.filter((r) => r.role === 'grandmaster').map((r) => r.device.id)).toEqual(['north-master']);
    expect(clockRows(plan, view.clocks, view.findings, searchFor('black burst'), null).map((r) => r.device.id)).toEqual(
      ['picture-embedder'],
    );
    expect(groupRows(plan, view, searchFor('')).find((r) => r.group.id === 'boat')).toMatchObject({
      members: 0,
      others: 1,
    });
    expect(referenceRows(plan, view, searchFor('')).find((r) => r.reference.id === 'gnss-north')).toMatchObject({
      locked: 1,
    });
  });

  test('words name devices and subnets by their names, never by ids', () => {
    const made = planOfFile(generatePlan({ devices: 60, seed: 3 }));
    for (const p of [plan, made]) {
      const r = reckon(p);
      const words = [
        ...proposeClocks(p, r.topology).choices.map((c) => choiceWords(p, c)),
        ...takeOver(p, r.topology, r.clocks, lossOf([r.clocks.time.grandmasterIds[0]!])).steps.map((s) =>
          stepWords(p, s),
        ),
      ];
      expect(words.length).toBeGreaterThan(10);
      for (const text of words) expect(text).not.toMatch(/\b[a-z]+-[a-z]+-\d+\b|undefined|NaN/);
    }
  });

  test('times as people read them', () => {
    expect([-3, -2, 0, 1].map(intervalWords)).toEqual(['125 ms', '250 ms', '1 s', '2 s']);
    expect([2.0833, 300, 9000].map(slipWords)).toEqual(['every 2.08 s', 'every 5 min', 'every 3 h']);
    expect([0.75, 60, 300, 86_400].map(secondsWords)).toEqual(['0.75 s', '60 s', '5 min', '24 h']);
  });
});

describe('the address bar', () => {
  test('holds the selection and the losses of a drill', () => {
    expect(parseSelection(CLOCK_KINDS, selectionText('group', 'house'))).toEqual({ kind: 'group', id: 'house' });
    for (const bad of [null, '', 'device:', 'thing:x']) expect(parseSelection(CLOCK_KINDS, bad)).toBeNull();
    const loss = withLost(withLost(withLost(null, 'device', 'a'), 'link', 'l'), 'reference', 'r');
    expect(parseLoss(lossText(loss))).toEqual(loss);
    expect(withLost(loss, 'device', 'a')).toBe(loss);
    expect(
      lossText(withoutLost(withoutLost(withoutLost(loss, 'device', 'a'), 'link', 'l'), 'reference', 'r')),
    ).toBeNull();
    for (const bad of [null, '', 'x', 'device:', 'thing:x']) expect(parseLoss(bad)).toBeNull();
  });
});
