import { rule } from './rule';
import type { PlanOf } from '../plan/plan';
import { busState, type BusState, type SlotEnd } from '../slots/slot-bus';
import type { FindingAbout } from './finding';

const FINDS = ['slot-two-talkers', 'slot-unheard', 'slot-beyond-bus', 'slot-rates-differ'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** Slot buses: two talkers on one slot, listeners that cannot hear, units that do not fit together. */
export function slotFindings(plan: PlanOf<'models' | 'devices' | 'slotBuses' | 'slotUnits'>): Found[] {
  return [...plan.slotBuses.values()]
    .map((bus) => busState(plan, bus))
    .flatMap((state) => [...collisions(state), ...unheard(state), ...unlike(state)])
    .sort((a, b) => (a.id < b.id ? -1 : 1));
}

/** One finding for each pair of choices that meet, with every slot on which they do. */
function collisions({ bus, slots }: BusState): Found[] {
  const meetings = new Map<string, { talkers: readonly [SlotEnd, SlotEnd]; slots: number[] }>();
  for (const { slot, talkers } of slots) {
    talkers.forEach((a, n) => {
      for (const b of talkers.slice(n + 1)) {
        const key = `${a.deviceId}|${a.choice}|${b.deviceId}|${b.choice}`;
        const known = meetings.get(key);
        if (known === undefined) meetings.set(key, { talkers: [a, b], slots: [slot] });
        else known.slots.push(slot);
      }
    });
  }
  return [...meetings].map(([key, { talkers, slots: shared }]) => ({
    id: `slots|${bus.id}|${key}`,
    severity: 'refusal',
    deviceIds: talkers.map((t) => t.deviceId),
    about: 'slot-two-talkers',
    busId: bus.id,
    slots: shared,
    choices: talkers.map((t) => t.choice),
  }));
}

function unheard({ bus, listened, units, slotCount }: BusState): Found[] {
  const groups = new Map<string, { deviceId: string; choice: number; why: string; slots: number[] }>();
  for (const { deviceId, choice, why, slot } of listened) {
    // Two talkers are reported where they talk.
    if (why === null || why === 'two-talkers') continue;
    const key = `${deviceId}|${choice}|${why}`;
    const known = groups.get(key);
    if (known === undefined) groups.set(key, { deviceId, choice, why, slots: [slot] });
    else known.slots.push(slot);
  }
  return [...groups].map(([key, { deviceId, choice, why, slots }]) => ({
    id: `slots|${bus.id}|${key}`,
    severity: why === 'nobody' ? 'caution' : 'refusal',
    deviceIds: [deviceId],
    about: 'slot-unheard',
    busId: bus.id,
    choice,
    slots,
    why: why as 'nobody' | 'above-highest' | 'beyond-bus' | 'upstream',
    limit:
      why === 'beyond-bus'
        ? slotCount
        : (units.find((u) => u.device.id === deviceId)?.ability.highestHeard ?? slotCount),
  }));
}

function unlike({ bus, units, slotCount, slots }: BusState): Found[] {
  const findings: Found[] = [];
  const base = { busId: bus.id } as const;
  const ids = units.map((u) => u.device.id);
  const rates = [...new Set(units.map((u) => u.device.rateHz))].sort((a, b) => a - b);
  if (rates.length > 1) {
    const id = `slots|${bus.id}|rates`;
    findings.push({ ...base, id, severity: 'refusal', deviceIds: ids, about: 'slot-rates-differ', ratesHz: rates });
  }
  for (const { slot, talkers } of slots) {
    for (const { deviceId, choice } of slot > slotCount ? talkers : []) {
      const id = `slots|${bus.id}|${deviceId}|${choice}|beyond`;
      if (findings.some((f) => f.id === id)) continue;
      findings.push({
        ...base,
        id,
        severity: 'refusal',
        deviceIds: [deviceId],
        about: 'slot-beyond-bus',
        choice,
        slot,
        slotCount,
      });
    }
  }
  return findings;
}

export const slotRule = rule({
  finds: FINDS,
  reads: ['devices', 'models', 'slotBuses', 'slotUnits'],
  find: (plan) => slotFindings(plan),
});
