import { SIDES } from '../plan/labels-table';
import { id, oneOf, record, streamNumber, text, type Described } from '../plan/shape';
import { table } from '../plan/table';

const shape = record({
  deviceId: id,
  side: oneOf(SIDES),
  /** Which of the device's streams on this side it is, from 1. */
  streamNumber,
  /** The id of the IS-04 sender or receiver. */
  endId: text(80),
});
/**
 * Which sender or receiver of the real device one of its streams is. Noted when the stream is first sent, so that it stays the same one
 * whatever anyone calls it afterwards.
 */
export type StreamEnd = Described<typeof shape>;

/** By device, side and stream. */
export const streamEnds = table(shape)({
  owner: 'deviceId',
  key: ['side', 'streamNumber'],
  since: 4,
  isServerOnly: true,
  pointsTo: [{ path: 'deviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'never',
  nameOf: (r, deviceName) => `${deviceName(r.deviceId)} ${r.side} S${r.streamNumber}`,
});
