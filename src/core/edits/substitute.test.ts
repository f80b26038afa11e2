import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile, fileOfPlan } from '../formats/plan-file';
import type { Plan } from '../plan/plan';
import { apply } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import { substituteFindings } from '../findings/substitutes';
import { fixesFor } from '../findings/rules';
import { followSignal } from '../signal/follow';
import type { Substitution } from '../patch/substitutions-table';
import { beginSubstitution, endSubstitution } from './substitute';

const demo = planOfFile(skerryPoint());
const DAY = 24 * 60 * 60 * 1000;
const at = (plan: Plan, id: string) => plan.substitutions.get(id)!;
const begun = (id: string, since = 5) => apply(demo, ...beginSubstitution(demo, at(demo, id), 'Ida', since).commands);
const text = (plan: Plan) => JSON.stringify(fileOfPlan(plan));
const origin = (plan: Plan, strip: number) => {
  const { signal: graph, lanesByReceiver } = reckon(plan);
  const laneOf = (id: string, n: number) => lanesByReceiver.get(id)?.get(n);
  const steps = followSignal(
    { graph, plan, laneOf },
    { deviceId: 'loft-console', terminalId: 'strips', channel: strip },
    'back',
  );
  const last = steps[steps.length - 1]!;
  return `${last.deviceId} ${last.terminalId} ${last.channel}`;
};

test('a strip is fed from its substitute, everything else stays, and it goes back with one step', () => {
  const plan = begun('captains-welcome');
  expect([origin(demo, 25), origin(plan, 25)]).toEqual(['wave-wireless-1 radio 1', 'show-player player 29']);
  expect(at(plan, 'captains-welcome')).toMatchObject({ by: 'Ida', since: 5 });
  for (const table of Object.keys(plan) as (keyof Plan)[]) {
    if (table !== 'patches' && table !== 'substitutions') expect(plan[table]).toBe(demo[table]);
  }
  const ended = endSubstitution(plan, at(plan, 'captains-welcome'));
  expect(ended.left).toBe(0);
  expect(text(apply(plan, ...ended.commands))).toBe(text(demo));
});

test('a rehearsal from recording feeds 36 strips from the recorder, and back', () => {
  const plan = begun('dress-run');
  expect([origin(plan, 1), origin(plan, 36)]).toEqual(['archive-recorder playback 1', 'archive-recorder playback 36']);
  expect(
    [...reckon(plan).lanesByReceiver.get('loft-console')!.values()].filter((l) => l.verdict === 'refused'),
  ).toEqual([]);
  expect(text(apply(plan, ...endSubstitution(plan, at(plan, 'dress-run')).commands))).toBe(text(demo));
});

test('what somebody feeds otherwise meanwhile stays so, and is counted', () => {
  const patch = {
    deviceId: 'loft-console',
    terminalId: 'strips',
    channel: 25,
    from: { terminalId: 'mic-in', channel: 2 },
    tap: null,
  };
  const plan = apply(begun('captains-welcome'), { kind: 'put-patch', patch });
  const ended = endSubstitution(plan, at(plan, 'captains-welcome'));
  expect(ended.left).toBe(1);
  expect(
    apply(plan, ...ended.commands)
      .patches.get('loft-console')
      ?.get('strips/25')?.from,
  ).toEqual(patch.from);
});

test('one that is not kept leaves the list when it ends; one in force is not begun twice', () => {
  const once = { ...at(demo, 'captains-welcome'), id: 'once', isKept: false };
  const plan = apply(demo, ...beginSubstitution(demo, once, 'Ida', 5).commands);
  expect(beginSubstitution(plan, at(plan, 'once'), 'Bo', 6).commands).toEqual([]);
  const after = apply(plan, ...endSubstitution(plan, at(plan, 'once')).commands);
  expect(after.substitutions.has('once')).toBe(false);
  expect(text(after)).toBe(text(demo));
});

test('a substitute of more than a day is found, by whom and for how long, and its way out ends it', () => {
  const plan = begun('captains-welcome', 1000);
  expect(substituteFindings(plan, 1000 + DAY)).toEqual([]);
  const [finding] = substituteFindings(plan, 1001 + 2 * DAY);
  expect(finding).toMatchObject({
    about: 'substitute-standing',
    severity: 'caution',
    channelCount: 1,
    by: 'Ida',
    days: 2,
  });
  const [fix] = fixesFor(plan, finding!);
  expect(text(apply(plan, ...fix!.commands))).toBe(text(demo));
});

test('a device that goes takes its channels out of a substitution', () => {
  const plan = apply(begun('dress-run'), { kind: 'remove-device', deviceId: 'archive-recorder' });
  expect(at(plan, 'dress-run').lanes).toEqual([]);
});

test('law: substitutions of the same strip, begun and ended in whatever order, leave what fed it before the first', () => {
  const strip = { deviceId: 'loft-console', terminalId: 'strips', channel: 25 };
  const bare = apply(demo, {
    kind: 'put-patch',
    patch: { ...strip, from: { terminalId: 'mic-in', channel: 1 }, tap: null },
  });
  const madi = (n: number): Substitution => ({
    ...{ id: `madi-${n}`, name: `MADI ${n}`, why: '', by: null, since: null, isKept: true },
    strips: [{ ...strip, fromTerminalId: 'madi-in', fromChannel: n, was: null }],
    lanes: [
      {
        ...{ receiverDeviceId: 'dome-amp-1', receiverChannel: 1, senderDeviceId: 'loft-console', senderChannel: n },
        ...{ wasSenderDeviceId: null, wasSenderChannel: null },
      },
    ],
  });
  const kept = [6, 7, 8].reduce((p, n) => apply(p, { kind: 'put-substitution', substitution: madi(n) }), bare);
  const orders = [
    [6, 7, 8],
    [6, 8, 7],
    [7, 6, 8],
    [7, 8, 6],
    [8, 6, 7],
    [8, 7, 6],
  ];
  for (const begin of orders) {
    for (const end of orders) {
      let plan = begin.reduce(
        (p, n, at) => apply(p, ...beginSubstitution(p, p.substitutions.get(`madi-${n}`)!, 'Ida', at + 1).commands),
        kept,
      );
      const open = [...begin];
      for (const n of end) {
        plan = apply(plan, ...endSubstitution(plan, at(plan, `madi-${n}`)).commands);
        open.splice(open.indexOf(n), 1);
        // What was begun last of those that go on feeds the strip.
        const fed = plan.patches.get('loft-console')?.get('strips/25')?.from;
        expect(fed).toEqual(
          open.length === 0 ? { terminalId: 'mic-in', channel: 1 } : { terminalId: 'madi-in', channel: open.at(-1) },
        );
      }
      expect(text(plan)).toBe(text(kept));
    }
  }
});
