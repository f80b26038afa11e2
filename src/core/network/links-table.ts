import type { Model } from '../models/models-table';
import type { Device } from '../plan/devices-table';
import { defaulted, id, list, nullable, number, oneOf, record, text, whole, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';

const linkEnd = record({ deviceId: id, port: text(80) });
export type LinkEnd = Described<typeof linkEnd>;

export const CABLES = ['cat5e', 'cat6', 'cat6a', 'om3', 'single-mode', 'wireless'] as const;
export type Cable = (typeof CABLES)[number];

const shape = record({
  id,
  from: linkEnd,
  to: linkEnd,
  bitsPerSecond: whole(1),
  metres: number(0),
  /** Null: not stated. */
  cable: defaulted(nullable(oneOf(CABLES)), null),
  duplex: defaulted(oneOf(['full', 'half']), 'full'),
  /** Links between the same two switches that share this word carry traffic as one; null: a link by itself. */
  joinedAs: defaulted(nullable(text(80)), null),
  /** Part of the speed that is set aside for other traffic. */
  setAsidePercent: defaulted(whole(0, 100), 0),
  /** Between switches: the subnets whose VLANs pass; null: all of them. */
  carries: defaulted(nullable(list(id, 4094)), null),
});
/** A cable between two ports, or a wireless link. */
export type Link = Described<typeof shape>;

/** A cable of which nothing but its ends, speed and length is stated. */
export const PLAIN_LINK = { cable: null, duplex: 'full', joinedAs: null, setAsidePercent: 0, carries: null } as const;

function portProblem(
  link: Link,
  { devices, models }: { readonly devices: ReadonlyMap<string, Device>; readonly models: ReadonlyMap<string, Model> },
): FieldProblem | null {
  for (const end of ['from', 'to'] as const) {
    const { deviceId, port } = link[end];
    const model = models.get(devices.get(deviceId)?.modelId ?? '');
    if (!model?.ports.some((p) => p.name === port)) return { reason: 'unknown', path: `${end}.port`, value: port };
  }
  return null;
}

export const links = table(shape)({
  owner: null,
  key: ['id'],
  since: 1,
  command: { noun: 'link', as: 'link', id: 'linkId' },
  pointsTo: [
    { path: 'from.deviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'to.deviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'carries[]', to: 'subnets', whenGone: 'emptied' },
  ],
  merges: 'records',
  putProblem: portProblem,
  nameOf: (r, deviceName) => `${deviceName(r.from.deviceId)} to ${deviceName(r.to.deviceId)}`,
});
