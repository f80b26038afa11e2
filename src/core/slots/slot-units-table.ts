import type { Model } from '../models/models-table';
import type { Device } from '../plan/devices-table';
import { id, list, nullable, record, whole, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { blockCount, isSettable } from './slot-ability';

const block = nullable(whole(1, 4096));
const shape = record({
  /** The device's id. */
  id,
  busId: id,
  /** Its place along the cable: lower comes first. */
  order: whole(1, 100_000),
  /** As many as its model can talk on and hear; null: off. Blocks count from 1, in the unit's own block size. */
  talks: list(block, 64),
  hears: list(block, 64),
});
/** A device on a slot bus, and the blocks that its selectors are set to. */
export type SlotUnit = Described<typeof shape>;

interface SlotAbilities {
  readonly devices: ReadonlyMap<string, Pick<Device, 'modelId'>>;
  readonly models: ReadonlyMap<string, Pick<Model, 'slots'>>;
}

/** Its model has to be able to talk and hear so. */
function abilityProblem(unit: SlotUnit, { devices, models }: SlotAbilities): FieldProblem | null {
  const ability = models.get(devices.get(unit.id)?.modelId ?? '')?.slots ?? null;
  if (ability === null) return { reason: 'unknown', path: 'id', value: unit.id };
  for (const [field, count] of [
    ['talks', ability.talkBlocks],
    ['hears', ability.hearBlocks],
  ] as const) {
    const blocks = unit[field];
    if (blocks.length !== count) {
      return { reason: 'out-of-range', path: field, value: String(blocks.length), limit: `${count} choices` };
    }
    const wrong = blocks.findIndex((b) => !isSettable(ability, b));
    if (wrong < 0) continue;
    const value = String(blocks[wrong] ?? 'off');
    const limit = `1 to ${blockCount(ability)}${isSettable(ability, null) ? ', or off' : ''}`;
    return { reason: 'out-of-range', path: `${field}[${wrong}]`, value, limit };
  }
  return null;
}

export const slotUnits = table(shape)({
  owner: null,
  key: ['id'],
  since: 2,
  command: { noun: 'slot-unit', as: 'unit', id: 'deviceId' },
  pointsTo: [
    { path: 'id', to: 'devices', whenGone: 'taken-along' },
    { path: 'busId', to: 'slotBuses', whenGone: 'taken-along' },
  ],
  merges: 'records',
  // A device that becomes another model, or whose model changes, keeps its blocks only where they can still be set.
  fits: { reads: { devices: ['modelId'], models: ['slots'] }, problem: abilityProblem, whenUnfit: 'taken-along' },
  nameOf: (r, deviceName) => deviceName(r.id),
});
