import { isMulticast, parseAddress } from '../network/address';
import { GROUPS } from '../plan/settings-table';
import { address, id, nullable, record, streamNumber, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';

const shape = record({ senderDeviceId: id, streamNumber, groupA: nullable(address), groupB: nullable(address) });
/** Groups chosen by hand for one stream of a sender. A null leg is given one from its pool. */
export type GroupChoice = Described<typeof shape>;

function groupProblem(choice: GroupChoice): FieldProblem | null {
  for (const path of ['groupA', 'groupB'] as const) {
    const value = choice[path];
    const group = value === null ? null : parseAddress(value);
    if (value !== null && (group === null || !isMulticast(group))) {
      return { reason: 'out-of-range', path, value, limit: GROUPS };
    }
  }
  return null;
}

/** By sending device and which of its streams. */
export const groupChoices = table(shape)({
  owner: 'senderDeviceId',
  key: ['streamNumber'],
  since: 2,
  renamed: [{ path: 'slot', to: 'streamNumber', since: 3 }],
  command: { noun: 'group-choice', as: 'choice' },
  pointsTo: [{ path: 'senderDeviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'records',
  putProblem: groupProblem,
  nameOf: (r, deviceName) => `${deviceName(r.senderDeviceId)} S${r.streamNumber}`,
});
