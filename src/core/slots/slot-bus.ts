import { modelOf, type Plan, type PlanOf } from '../plan/plan';
import type { Device } from '../plan/devices-table';
import type { SlotBus } from './slot-buses-table';
import type { SlotUnit } from './slot-units-table';
import { blockCount, isSettable, slotsOfBlock, type SlotAbility } from './slot-ability';

/** One channel of a unit: talking, what goes into the bus; hearing, what comes out of it. Both count from 1. */
export interface SlotEnd {
  readonly deviceId: string;
  readonly channel: number;
  /** Which of the unit's choices it belongs to, from 0. */
  readonly choice: number;
}

/** Why a listener hears nothing, or not one thing. */
export type Unheard = 'nobody' | 'two-talkers' | 'above-highest' | 'beyond-bus' | 'upstream';

interface ListenedSlot extends SlotEnd {
  readonly slot: number;
  /** Who talks on the slot where this unit can hear it. */
  readonly talkers: readonly SlotEnd[];
  readonly why: Unheard | null;
}

export interface SlotUse {
  readonly slot: number;
  readonly talkers: readonly SlotEnd[];
  readonly receivers: readonly SlotEnd[];
}

export interface UnitOnBus {
  readonly device: Device;
  readonly unit: SlotUnit;
  readonly ability: SlotAbility;
}

export interface BusState {
  readonly bus: SlotBus;
  /** In the order of the cable. */
  readonly units: readonly UnitOnBus[];
  /** What the unit with the fewest carries on; 0 without units. */
  readonly slotCount: number;
  /** Slot 1 first; also those beyond `slotCount` that a unit is set to. */
  readonly slots: readonly SlotUse[];
  readonly freeSlots: number;
  readonly listened: readonly ListenedSlot[];
}

/** The units of a bus in the order of the cable. */
export function unitsOf(plan: PlanOf<'models' | 'devices' | 'slotUnits'>, busId: string): UnitOnBus[] {
  const units: UnitOnBus[] = [];
  for (const unit of plan.slotUnits.values()) {
    const device = plan.devices.get(unit.id);
    const ability = modelOf(plan, unit.id)?.slots ?? null;
    if (unit.busId === busId && device && ability) units.push({ device, unit, ability });
  }
  return units.sort((a, b) => a.unit.order - b.unit.order || (a.device.id < b.device.id ? -1 : 1));
}

/** Who talks and who hears on every slot of a bus. Cost: the slots that units are set to. */
export function busState(plan: PlanOf<'models' | 'devices' | 'slotUnits'>, bus: SlotBus): BusState {
  const units = unitsOf(plan, bus.id);
  const slotCount = units.length === 0 ? 0 : Math.min(...units.map((u) => u.ability.slotCount));
  const talkers = new Map<number, SlotEnd[]>();
  const receivers = new Map<number, SlotEnd[]>();
  for (const { device, unit, ability } of units) {
    for (const [table, blocks] of [
      [talkers, unit.talks],
      [receivers, unit.hears],
    ] as const) {
      blocks.forEach((block, choice) => {
        for (const [slot, channel] of channelsOfChoice(ability, block, choice)) {
          const ends = table.get(slot);
          if (ends === undefined) table.set(slot, [{ deviceId: device.id, channel, choice }]);
          else ends.push({ deviceId: device.id, channel, choice });
        }
      });
    }
  }
  const placeOf = new Map(units.map((u, n) => [u.device.id, n]));
  const listened: ListenedSlot[] = [];
  for (const { device, ability } of units) {
    for (const [slot, ends] of receivers) {
      for (const end of ends) {
        if (end.deviceId !== device.id) continue;
        const all = talkers.get(slot) ?? [];
        const isReceived = (t: SlotEnd) =>
          bus.shape !== 'one-way-chain' || (placeOf.get(t.deviceId) as number) < (placeOf.get(device.id) as number);
        const heard = all.filter(isReceived);
        const why = whyUnheard(slot, slotCount, ability, all.length, heard.length);
        listened.push({ ...end, slot, talkers: heard, why });
      }
    }
  }
  listened.sort((a, b) => (placeOf.get(a.deviceId) ?? 0) - (placeOf.get(b.deviceId) ?? 0) || a.channel - b.channel);
  const highest = Math.max(slotCount, ...talkers.keys(), ...receivers.keys());
  const slots = Array.from({ length: highest }, (_, n) => ({
    slot: n + 1,
    talkers: talkers.get(n + 1) ?? [],
    receivers: receivers.get(n + 1) ?? [],
  }));
  const freeSlots = slots.filter((s) => s.slot <= slotCount && s.talkers.length === 0).length;
  return { bus, units, slotCount, slots, freeSlots, listened };
}

function whyUnheard(slot: number, slotCount: number, ability: SlotAbility, talking: number, heard: number) {
  if (slot > slotCount) return 'beyond-bus';
  if (slot > ability.highestHeard) return 'above-highest';
  if (talking === 0) return 'nobody';
  if (heard === 0) return 'upstream';
  return heard > 1 ? 'two-talkers' : null;
}

/** Slot and channel, pair by pair, of one choice of a unit. */
export function channelsOfChoice(ability: SlotAbility, block: number | null, choice: number): [number, number][] {
  if (block === null) return [];
  const { first } = slotsOfBlock(ability, block);
  return Array.from({ length: ability.blockSize }, (_, n) => [first + n, choice * ability.blockSize + n + 1]);
}

/**
 * The blocks that a unit may talk on without meeting anyone, lowest first: settable, on the bus, and talked on by nobody.
 * Those that every listening unit can hear come before the others.
 */
export function freeBlocks(state: BusState, ability: SlotAbility): number[] {
  const reach = Math.min(...state.units.filter((u) => u.ability.hearBlocks > 0).map((u) => u.ability.highestHeard));
  const isFree = (slot: number) => slot <= state.slotCount && state.slots[slot - 1]?.talkers.length === 0;
  const free: number[] = [];
  for (let block = 1; block <= blockCount(ability); block += 1) {
    const { first, last } = slotsOfBlock(ability, block);
    let isBlockFree = isSettable(ability, block);
    for (let slot = first; isBlockFree && slot <= last; slot += 1) isBlockFree = isFree(slot);
    if (isBlockFree) free.push(block);
  }
  const isHeardByAll = (block: number) => slotsOfBlock(ability, block).last <= reach;
  return [...free.filter(isHeardByAll), ...free.filter((b) => !isHeardByAll(b))];
}

/** A unit that is not set to anything yet, at the end of its bus. */
export function newUnit(
  plan: PlanOf<'models' | 'devices' | 'slotUnits'>,
  deviceId: string,
  busId: string,
): SlotUnit | null {
  const ability = modelOf(plan, deviceId)?.slots ?? null;
  if (ability === null) return null;
  const orders = unitsOf(plan, busId).map((u) => u.unit.order);
  const off = isSettable(ability, null) ? null : 1;
  return {
    id: deviceId,
    busId,
    order: Math.max(0, ...orders) + 1,
    talks: new Array<number | null>(ability.talkBlocks).fill(off),
    hears: new Array<number | null>(ability.hearBlocks).fill(off),
  };
}

/** The units in a new order, as records: only those whose place changes. */
export function reordered(units: readonly UnitOnBus[], deviceId: string, to: number): SlotUnit[] {
  const others = units.filter((u) => u.device.id !== deviceId);
  const moved = units.find((u) => u.device.id === deviceId);
  if (moved === undefined) return [];
  others.splice(Math.max(0, Math.min(to, others.length)), 0, moved);
  return others.flatMap(({ unit }, n) => (unit.order === n + 1 ? [] : [{ ...unit, order: n + 1 }]));
}

/** A free block for every choice of the bus that could talk and does not, in the order of the cable; as records. */
export function withBlocksChosen(plan: Plan, bus: SlotBus): SlotUnit[] {
  const changed = new Map<string, SlotUnit>();
  let state = busState(plan, bus);
  for (const { device, unit, ability } of state.units) {
    for (const [choice, block] of unit.talks.entries()) {
      const free = block === null ? freeBlocks(state, ability)[0] : undefined;
      if (free === undefined) continue;
      const before = changed.get(device.id) ?? unit;
      const after = { ...before, talks: before.talks.map((b, n) => (n === choice ? free : b)) };
      changed.set(device.id, after);
      state = busState({ ...plan, slotUnits: new Map([...plan.slotUnits, ...changed]) }, bus);
    }
  }
  return [...changed.values()];
}
