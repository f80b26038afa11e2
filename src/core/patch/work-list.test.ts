import { skerryPoint } from '../../demo/skerry-point';
import { fileOfPlan, planOfFile } from '../formats/plan-file';
import { readPlanFile } from '../formats/read-plan-file';
import { apply } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import { workList } from './work-list';

const demo = planOfFile(skerryPoint());
const never = () => false;
const list = (plan: Plan, deviceId = 'loft-console', isSent: (terminalId: string) => boolean = never) =>
  workList(plan, deviceId, isSent);
const tick = (plan: Plan, deviceId: string, key: string): Plan => {
  const item = list(plan, deviceId).find((i) => i.key === key)!;
  return apply(plan, { kind: 'put-tick', tick: { deviceId, item: key, as: item.as, by: 'Ida', at: 7 } });
};

test('the list has everything that hands have to do at a device, each once', () => {
  for (const id of demo.devices.keys()) {
    const items = list(demo, id);
    expect(new Set(items.map((i) => i.key)).size).toBe(items.length);
    const of = (kind: string) => items.filter((i) => i.kind === kind).length;
    expect(of('plug')).toBe(demo.pluggedIn.get(id)?.size ?? 0);
    expect(of('patch')).toBe(demo.patches.get(id)?.size ?? 0);
    const sends = items.flatMap((i) => (i.kind === 'sends' ? i.sends : []));
    expect(sends).toHaveLength(demo.busSends.get(id)?.size ?? 0);
  }
  const cables = [...demo.devices.keys()].flatMap((id) => list(demo, id)).filter((i) => i.kind === 'cable');
  expect(cables).toHaveLength(demo.audioCables.size);
});

test('what a device is told over the network is not on it; a tap is, as no channel map knows of taps', () => {
  const strips = (plan: Plan) => list(plan, 'loft-console', (t) => t === 'strips').filter((i) => i.kind === 'patch');
  expect(strips(demo).every((i) => i.kind === 'patch' && i.patch.terminalId !== 'strips')).toBe(true);
  const from = { terminalId: 'buses', channel: 3 };
  const patch = { deviceId: 'loft-console', terminalId: 'network-out', channel: 60, from, tap: 'after-fader' as const };
  const tapped = apply(demo, { kind: 'put-patch', patch });
  expect(list(tapped, 'loft-console', () => true).map((i) => i.key)).toContain('patch/network-out/60');
});

test('an entry that is ticked off is open again as soon as the plan wants something else, and done again when it goes back', () => {
  const [plugged] = [...demo.pluggedIn.get('wave-stage-box')!.values()];
  const key = `plug/${plugged!.terminalId}/${plugged!.channel}`;
  const ticked = tick(demo, 'wave-stage-box', key);
  const doneOf = (plan: Plan) => list(plan, 'wave-stage-box').find((i) => i.key === key)!.done;
  expect([doneOf(demo).is, doneOf(ticked)]).toMatchObject(['open', { is: 'done', tick: { by: 'Ida', at: 7 } }]);
  const moved = apply(ticked, { kind: 'put-plugged-in', plugged: { ...plugged!, metres: 31 } });
  expect(doneOf(moved)).toMatchObject({ is: 'changed', tick: { at: 7 } });
  // What nobody does with their hands does not count.
  const heard = apply(ticked, { kind: 'put-plugged-in', plugged: { ...plugged!, levelDbu: -48 } });
  expect(doneOf(heard).is).toBe('done');
  expect(doneOf(apply(moved, { kind: 'put-plugged-in', plugged: plugged! })).is).toBe('done');
  expect(doneOf(apply(ticked, { kind: 'remove-tick', deviceId: 'wave-stage-box', item: key })).is).toBe('open');
});

test('ticks are in the plan file, and files of version 5 have none', () => {
  const [first] = list(demo, 'loft-console');
  const ticked = tick(demo, 'loft-console', first!.key);
  const file = fileOfPlan(ticked);
  expect(file.version).toBe(6);
  expect(planOfFile(file).ticks).toEqual(ticked.ticks);
  const { ticks: _none, ...older } = { ...fileOfPlan(demo), version: 5 };
  const read = readPlanFile(JSON.stringify(older));
  expect(read.ok && read.plan.ticks.size).toBe(0);
});
