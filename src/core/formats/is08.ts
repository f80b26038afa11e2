import type { MapLimits } from '../models/models-table';
import { rawOf, textOrNull, type Raw } from './raw';

/** The channel map of a device (IS-08). Devices send all sorts of things: nothing is taken on trust. */

/** Inputs and outputs of the channel map, ordered so that channels can be counted through. */
export interface ChannelMap {
  readonly inputs: readonly {
    readonly id: string;
    readonly receiverId: string | null;
    readonly channels: number;
    /** Null: its channels are routed one by one, in any order. */
    readonly limits: MapLimits | null;
  }[];
  readonly outputs: readonly {
    readonly id: string;
    readonly sourceId: string | null;
    readonly channels: number;
    /** The inputs that may feed it, null among them where it may be fed by nothing. Null: any may, and nothing. */
    readonly routable: ReadonlySet<string | null> | null;
  }[];
  /** By output id and channel index: what feeds it. */
  readonly active: ReadonlyMap<string, ReadonlyMap<number, { readonly input: string; readonly index: number }>>;
  readonly readAt: number;
}

/** So many channels an input or output has at most. */
const CHANNELS_MAX = 4096;

/** IS-08 caps of an input. What is missing or makes no sense limits nothing. */
function limitsOf(caps: unknown): MapLimits | null {
  const raw = rawOf(caps);
  const size = raw['block_size'];
  const isSize = Number.isInteger(size) && (size as number) > 1 && (size as number) <= CHANNELS_MAX;
  const blockSize = isSize ? (size as number) : 1;
  const reordering = raw['reordering'] !== false;
  return blockSize === 1 && reordering ? null : { blockSize, reordering };
}

const channelsOf = (raw: Raw): number =>
  Array.isArray(raw['channels']) ? Math.min(raw['channels'].length, CHANNELS_MAX) : 0;
const byId = (a: { id: string }, b: { id: string }) => a.id.localeCompare(b.id, 'en', { numeric: true });
const isIndex = (value: unknown): value is number =>
  Number.isInteger(value) && (value as number) >= 0 && (value as number) < CHANNELS_MAX;

/** @param io the answer to `/io` @param active the answer to `/map/active` */
export function readChannelMap(io: unknown, active: unknown, readAt: number): ChannelMap {
  const { inputs, outputs } = rawOf(io);
  return {
    inputs: Object.entries(rawOf(inputs))
      .map(([id, value]) => {
        const raw = rawOf(value);
        const parent = rawOf(raw['parent']);
        return {
          id,
          receiverId: parent['type'] === 'receiver' ? textOrNull(parent['id']) : null,
          channels: channelsOf(raw),
          limits: limitsOf(raw['caps']),
        };
      })
      .sort(byId),
    outputs: Object.entries(rawOf(outputs))
      .map(([id, value]) => {
        const raw = rawOf(value);
        const routable: unknown = rawOf(raw['caps'])['routable_inputs'];
        return {
          id,
          sourceId: textOrNull(raw['source_id']),
          channels: channelsOf(raw),
          routable: Array.isArray(routable)
            ? new Set(routable.filter((input) => input === null || typeof input === 'string') as (string | null)[])
            : null,
        };
      })
      .sort(byId),
    active: new Map(
      Object.entries(rawOf(rawOf(active)['map'])).map(([output, entries]) => {
        const fed = new Map<number, { input: string; index: number }>();
        for (const [at, value] of Object.entries(rawOf(entries))) {
          const entry = rawOf(value);
          const input = textOrNull(entry['input']);
          const index = entry['channel_index'];
          if (input !== null && isIndex(index) && isIndex(Number(at))) fed.set(Number(at), { input, index });
        }
        return [output, fed];
      }),
    ),
    readAt,
  };
}

/** Which input or output channel the device's own nth network channel is, counting those that no stream feeds or takes. */
export function ownChannel<T extends { readonly id: string; readonly channels: number }>(
  all: readonly T[],
  isOwn: (item: T) => boolean,
  channel: number,
): { readonly id: string; readonly index: number } | null {
  let left = channel - 1;
  for (const item of all) {
    if (!isOwn(item)) continue;
    if (left < item.channels) return { id: item.id, index: left };
    left -= item.channels;
  }
  return null;
}

/** Own output channels, counted from 1, that one of these receivers feeds: which of them, and from which position. */
export function fedChannels(
  map: ChannelMap,
  receivers: readonly { readonly id: string }[],
): { readonly channel: number; readonly streamNumber: number; readonly position: number }[] {
  const found: { channel: number; streamNumber: number; position: number }[] = [];
  let channel = 0;
  for (const output of map.outputs) {
    if (output.sourceId !== null) continue;
    for (let index = 0; index < output.channels; index += 1) {
      channel += 1;
      const fed = map.active.get(output.id)?.get(index);
      const receiverId = fed && map.inputs.find((i) => i.id === fed.input)?.receiverId;
      const streamNumber = receivers.findIndex((r) => r.id === receiverId) + 1;
      if (fed !== undefined && streamNumber > 0) found.push({ channel, streamNumber, position: fed.index + 1 });
    }
  }
  return found;
}

/** Whether something feeds an own output channel whatever the map is told: nothing is not among what may feed it. */
export function isAlwaysFed(map: ChannelMap, channel: number): boolean {
  const own = ownChannel(map.outputs, (o) => o.sourceId === null, channel);
  return own !== null && map.outputs.find((o) => o.id === own.id)?.routable?.has(null) === false;
}
