import { id, oneOf, record, text, type Described } from '../plan/shape';
import { table } from '../plan/table';

export const BUS_SHAPES = ['ring', 'chain', 'one-way-chain'] as const;
export type BusShape = (typeof BUS_SHAPES)[number];

const shape = record({ id, name: text(), shape: oneOf(BUS_SHAPES) });
/** Units in a row that share numbered slots. On a one-way chain a unit hears only those before it. */
export type SlotBus = Described<typeof shape>;

export const slotBuses = table(shape)({
  owner: null,
  key: ['id'],
  since: 2,
  command: { noun: 'slot-bus', as: 'bus', id: 'busId' },
  pointsTo: [],
  merges: 'records',
  nameOf: (r) => r.name,
});
