import fc from 'fast-check';
import { generatePlan } from '../../demo/generate';
import { planOfFile } from '../formats/plan-file';
import type { PoeClass } from '../models/models-table';
import { portNamed } from '../models/ports';
import { modelOf, type Plan } from '../plan/plan';
import { apply, cable, modelNamed, planOf } from '../plan/test-plan';
import { carriesPower } from './cable';
import { feeds, POE_WATTS, powerOf } from './power';

const powered = modelNamed('edge-switch-16p');
const givesOfSwitch = powered.ports.find((p) => p.givesPoeClass != null)?.givesPoeClass as PoeClass;
/** An endpoint whose media port asks for so much. */
const taker = (takesPoeClass: PoeClass | null) => {
  const model = modelNamed('endpoint-2');
  const ports = model.ports.map((p) => (p.role === 'A' ? { ...p, takesPoeClass } : p));
  return { ...model, id: `taker-${takesPoeClass}`, ports };
};
const socketOf = (model: ReturnType<typeof taker>) => model.ports.find((p) => p.role === 'A')?.name as string;
const switchSockets = powered.ports.filter((p) => p.givesPoeClass != null).map((p) => p.name);

describe('what a switch feeds', () => {
  test('IEEE 802.3, table 33-1 and 145-1: watts at the switch, of which the cable takes some', () => {
    expect(Object.values(POE_WATTS).map((w) => w.supplied)).toEqual([15.4, 4, 7, 15.4, 30, 45, 60, 75, 90]);
    for (const { supplied, drawn } of Object.values(POE_WATTS)) expect(drawn).toBeLessThan(supplied);
  });

  test('class 0 asks for as much as class 3, and a port without power feeds nobody', () => {
    expect(feeds(3, 0)).toBe(true);
    expect(feeds(2, 0)).toBe(false);
    expect(feeds(0, 3)).toBe(true);
    for (const takes of [0, 1, 2, 3, 4, 5, 6, 7, 8] as const) {
      expect(feeds(null, takes)).toBe(false);
      expect(feeds(8, takes)).toBe(true);
    }
  });

  test('is what is plugged into it and asks for power, the hungriest first', () => {
    const [small, large, none] = [taker(1), taker(givesOfSwitch), taker(null)];
    const plan = apply(
      planOf({ small, large, none, edge: powered }),
      cable('l1', 'small', socketOf(small), 'edge', switchSockets[0] as string),
      // Whichever end was drawn first.
      cable('l2', 'edge', switchSockets[1] as string, 'large', socketOf(large)),
      cable('l3', 'none', socketOf(none), 'edge', switchSockets[2] as string),
    );
    const power = powerOf(plan).get('edge');
    expect(power?.ports.map((p) => [p.deviceId, p.port, p.takesClass])).toEqual([
      ['large', switchSockets[1], givesOfSwitch],
      ['small', switchSockets[0], 1],
    ]);
    expect(power?.reservedW).toBe(POE_WATTS[givesOfSwitch].supplied + POE_WATTS[1].supplied);
    expect(power?.budgetW).toBe(powered.switching?.poeBudgetW);
  });

  test('what it cannot feed is listed with nothing set aside: over fibre, or asking for too much', () => {
    const hungry = taker(8);
    const far = taker(1);
    const plan = apply(
      planOf({ hungry, far, edge: powered }),
      cable('l1', 'hungry', socketOf(hungry), 'edge', switchSockets[0] as string),
      cable('l2', 'far', socketOf(far), 'edge', switchSockets[1] as string, { cable: 'single-mode' }),
    );
    const power = powerOf(plan).get('edge');
    expect(power?.ports.map((p) => [p.deviceId, p.givesClass, p.reservedW])).toEqual([
      ['hungry', givesOfSwitch, 0],
      ['far', null, 0],
    ]);
    expect(power?.reservedW).toBe(0);
  });
});

/** Read cable by cable, end by end. */
function watts(plan: Plan, switchId: string): number {
  let sum = 0;
  for (const { from, to, cable: kind } of plan.links.values()) {
    for (const [own, other] of [[from, to] as const, [to, from] as const]) {
      if (own.deviceId !== switchId) continue;
      const classOf = (end: typeof from, what: 'givesPoeClass' | 'takesPoeClass') => {
        const model = modelOf(plan, end.deviceId);
        return (model && portNamed(model, end.port)?.[what]) ?? null;
      };
      const takes = classOf(other, 'takesPoeClass');
      if (takes !== null && feeds(carriesPower(kind) ? classOf(own, 'givesPoeClass') : null, takes))
        sum += POE_WATTS[takes].supplied;
    }
  }
  return sum;
}

test('law: the watts of a switch are those of its cables one by one, in whatever order they were drawn', () => {
  let fed = 0;
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 40 }), fc.integer({ min: 1, max: 7 }), (seed, step) => {
      const plan = planOfFile(generatePlan({ devices: 60, seed }));
      const links = [...plan.links];
      const turned = new Map(links.map((_, n) => links[(n * step + 3) % links.length] as (typeof links)[number]));
      for (const link of links) turned.set(...link);
      const power = powerOf(plan);
      expect(powerOf({ ...plan, links: turned })).toEqual(power);
      for (const [id, { reservedW, ports }] of power) {
        expect(reservedW).toBeCloseTo(watts(plan, id), 6);
        expect(ports.map((p) => p.reservedW)).toEqual(ports.map((p) => p.reservedW).sort((a, b) => b - a));
        fed += ports.length;
      }
    }),
    { numRuns: 25 },
  );
  expect(fed).toBeGreaterThan(50);
});
