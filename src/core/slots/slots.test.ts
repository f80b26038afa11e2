import fc from 'fast-check';
import { fixesFor } from '../findings/rules';
import { slotFindings } from '../findings/slots';
import { CATALOGUE } from '../models/catalogue';
import type { Model } from '../models/models-table';
import { applyChanges } from '../plan/changes';
import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import { emptyPlan, type Plan } from '../plan/plan';
import { BUS_SHAPES, type SlotBus } from './slot-buses-table';
import type { SlotUnit } from './slot-units-table';
import { apply, deviceOf } from '../plan/test-plan';
import { provenFixes } from '../reckon/proven-fixes';
import { reckon } from '../reckon/reckon';
import { blockCount, isSettable, selectorPositions, slotsOfBlock, type SlotAbility } from './slot-ability';
import { busState, freeBlocks, newUnit, reordered, unitsOf, withBlocksChosen } from './slot-bus';
import { expectSame } from '../plan/test-same';

const rotary = { kind: 'rotary', count: 2, positions: 10, firstBlockAt: 1, offAt: 0 } as const;
const ABILITY: SlotAbility = {
  slotCount: 96,
  blockSize: 4,
  highestHeard: 64,
  talkBlocks: 1,
  hearBlocks: 1,
  selector: rotary,
};

describe('the selectors of a unit', () => {
  test('two rotary selectors of ten show the block from 01 to 24, and 00 takes it off', () => {
    expect(blockCount(ABILITY)).toBe(24);
    expect(selectorPositions(ABILITY, 6)).toEqual([0, 6]);
    expect(selectorPositions(ABILITY, 24)).toEqual([2, 4]);
    expect(selectorPositions(ABILITY, null)).toEqual([0, 0]);
    expect(selectorPositions(ABILITY, 25)).toBeNull();
    expect(slotsOfBlock(ABILITY, 6)).toEqual({ first: 21, last: 24 });
  });

  test('a row of toggles counts in twos from block 1 at zero', () => {
    const toggles = {
      ...ABILITY,
      selector: { kind: 'toggles', count: 5, positions: 2, firstBlockAt: 0, offAt: 31 },
    } as const;
    expect(selectorPositions(toggles, 1)).toEqual([0, 0, 0, 0, 0]);
    expect(selectorPositions(toggles, 20)).toEqual([1, 0, 0, 1, 1]);
    expect(selectorPositions(toggles, null)).toEqual([1, 1, 1, 1, 1]);
  });

  test('one selector of sixteen positions reaches no more than sixteen blocks of the 24', () => {
    const one = { ...ABILITY, selector: { ...rotary, count: 1, positions: 16, firstBlockAt: 0, offAt: null } };
    expect(blockCount(one)).toBe(16);
    expect(selectorPositions(one, 16)).toEqual([15]);
    expect(isSettable(one, 17)).toBe(false);
    expect(isSettable(one, null)).toBe(false);
  });

  test('law: no two settings look the same on the case', () => {
    const ability = fc.record({
      slotCount: fc.integer({ min: 1, max: 128 }),
      blockSize: fc.integer({ min: 1, max: 16 }),
      count: fc.integer({ min: 1, max: 4 }),
      positions: fc.integer({ min: 2, max: 16 }),
      firstBlockAt: fc.integer({ min: 0, max: 3 }),
      offAt: fc.option(fc.integer({ min: 0, max: 20 })),
    });
    fc.assert(
      fc.property(ability, ({ slotCount, blockSize, ...selector }) => {
        const a: SlotAbility = { ...ABILITY, slotCount, blockSize, selector: { kind: 'rotary', ...selector } };
        const seen = new Set<string>();
        for (const block of [null, ...Array.from({ length: blockCount(a) }, (_, n) => n + 1)]) {
          const positions = selectorPositions(a, block);
          if (positions === null) continue;
          expect(positions).toHaveLength(selector.count);
          expect(positions.every((p) => p >= 0 && p < selector.positions)).toBe(true);
          expect(seen.has(positions.join())).toBe(false);
          seen.add(positions.join());
        }
      }),
    );
  });
});

const MODELS: readonly Model[] = [
  ...CATALOGUE.filter((m) => m.slots !== null),
  {
    ...(CATALOGUE.find((m) => m.id === 'slot-unit-4') as Model),
    id: 'wide-unit',
    name: 'Wide unit',
    slots: {
      ...ABILITY,
      slotCount: 64,
      blockSize: 8,
      highestHeard: 48,
      selector: { kind: 'menu', count: 1, positions: 100, firstBlockAt: 1, offAt: null },
    },
  },
];

const done = (plan: Plan, commands: readonly Command[]) => apply(plan, ...commands);
const modelCalled = (id: string) => MODELS.find((m) => m.id === id) as Model;

interface Row {
  readonly model: string;
  readonly talks: readonly (number | null)[];
  readonly hears: readonly (number | null)[];
}

function planOf(shape: SlotBus['shape'], rows: readonly Row[]): Plan {
  return done(emptyPlan('Slots'), [
    ...MODELS.map((model): Command => ({ kind: 'put-model', model })),
    { kind: 'put-slot-bus', bus: { id: 'bus', name: 'Bus', shape } },
    ...rows.flatMap(({ model, talks, hears }, n): Command[] => [
      { kind: 'add-device', device: deviceOf(`unit-${n + 1}`, modelCalled(model)) },
      { kind: 'put-slot-unit', unit: { id: `unit-${n + 1}`, busId: 'bus', order: n + 1, talks, hears } },
    ]),
  ]);
}
const four = (talks: number | null, hears: number | null): Row => ({
  model: 'slot-unit-4',
  talks: [talks],
  hears: [hears],
});

const anyRow: fc.Arbitrary<Row> = fc.constantFrom(...MODELS).chain((model) => {
  const slots = model.slots as SlotAbility;
  const settings = [null, ...Array.from({ length: blockCount(slots) }, (_, n) => n + 1)].filter((b) =>
    isSettable(slots, b),
  );
  const block = fc.constantFrom(...settings);
  return fc.record({
    model: fc.constant(model.id),
    talks: fc.array(block, { minLength: slots.talkBlocks, maxLength: slots.talkBlocks }),
    hears: fc.array(block, { minLength: slots.hearBlocks, maxLength: slots.hearBlocks }),
  });
});
const anyPlan = fc
  .tuple(fc.constantFrom(...BUS_SHAPES), fc.array(anyRow, { minLength: 1, maxLength: 7 }))
  .map(([shape, rows]) => planOf(shape, rows));
const stateOf = (plan: Plan) => busState(plan, plan.slotBuses.get('bus') as SlotBus);

describe('who talks and who hears', () => {
  test('any number may listen to one block; every channel comes out of its own slot', () => {
    const state = stateOf(planOf('ring', [four(2, null), four(null, 2), four(null, 2)]));
    expect(state.listened.map((h) => [h.deviceId, h.channel, h.slot, h.talkers[0]?.channel, h.why])).toEqual([
      ...[1, 2, 3, 4].map((n) => ['unit-2', n, 4 + n, n, null]),
      ...[1, 2, 3, 4].map((n) => ['unit-3', n, 4 + n, n, null]),
    ]);
    expect([state.slotCount, state.freeSlots]).toEqual([96, 92]);
    expect(slotFindings(planOf('ring', [four(2, null), four(null, 2)]))).toEqual([]);
  });

  test('blocks of four and of eight meet slot by slot', () => {
    const wide: Row = { model: 'wide-unit', talks: [1], hears: [2] };
    const plan = planOf('chain', [wide, four(2, 1), four(3, null)]);
    expect(slotFindings(plan)).toMatchObject([
      { about: 'slot-unheard', deviceIds: ['unit-1'], slots: [13, 14, 15, 16], why: 'nobody' },
      { about: 'slot-two-talkers', slots: [5, 6, 7, 8], deviceIds: ['unit-1', 'unit-2'] },
    ]);
  });

  test('the model says how high a unit hears, and the unit with the fewest slots where the bus ends', () => {
    const wide: Row = { model: 'wide-unit', talks: [1], hears: [7] };
    const about = slotFindings(planOf('ring', [wide, four(14, null), four(20, 20)]));
    expect(about).toMatchObject([
      { about: 'slot-unheard', why: 'above-highest', slots: [49, 50, 51, 52, 53, 54, 55, 56], limit: 48 },
      { about: 'slot-beyond-bus', deviceIds: ['unit-3'], slot: 77, slotCount: 64 },
      { about: 'slot-unheard', deviceIds: ['unit-3'], why: 'beyond-bus', limit: 64 },
    ]);
  });

  test('on a one-way chain a unit hears only those before it; a move puts it right', () => {
    const plan = planOf('one-way-chain', [four(null, 1), four(1, null)]);
    const [finding] = slotFindings(plan);
    expect(finding).toMatchObject({ why: 'upstream', deviceIds: ['unit-1'] });
    const [move] = fixesFor(plan, finding as never);
    expect(move).toMatchObject({ does: 'move-along', behindId: 'unit-2' });
    expect(slotFindings(done(plan, move?.commands ?? []))).toEqual([]);
    expect(slotFindings(planOf('chain', [four(null, 1), four(1, null)]))).toEqual([]);
  });

  test('units of one bus run at one rate', () => {
    const plan = planOf('ring', [four(1, null), four(null, 1)]);
    const models = MODELS.map((m): Command => ({ kind: 'put-model', model: { ...m, ratesHz: [48_000, 44_100] } }));
    const apart = done(plan, [...models, { kind: 'change-device', deviceId: 'unit-2', change: { rateHz: 44_100 } }]);
    const [finding] = slotFindings(apart);
    expect(finding).toMatchObject({ about: 'slot-rates-differ', ratesHz: [44_100, 48_000] });
    const fixes = fixesFor(apart, finding as never);
    expect(fixes).toHaveLength(2);
    for (const fix of fixes) expect(slotFindings(done(apart, fix.commands))).toEqual([]);
  });

  test('law: equal to a walk over every slot and every unit', () => {
    fc.assert(
      fc.property(anyPlan, (plan) => {
        const state = stateOf(plan);
        const units = unitsOf(plan, 'bus');
        const covers = (u: (typeof units)[number], blocks: readonly (number | null)[], slot: number) =>
          blocks.filter((b) => b !== null && Math.ceil(slot / u.ability.blockSize) === b).length;
        // All slots of a plan are compared at once: an expectation of each would take longer than the walk.
        const found: unknown[] = [];
        const walked: unknown[] = [];
        let free = 0;
        for (let slot = 1; slot <= 192; slot += 1) {
          const talking = units.flatMap((u) => new Array<string>(covers(u, u.unit.talks, slot)).fill(u.device.id));
          const use = state.slots[slot - 1];
          found.push(use?.talkers.map((t) => t.deviceId) ?? []);
          walked.push(talking);
          if (slot <= state.slotCount && talking.length === 0) free += 1;
          units.forEach((u, n) => {
            const listened = state.listened.filter((h) => h.deviceId === u.device.id && h.slot === slot);
            const before = units.slice(0, n);
            const reachable =
              state.bus.shape === 'one-way-chain'
                ? before.flatMap((t) => new Array<string>(covers(t, t.unit.talks, slot)).fill(t.device.id))
                : talking;
            const isReceived = slot <= state.slotCount && slot <= u.ability.highestHeard && reachable.length === 1;
            found.push(listened.map((h) => h.why === null));
            walked.push(new Array<boolean>(covers(u, u.unit.hears, slot)).fill(isReceived));
          });
        }
        expectSame(found, walked);
        expect(state.freeSlots).toBe(free);
      }),
    );
  });

  test('law: a free block meets nobody', () => {
    fc.assert(
      fc.property(anyPlan, (plan) => {
        const before = slotFindings(plan).filter((f) => f.about === 'slot-two-talkers').length;
        for (const { unit, ability } of unitsOf(plan, 'bus')) {
          const block = freeBlocks(stateOf(plan), ability)[0];
          if (ability.talkBlocks === 0 || block === undefined) continue;
          const talks = unit.talks.map((b, n) => (n === 0 ? block : b));
          const after = done(plan, [{ kind: 'put-slot-unit', unit: { ...unit, talks } }]);
          expect(slotFindings(after).filter((f) => f.about === 'slot-two-talkers').length).toBeLessThanOrEqual(before);
        }
      }),
    );
  });

  test('blocks are chosen for those who talk nowhere yet, and nobody who talks is moved', () => {
    const off: Row = { model: 'slot-unit-in-8', talks: [null, null], hears: [] };
    const plan = planOf('ring', [four(1, 1), off, four(null, 2), four(3, null)]);
    const chosen = withBlocksChosen(plan, plan.slotBuses.get('bus') as SlotBus);
    expect(chosen.map((u) => [u.id, u.talks])).toEqual([
      ['unit-2', [2, 4]],
      ['unit-3', [5]],
    ]);
    const after = done(
      plan,
      chosen.map((unit) => ({ kind: 'put-slot-unit', unit })),
    );
    expect(slotFindings(after)).toEqual([]);
  });

  test('law: every way out takes its finding away', () => {
    fc.assert(
      fc.property(anyPlan, (plan) => {
        const reckoning = reckon(plan);
        for (const finding of slotFindings(plan)) {
          for (const fix of provenFixes(reckoning, finding)) {
            const after = slotFindings(done(plan, fix.commands));
            expect(after.map((f) => f.id)).not.toContain(finding.id);
          }
        }
      }),
    );
  });

  test('law: units in another order are the same units', () => {
    fc.assert(
      fc.property(anyPlan, fc.nat(6), fc.nat(6), (plan, from, to) => {
        const units = unitsOf(plan, 'bus');
        const moved = units[from % units.length]?.device.id as string;
        const changed = reordered(units, moved, to);
        const after = unitsOf(
          done(
            plan,
            changed.map((unit) => ({ kind: 'put-slot-unit', unit })),
          ),
          'bus',
        ).map((u) => u.device.id);
        expect(after.indexOf(moved)).toBe(Math.min(to, units.length - 1));
        expect(after.filter((id) => id !== moved)).toEqual(units.map((u) => u.device.id).filter((id) => id !== moved));
      }),
    );
  });
});

describe('as commands', () => {
  const plan = planOf('ring', [four(1, null), four(null, 1)]);
  const refusal = (unit: Partial<SlotUnit>) => {
    const result = applyCommands(plan, [
      { kind: 'put-slot-unit', unit: { ...(plan.slotUnits.get('unit-1') as SlotUnit), ...unit } },
    ]);
    return result.ok ? null : result.problem;
  };

  test('a block that cannot be set, a choice too many, an unknown bus: refused with the place and the range', () => {
    expect(refusal({ talks: [25] })).toEqual({
      reason: 'out-of-range',
      field: 'commands[0].unit.talks[0]',
      value: '25',
      limit: '1 to 24, or off',
    });
    expect(refusal({ hears: [1, 2] })).toMatchObject({ field: 'commands[0].unit.hears', limit: '1 choices' });
    expect(refusal({ busId: 'none' })).toMatchObject({ reason: 'unknown', field: 'commands[0].unit.busId' });
  });

  test('a bus goes with its places, a device with its own, and both come back by undo', () => {
    for (const commands of [
      [{ kind: 'remove-slot-bus', busId: 'bus' }],
      [{ kind: 'remove-device', deviceId: 'unit-1' }],
      [{ kind: 'change-device', deviceId: 'unit-1', change: { modelId: 'wide-unit' } }],
    ] as const satisfies readonly Command[][]) {
      const result = applyCommands(plan, commands);
      if (!result.ok) throw new Error(JSON.stringify(result.problem));
      expect(result.plan.slotUnits.has('unit-1')).toBe(false);
      expect(applyChanges(result.plan, result.inverse)).toEqual(plan);
    }
  });

  test('channels that go into and come out of slots have labels', () => {
    const label = (channel: number): Command => ({
      kind: 'label-channels',
      deviceId: 'unit-1',
      side: 'send',
      labels: [{ channel, label: 'Bell' }],
    });
    expect(applyCommands(plan, [label(4)]).ok).toBe(true);
    expect(applyCommands(plan, [label(5)])).toMatchObject({ ok: false, problem: { limit: '1 to 4' } });
  });

  test('a new unit stands at the end and is off the bus', () => {
    const device: Command = { kind: 'add-device', device: deviceOf('late', modelCalled('slot-unit-in-8')) };
    expect(newUnit(done(plan, [device]), 'late', 'bus')).toMatchObject({ order: 3, talks: [null, null], hears: [] });
  });

  test('the reckoning tells what is wrong at once, and only then', () => {
    const before = reckon(plan);
    expect(before.findings).toEqual([]);
    const after = reckon(
      done(plan, [
        { kind: 'put-slot-unit', unit: { id: 'unit-2', busId: 'bus', order: 2, talks: [1], hears: [null] } },
      ]),
      before,
    );
    expect(after.findings).toMatchObject([{ about: 'slot-two-talkers', severity: 'refusal' }]);
  });
});
