import {
  address,
  id,
  list,
  missing,
  nullable,
  position,
  record,
  streamNumber,
  whole,
  type Described,
} from '../plan/shape';
import { table } from '../plan/table';
import { streamFormat } from './stream-shapes';

const shape = record({
  senderDeviceId: id,
  /** Which of the sender's streams it is, from 1. */
  streamNumber,
  /** Sender channels in their order within the stream; 0: a position that is left empty. */
  channels: list(position, 120),
  format: streamFormat,
  /** Channels on the wire, where the sender says that it sends another number than is planned. */
  width: missing(whole(1, 120)),
  groupA: nullable(address),
  groupB: nullable(address),
  /** Which of each receiver's streams receives it. */
  receivers: list(record({ deviceId: id, streamNumber }), 10_000),
});
/**
 * A stream as it was last sent to the devices. Packing keeps it as it is for as long as any of its channels is wanted,
 * so that a new subscription never interrupts what is already carrying.
 */
export type SentStream = Described<typeof shape>;

/** By sending device and which of its streams. A copy of the plan remembers it; a plan that others are merged into keeps its own. */
export const sentStreams = table(shape)({
  owner: 'senderDeviceId',
  key: ['streamNumber'],
  since: 1,
  renamed: [
    { path: 'slot', to: 'streamNumber', since: 3 },
    { path: 'receivers[].slot', to: 'streamNumber', since: 3 },
  ],
  isServerOnly: true,
  pointsTo: [
    { path: 'senderDeviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'receivers[].deviceId', to: 'devices', whenGone: 'emptied', since: 2 },
  ],
  merges: 'never',
  nameOf: (r, deviceName) => `${deviceName(r.senderDeviceId)} S${r.streamNumber}`,
});
