import { defaulted, id, nullable, record, text, whole, type Described } from '../plan/shape';
import { table } from '../plan/table';

const shape = record({
  deviceId: id,
  /** Which entry of the work list: `patch/strips/12`, `cable/multicore` (see `work-list.ts`). */
  item: text(300, 1),
  /** What was to be done when it was ticked off, in its shortest form: an entry that says something else by now is open again. */
  as: text(4000),
  /** Who ticked it off, and when (milliseconds since 1970). */
  by: defaulted(nullable(text(120)), null),
  at: whole(0),
});
/** Something done by hand at a device, ticked off. */
export type Tick = Described<typeof shape>;

/** By device and entry. */
export const ticks = table(shape)({
  owner: 'deviceId',
  key: ['item'],
  since: 6,
  command: { noun: 'tick', as: 'tick' },
  pointsTo: [{ path: 'deviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'records',
  nameOf: (r, deviceName) => `${deviceName(r.deviceId)}, ${r.item}`,
});
