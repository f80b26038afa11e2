import type { Model } from '../models/models-table';
import type { Device } from '../plan/devices-table';
import { flag, id, list, record, whole, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';

const shape = record({
  /** The device's id. */
  id,
  snooping: flag,
  trustsDscp: flag,
  /** Queues count from 0, the highest is served first. What is not listed goes to queue 0. */
  queueByDscp: list(record({ dscp: whole(0, 63), queue: whole(0, 15) }), 64),
  /** Energy-Efficient Ethernet (IEEE 802.3az), whose sleeping and waking spoils time stamps. */
  energySaving: flag,
  spanningTree: flag,
  /** IEEE 802.1D: the lowest becomes root, then the lowest id. */
  bridgePriority: whole(0, 61_440),
  multicastRouting: flag,
});
/** How a switch is set. A switch without such a record is planned as `usualSwitchSettings` of its model says. */
export type SwitchSettings = Described<typeof shape>;

function switchProblem(
  { id: deviceId }: SwitchSettings,
  { devices, models }: { readonly devices: ReadonlyMap<string, Device>; readonly models: ReadonlyMap<string, Model> },
): FieldProblem | null {
  const model = models.get(devices.get(deviceId)?.modelId ?? '');
  return model?.switching ? null : { reason: 'unknown', path: 'id', value: deviceId };
}

export const switches = table(shape)({
  owner: null,
  key: ['id'],
  since: 2,
  command: { noun: 'switch', as: 'settings', id: 'deviceId' },
  pointsTo: [{ path: 'id', to: 'devices', whenGone: 'taken-along' }],
  copies: 'with-plan',
  putProblem: switchProblem,
  nameOf: (r, deviceName) => deviceName(r.id),
});
