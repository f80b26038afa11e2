import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { arbitraryPlan } from '../plan/test-arbitrary';
import { apply } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import { reckon } from '../reckon/reckon';
import type { Reckoning } from '../reckon/reckoning';
import { feedersOf, nodeOf, type SignalGraph } from '../signal/graph';

type DeadEnd = readonly [about: string, deviceId: string, terminalId: string, channel: number];

const told = ({ findings }: Reckoning): DeadEnd[] =>
  findings.flatMap((f) =>
    f.about === 'fed-by-nothing' || f.about === 'heard-by-nobody'
      ? f.channels.map((channel): DeadEnd => [f.about, f.deviceIds[0] as string, f.terminalId, channel])
      : [],
  );

/** Read channel by channel. */
function deadEnds(plan: Plan, { signal, signalFlow }: Reckoning): DeadEnd[] {
  const found: DeadEnd[] = [];
  for (const [deviceId, part] of signal.parts) {
    const isConverter =
      plan.pluggedIn.size > 0 &&
      part.terminals.some((t) => t.kind === 'link' && t.direction === 'in') &&
      !part.terminals.some((t) => t.direction === 'inside');
    const flow = signalFlow.byDevice.get(deviceId);
    for (const [n, t] of part.terminals.entries()) {
      for (let channel = 1; channel <= t.channels; channel += 1) {
        const node = (part.firstNode[n] as number) + channel - 1;
        const isReceived = flow?.isReceived[node] === 1;
        const isFed = flow?.isFed[node] === 1;
        const isPlugged = [...(plan.pluggedIn.get(deviceId)?.values() ?? [])].some(
          (p) => p.terminalId === t.id && p.channel === channel,
        );
        if (t.direction === 'out' && t.kind !== 'computer' && (part.isPlanned || isConverter) && isReceived && !isFed)
          found.push(['fed-by-nothing', deviceId, t.id, channel]);
        const isStranded = t.kind === 'strip' && isFed && (part.isPlanned || plan.pluggedIn.size > 0);
        if (((t.direction === 'in' && isPlugged) || isStranded) && !isReceived)
          found.push(['heard-by-nobody', deviceId, t.id, channel]);
      }
    }
  }
  return found;
}

/** Everything that a channel leads on to or is fed from, by looking again and again; refused lanes are looked past. */
function reached(signal: SignalGraph, starts: Iterable<number>, way: 'on' | 'back'): Set<number> {
  const found = new Set(starts);
  for (let before = -1; before < found.size;) {
    before = found.size;
    for (let node = 0; node < signal.size; node += 1) {
      const feeders = feedersOf(signal, node);
      if (way === 'on' && feeders.some((f) => found.has(f))) found.add(node);
      if (way === 'back' && found.has(node)) for (const f of feeders) found.add(f);
    }
  }
  return found;
}

/** Without what a refused lane would feed or take. */
function apartFromRefused(all: readonly DeadEnd[], { signal }: Reckoning): DeadEnd[] {
  const behind = {
    'fed-by-nothing': reached(signal, signal.refused.keys(), 'on'),
    'heard-by-nobody': reached(signal, signal.refused.values(), 'back'),
  };
  return all.filter(
    ([about, deviceId, terminalId, channel]) =>
      !behind[about as keyof typeof behind].has(nodeOf(signal, { deviceId, terminalId, channel })),
  );
}

const inOrder = (all: readonly DeadEnd[]) => all.map((d) => d.join('|')).sort();

describe('dead ends', () => {
  test('law: every silent output with a sink behind it, and every source or strip that reaches no sink, is found once', () => {
    let count = 0;
    fc.assert(
      fc.property(arbitraryPlan(5), (plan) => {
        const reckoning = reckon(plan);
        const expected = inOrder(apartFromRefused(deadEnds(plan, reckoning), reckoning));
        expect(inOrder(told(reckoning))).toEqual(expected);
        count += expected.length;
      }),
      { numRuns: 100 },
    );
    expect(count).toBeGreaterThan(20);
  });

  test('in a house without any, taking one patch away leaves what it fed silent, and putting it back mends that', () => {
    const plan = planOfFile(skerryPoint());
    const whole = reckon(plan);
    expect(told(whole)).toEqual([]);
    let silenced = 0;
    for (const own of [...plan.patches.values()].slice(0, 3)) {
      for (const patch of [...own.values()].slice(0, 4)) {
        const cut = apply(plan, { kind: 'put-patch', patch: { ...patch, from: null, tap: null } });
        const without = reckon(cut, whole);
        expect(inOrder(told(without))).toEqual(inOrder(apartFromRefused(deadEnds(cut, without), without)));
        silenced += told(without).length;
        expect(told(reckon(apply(cut, { kind: 'put-patch', patch }), without))).toEqual([]);
      }
    }
    expect(silenced).toBeGreaterThan(0);
  });
});
