import { channel, defaulted, id, nullable, oneOf, record, text, type Described } from './shape';
import { table } from './table';

/** No label is longer, whatever a model would take. */
export const LABEL_MAX = 80;

export const SIDES = ['receive', 'send'] as const;
export type Side = (typeof SIDES)[number];

const shape = record({
  deviceId: id,
  side: oneOf(SIDES),
  channel,
  label: text(LABEL_MAX),
  /** What stands where there is little room: a strip, a meter. Null: the label itself. */
  short: defaulted(nullable(text(LABEL_MAX)), null),
});
export type ChannelLabel = Described<typeof shape>;

/** By device and `receive/3` or `send/3`. */
export const labels = table(shape)({
  owner: 'deviceId',
  key: ['side', 'channel'],
  since: 1,
  pointsTo: [{ path: 'deviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'records',
  nameOf: (r, deviceName) => `${deviceName(r.deviceId)}, ${r.side === 'send' ? 'out' : 'in'} ${r.channel}`,
});
