import type { Model } from '../models/models-table';
import type { Device } from '../plan/devices-table';
import { address, defaulted, flag, id, list, nullable, oneOf, record, whole, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';

/** One tree for all VLANs (RSTP); several instances, each for the VLANs that run on the same cables (MSTP); one for every VLAN. */
const SPANNING_TREES = ['one', 'several', 'per-vlan'] as const;
export type SpanningTrees = (typeof SPANNING_TREES)[number];

/** How routers pass multicast on: sparse mode with a rendezvous point (RFC 7761), source-specific (RFC 4607), dense mode (RFC 3973). */
const PIM_MODES = ['sparse', 'source-specific', 'dense'] as const;

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
  spanningTrees: defaulted(oneOf(SPANNING_TREES), 'one'),
  /** IGMP as it snoops and asks: 2 knows no sources (RFC 2236), 3 does (RFC 3376). */
  igmpVersion: defaulted(oneOf([2, 3]), 3),
  /** Null: not stated. */
  pimMode: defaulted(nullable(oneOf(PIM_MODES)), null),
  rendezvousPoint: defaulted(nullable(address), null),
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
  merges: 'records',
  putProblem: switchProblem,
  nameOf: (r, deviceName) => deviceName(r.id),
});
