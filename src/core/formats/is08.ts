import { compareNames } from '../plan/name-order';
import type { MapLimits } from '../models/models-table';
import { rawOf, textOrNull, type Raw } from './raw';
import { sharedText } from './shared-text';
import { sharedValue } from './shared-value';
import { onceFor } from '../plan/once-for';

/** The channel map of a device (IS-08). Devices send all sorts of things: nothing is taken on trust. */

/** Inputs and outputs of the channel map, ordered so that channels can be counted through. */
export interface ChannelMap {
  readonly inputs: readonly {
    readonly id: string;
    /** What the device calls it; null: it does not say. */
    readonly name: string | null;
    readonly receiverId: string | null;
    readonly channels: number;
    /** Null: its channels are routed one by one, in any order. */
    readonly limits: MapLimits | null;
  }[];
  readonly outputs: readonly {
    readonly id: string;
    readonly name: string | null;
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
function nameOf(raw: Raw): string | null {
  const name = textOrNull(rawOf(raw['properties'])['name']);
  return name === null ? null : sharedText(name);
}
const byId = (a: { id: string }, b: { id: string }) => compareNames(a.id, b.id);
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
          id: sharedText(id),
          name: nameOf(raw),
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
          name: nameOf(raw),
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
          if (input !== null && isIndex(index) && isIndex(Number(at)))
            fed.set(Number(at), sharedValue({ input: sharedText(input), index }));
        }
        return [output, fed];
      }),
    ),
    readAt,
  };
}

/** Whether a stream that the device receives may feed an own output of it. */
export function isFedByStreams({ inputs }: ChannelMap, { sourceId, routable }: ChannelMap['outputs'][number]): boolean {
  return sourceId === null && (routable === null || inputs.some((i) => i.receiverId !== null && routable.has(i.id)));
}

/** Whether an own input of a device may go into a stream that it sends. */
export function isTakenByStreams({ outputs }: ChannelMap, { id, receiverId }: ChannelMap['inputs'][number]): boolean {
  if (receiverId !== null) return false;
  const streams = outputs.filter((o) => o.sourceId !== null);
  // A map may leave its streams out: then an own input goes into them unless an own output names it as its feed.
  if (streams.length === 0) return !outputs.some((o) => o.routable?.has(id) === true);
  return streams.some((o) => o.routable === null || o.routable.has(id));
}

interface MapPlace {
  readonly id: string;
  /** Counted from 0, as in IS-08. */
  readonly index: number;
}

/** Where a channel is, counted from 1 through some inputs or outputs in their order; null: they have no such channel. */
export function placeAmong(
  all: readonly { readonly id: string; readonly channels: number }[],
  channel: number,
): MapPlace | null {
  let left = channel - 1;
  for (const item of all) {
    if (left < item.channels) return { id: item.id, index: left };
    left -= item.channels;
  }
  return null;
}

interface NetworkEnds {
  readonly received: ChannelMap['outputs'];
  readonly sent: ChannelMap['inputs'];
}

/** The own outputs that streams feed and the own inputs that streams take: the network channels of the device, in their order. */
export const networkEndsOf = onceFor((map: ChannelMap): NetworkEnds => ({
  received: map.outputs.filter((o) => isFedByStreams(map, o)),
  sent: map.inputs.filter((i) => isTakenByStreams(map, i)),
}));

/** Which output channel the device's nth received network channel is. */
export const receivedPlace = (map: ChannelMap, channel: number): MapPlace | null =>
  placeAmong(networkEndsOf(map).received, channel);

/** Which input channel the device's nth sent network channel is. */
export const sentPlace = (map: ChannelMap, channel: number): MapPlace | null =>
  placeAmong(networkEndsOf(map).sent, channel);

/** Own output channels, counted from 1, that one of these receivers feeds: which of them, and from which position. */
export function fedChannels(
  map: ChannelMap,
  receivers: readonly { readonly id: string }[],
): { readonly channel: number; readonly streamNumber: number; readonly position: number }[] {
  const found: { channel: number; streamNumber: number; position: number }[] = [];
  let channel = 0;
  for (const output of networkEndsOf(map).received) {
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

/** Whether something feeds an own output channel whatever is sent to the map: nothing is not among what may feed it. */
export function isAlwaysFed(map: ChannelMap, channel: number): boolean {
  const own = receivedPlace(map, channel);
  return own !== null && map.outputs.find((o) => o.id === own.id)?.routable?.has(null) === false;
}
