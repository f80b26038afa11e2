import { flag, id, list, position, record, streamNumber, type Described } from '../plan/shape';
import type { Model } from '../models/models-table';
import type { Device } from '../plan/devices-table';
import { table, type FieldProblem } from '../plan/table';
import { NOTHING } from './stream';
import { streamFormat } from './stream-shapes';

const shape = record({
  senderDeviceId: id,
  streamNumber,
  /** Sender channels in their order within the stream, each once; 0: a position that is left empty. */
  channels: list(position, 120, 1),
  format: streamFormat,
  /** Repacking never touches it. */
  isHeld: flag,
});
/**
 * How one of a sender's streams is laid out: agreed on when the plan was repacked, or held by hand. It counts before what was
 * sent, for as long as any of its channels is wanted.
 */
export type StreamLayout = Described<typeof shape>;
export const layoutShape = shape;

function channelProblem(
  layout: StreamLayout,
  { devices, models }: { readonly devices: ReadonlyMap<string, Device>; readonly models: ReadonlyMap<string, Model> },
): FieldProblem | null {
  const count = models.get(devices.get(layout.senderDeviceId)?.modelId ?? '')?.channelsSend ?? 0;
  const seen = new Set<number>();
  for (const [n, c] of layout.channels.entries()) {
    if (c === NOTHING) continue;
    const limit = c < 1 || c > count ? `1 to ${count}` : seen.has(c) ? 'each channel once' : null;
    if (limit !== null) return { reason: 'out-of-range', path: `channels[${n}]`, value: String(c), limit };
    seen.add(c);
  }
  return null;
}

/** By sending device and which of its streams. */
export const layouts = table(shape)({
  owner: 'senderDeviceId',
  key: ['streamNumber'],
  since: 2,
  renamed: [{ path: 'slot', to: 'streamNumber', since: 3 }],
  pointsTo: [{ path: 'senderDeviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'records',
  putProblem: channelProblem,
  nameOf: (r, deviceName) => `${deviceName(r.senderDeviceId)} S${r.streamNumber}`,
});
