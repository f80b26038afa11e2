import type { Model } from '../models/models-table';
import type { Device } from '../plan/devices-table';
import { flag, id, list, nullable, oneOf, record, text, whole, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { abilityOf } from './ability';
import { CLOCK_PROFILES, octet, RELAY_KINDS } from './clock-ability';
import { parseClockIdentity } from './dataset';

/** What a device's media clock follows: the network's time, outside references in turn, or its own oscillator. */
export const MEDIA_CLOCKS = ['ptp', 'references', 'own'] as const;
export type MediaClockSource = (typeof MEDIA_CLOCKS)[number];

const shape = record({
  /** The device's id. */
  id,
  runsPtp: flag,
  /** Told never to lead (IEEE 1588 clause 9.2.2). */
  clientOnly: flag,
  domainNumber: octet,
  profile: oneOf(CLOCK_PROFILES),
  priority1: octet,
  priority2: octet,
  /** Logarithms to base 2 of seconds, as IEEE 1588 has them. */
  logAnnounceInterval: whole(-8, 8),
  logSyncInterval: whole(-8, 8),
  logDelayRequestInterval: whole(-8, 8),
  /** After so many announce intervals without an announce the sender is taken for lost. */
  announceTimeout: whole(2, 255),
  /** Eight bytes in hexadecimal; null: not known, so that ties that only it decides cannot be foretold. */
  clockIdentity: nullable(text(40)),
  /** Whether it passes time from one subnet into another, and how. */
  relay: oneOf(RELAY_KINDS),
  /** Clocks that a unicast relay asks for time across routers. */
  unicastMasterIds: list(id, 64),
  mediaClock: oneOf(MEDIA_CLOCKS),
  /** References in the order in which they are tried. */
  referenceIds: list(id, 64),
  /** The clock group of its network side. */
  groupId: nullable(id),
  /** The clock group of its other side, for devices with two. */
  secondGroupId: nullable(id),
});
/** How a device takes part in keeping time. One without such a record is planned as `usualClockSettings` says. */
export type ClockSettings = Described<typeof shape>;

function identityProblem({ clockIdentity }: ClockSettings): FieldProblem | null {
  if (clockIdentity === null || parseClockIdentity(clockIdentity) !== null) return null;
  return { reason: 'out-of-range', path: 'clockIdentity', value: clockIdentity, limit: 'eight bytes in hexadecimal' };
}

function clockProblem(
  { id: deviceId }: ClockSettings,
  { devices, models }: { readonly devices: ReadonlyMap<string, Device>; readonly models: ReadonlyMap<string, Model> },
): FieldProblem | null {
  const model = models.get(devices.get(deviceId)?.modelId ?? '');
  return model !== undefined && abilityOf(model) !== null ? null : { reason: 'unknown', path: 'id', value: deviceId };
}

export const clocks = table(shape)({
  owner: null,
  key: ['id'],
  since: 2,
  command: { noun: 'clock', as: 'settings', id: 'deviceId' },
  pointsTo: [
    { path: 'id', to: 'devices', whenGone: 'taken-along' },
    { path: 'unicastMasterIds[]', to: 'devices', whenGone: 'emptied' },
    { path: 'referenceIds[]', to: 'references', whenGone: 'emptied' },
    { path: 'groupId', to: 'clockGroups', whenGone: 'emptied' },
    { path: 'secondGroupId', to: 'clockGroups', whenGone: 'emptied' },
  ],
  merges: 'records',
  normal: (r) => ({ ...r, clockIdentity: r.clockIdentity === null ? null : parseClockIdentity(r.clockIdentity) }),
  problem: identityProblem,
  putProblem: clockProblem,
  nameOf: (r, deviceName) => deviceName(r.id),
});
