import { channel, id, record, type Described } from './shape';
import { table } from './table';

const shape = record({
  receiverDeviceId: id,
  receiverChannel: channel,
  senderDeviceId: id,
  senderChannel: channel,
});
/** The wish that one receiver channel hears one sender channel. A receiver channel has at most one. */
export type Subscription = Described<typeof shape>;
export const subscriptionShape = shape;

/** By receiving device and receiver channel. */
export const subscriptions = table(shape)({
  owner: 'receiverDeviceId',
  key: ['receiverChannel'],
  since: 1,
  pointsTo: [
    { path: 'receiverDeviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'senderDeviceId', to: 'devices', whenGone: 'taken-along' },
  ],
  merges: 'records',
  nameOf: (r, deviceName) => `${deviceName(r.receiverDeviceId)}, in ${r.receiverChannel}`,
});
