import { ENCODINGS, PACKET_TIMES_US, RATES_HZ } from '../streams/format';
import { defaulted, flag, id, lines, nullable, oneOf, record, text, type Described, whole } from './shape';
import { table, type FieldProblem } from './table';

const shape = record({
  id,
  name: text(),
  modelId: id,
  placeId: nullable(id),
  /** The rate its network channels run at. */
  rateHz: oneOf(RATES_HZ),
  /** What it prefers to send; null: what the plan prefers. */
  sendsEncoding: nullable(oneOf(ENCODINGS)),
  sendsPacketTimeUs: nullable(oneOf(PACKET_TIMES_US)),
  /** Time from the RTP timestamp to the output, set at the receiver; null: what the packet time asks for. */
  linkOffsetNs: nullable(whole(0, 1_000_000_000)),
  /** Sends a copy to each receiver instead of to a group: needs no multicast routing, but a stream for every receiver. */
  sendsUnicast: defaulted(flag, false),
  /** Its patch belongs to somebody else: it is read and drawn, and never written. */
  isPatchForeign: defaulted(flag, false),
  /**
   * The processing unit that everything to and from this device passes through; null: it hears senders directly. That unit takes
   * its channels in and gives them out again: both count there.
   */
  throughId: defaulted(nullable(id), null),
  serial: nullable(text(80)),
  /** The IS-04 node that this device is bound to by hand; null: found by address or serial, or still on paper. */
  nodeId: nullable(text(80)),
  /** The IS-04 device that it is, where the node has several that are planned each by itself; null: it is all that the node has. */
  nodeDeviceId: defaulted(nullable(text(80)), null),
  notes: lines(4000),
});
export type Device = Described<typeof shape>;

/** A device of which nothing but its name, model and rate is stated. */
export const PLAIN_DEVICE = {
  placeId: null,
  sendsEncoding: null,
  sendsPacketTimeUs: null,
  linkOffsetNs: null,
  sendsUnicast: false,
  isPatchForeign: false,
  throughId: null,
  serial: null,
  nodeId: null,
  nodeDeviceId: null,
  notes: '',
} as const;

/** A unit stands at the end: it goes through no other, and not through itself. */
function chainProblem(
  { id: deviceId, throughId }: Device,
  { devices }: { readonly devices: ReadonlyMap<string, Pick<Device, 'throughId'>> },
): FieldProblem | null {
  if (throughId === null) return null;
  if (throughId === deviceId) return { reason: 'unknown', path: 'throughId', value: throughId };
  const unit = devices.get(throughId);
  return unit !== undefined && unit.throughId !== null
    ? { reason: 'in-use', path: 'throughId', value: throughId }
    : null;
}

export const devices = table(shape)({
  owner: null,
  key: ['id'],
  since: 1,
  command: { noun: 'device', as: 'device', id: 'deviceId' },
  pointsTo: [
    { path: 'modelId', to: 'models', whenGone: 'refused' },
    { path: 'placeId', to: 'places', whenGone: 'refused' },
    { path: 'throughId', to: 'devices', whenGone: 'emptied' },
  ],
  merges: 'records',
  fits: { reads: { devices: ['throughId'] }, problem: chainProblem, whenUnfit: 'refused' },
  nameOf: (r) => r.name,
});
