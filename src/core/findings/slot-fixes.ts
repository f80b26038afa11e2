import type { Command } from '../plan/commands';
import { modelOf, type PlanOf } from '../plan/plan';
import type { SlotUnit } from '../slots/slot-units-table';
import { isSettable } from '../slots/slot-ability';
import { busState, freeBlocks, reordered, type BusState, type UnitOnBus } from '../slots/slot-bus';
import type { SlotSubject } from './finding';
import type { SlotFix } from './slot-fix';
import { tried, type WaysOut } from './rule';

type SlotFinding = SlotSubject & { readonly id: string; readonly deviceIds: readonly string[] };

function waysOut(plan: PlanOf<'models' | 'devices' | 'slotBuses' | 'slotUnits'>, finding: SlotFinding): SlotFix[] {
  const bus = plan.slotBuses.get(finding.busId);
  if (bus === undefined) return [];
  const state = busState(plan, bus);
  const unitOf = (id: string | undefined) => state.units.find((u) => u.device.id === id);
  switch (finding.about) {
    case 'slot-two-talkers':
      // The second is the newcomer: it goes first.
      return [1, 0].flatMap((n) => {
        const talker = unitOf(finding.deviceIds[n]);
        return talker ? elsewhere(state, talker, finding.choices[n] ?? 0, []) : [];
      });
    case 'slot-beyond-bus': {
      const talker = unitOf(finding.deviceIds[0]);
      return talker ? elsewhere(state, talker, finding.choice, receiversOf(state, talker, finding.choice)) : [];
    }
    case 'slot-rates-differ':
      return finding.ratesHz.flatMap((rateHz) => {
        const others = state.units.filter((u) => u.device.rateHz !== rateHz);
        const rate = modelOf(plan, others[0]?.device.id ?? '')?.ratesHz.find((r) => r === rateHz);
        const canAll = others.every((u) => modelOf(plan, u.device.id)?.ratesHz.some((r) => r === rateHz));
        if (rate === undefined || !canAll) return [];
        const commands: Command[] = others.map((u) => ({
          kind: 'change-device',
          deviceId: u.device.id,
          change: { rateHz: rate },
        }));
        return [{ does: 'set-slot-rate' as const, busId: bus.id, rateHz, commands }];
      });
    case 'slot-unheard': {
      const listener = unitOf(finding.deviceIds[0]);
      if (listener === undefined) return [];
      const fixes: SlotFix[] = [];
      const talkers = state.slots[(finding.slots[0] ?? 0) - 1]?.talkers ?? [];
      const talker = unitOf(talkers[0]?.deviceId);
      const choice = talkers[0]?.choice ?? 0;
      if (talker && finding.why === 'upstream') {
        const at = state.units.indexOf(talker);
        const commands = reordered(state.units, listener.device.id, at).map(putUnit);
        const ids = { deviceId: listener.device.id, behindId: talker.device.id };
        fixes.push({ does: 'move-along', ...ids, commands });
      } else if (talker && finding.why !== 'nobody') {
        fixes.push(
          ...elsewhere(state, talker, choice, receiversOf(state, talker, choice), listener.ability.highestHeard),
        );
      }
      if (isSettable(listener.ability, null)) {
        const hears = listener.unit.hears.map((block, n) => (n === finding.choice ? null : block));
        const commands = [putUnit({ ...listener.unit, hears })];
        fixes.push({ does: 'stop-hearing', deviceId: listener.device.id, commands });
      }
      return fixes;
    }
  }
}

const putUnit = (unit: SlotUnit): Command => ({ kind: 'put-slot-unit', unit });

/** Every choice of a listener that is set to exactly what this choice of the talker covers. */
function receiversOf(state: BusState, talker: UnitOnBus, choice: number): { unit: UnitOnBus; choice: number }[] {
  const block = talker.unit.talks[choice];
  if (block == null) return [];
  return state.units
    .filter((u) => u.ability.blockSize === talker.ability.blockSize)
    .flatMap((unit) => unit.unit.hears.flatMap((b, n) => (b === block ? [{ unit, choice: n }] : [])));
}

/** The talker on the lowest free block up to a slot, its listeners with it; or off the bus. */
function elsewhere(
  state: BusState,
  talker: UnitOnBus,
  choice: number,
  followers: readonly { unit: UnitOnBus; choice: number }[],
  upTo = Infinity,
): SlotFix[] {
  const fixes: SlotFix[] = [];
  const deviceId = talker.device.id;
  const talks = (block: number | null) => talker.unit.talks.map((b, n) => (n === choice ? block : b));
  const block = freeBlocks(state, talker.ability).find((b) => b * talker.ability.blockSize <= upTo);
  if (block !== undefined) {
    const changed = new Map<string, SlotUnit>([[deviceId, { ...talker.unit, talks: talks(block) }]]);
    for (const f of followers) {
      if (!isSettable(f.unit.ability, block)) continue;
      const unit = changed.get(f.unit.device.id) ?? f.unit.unit;
      changed.set(unit.id, { ...unit, hears: unit.hears.map((b, n) => (n === f.choice ? block : b)) });
    }
    const commands = [...changed.values()].map(putUnit);
    fixes.push({ does: 'talk-on-block', deviceId, block, followers: followers.length, commands });
  }
  if (isSettable(talker.ability, null)) {
    fixes.push({ does: 'stop-talking', deviceId, commands: [putUnit({ ...talker.unit, talks: talks(null) })] });
  }
  return fixes;
}

/** They are tried: whether a block is free for all who hear it shows only then. */
export const SLOT_WAYS: WaysOut<SlotSubject['about']> = {
  'slot-two-talkers': tried((plan, finding) => waysOut(plan, finding)),
  'slot-unheard': tried((plan, finding) => waysOut(plan, finding)),
  'slot-beyond-bus': tried((plan, finding) => waysOut(plan, finding)),
  'slot-rates-differ': tried((plan, finding) => waysOut(plan, finding)),
};
