import { flag, id, nullable, oneOf, record, text, whole, type Described } from '../plan/shape';
import { table } from '../plan/table';
import { REFERENCE_KINDS } from './clock-ability';

const shape = record({
  id,
  name: text(),
  kind: oneOf(REFERENCE_KINDS),
  /** The device that gives it; null: it comes from outside the plan (an antenna, a house generator). */
  fromDeviceId: nullable(id),
  /** Null for kinds that carry no sample rate (GNSS, black burst). */
  rateHz: nullable(whole(1, 768_000)),
  /** Whether the signal is there. */
  isFed: flag,
  /** How far it is from the giver's own frame, for those that lock to it. */
  offsetNs: whole(-1_000_000_000, 1_000_000_000),
});
/** An outside signal that clocks can lock to. */
export type Reference = Described<typeof shape>;

export const references = table(shape)({
  owner: null,
  key: ['id'],
  since: 2,
  command: { noun: 'reference', as: 'reference', id: 'referenceId' },
  pointsTo: [
    {
      path: 'fromDeviceId',
      to: 'devices',
      whenGone: 'emptied',
      // The signal that it gave is gone with the giver.
      emptied: (r) => ({ ...r, fromDeviceId: null, isFed: false }),
    },
  ],
  merges: 'records',
  nameOf: (r) => r.name,
});
