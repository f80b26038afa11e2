import { id, nullable, oneOf, record, text, type Described } from '../plan/shape';
import { table } from '../plan/table';
import { RATES_HZ } from '../streams/format';

const authority = record({ kind: oneOf(['device', 'reference']), id });

const shape = record({ id, name: text(), rateHz: oneOf(RATES_HZ), authority: nullable(authority) });
/** Devices that are meant to share one media clock, and who decides its rate. */
export type ClockGroup = Described<typeof shape>;

const without = (r: ClockGroup): ClockGroup => ({ ...r, authority: null });

export const clockGroups = table(shape)({
  owner: null,
  key: ['id'],
  since: 2,
  command: { noun: 'clock-group', as: 'group', id: 'groupId' },
  pointsTo: [
    {
      path: 'authority.id',
      to: 'devices',
      whenGone: 'emptied',
      appliesTo: (r) => r.authority?.kind === 'device',
      emptied: without,
    },
    {
      path: 'authority.id',
      to: 'references',
      whenGone: 'emptied',
      appliesTo: (r) => r.authority?.kind === 'reference',
      emptied: without,
    },
  ],
  merges: 'records',
  nameOf: (r) => r.name,
});
