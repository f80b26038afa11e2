import { type Leg } from '../models/models-table';
import { type StreamFormat } from './format';
import { type Run } from './map-limits';
import { NOTHING, type Stream } from './stream';

/** What one receiver wants of one sender, in one format. */
export interface Demand {
  readonly receiverDeviceId: string;
  readonly format: StreamFormat;
  readonly formatKey: string;
  readonly channelsMax: number;
  readonly legs: readonly Leg[];
  /** Sender channels, in any order, possibly repeated. */
  readonly senderChannels: readonly number[];
  /** Set where the receiver takes them only in blocks or in order: then these are the same channels, run by run. */
  readonly runs?: readonly Run[];
}

/** A place in a packing as one number: the index of the stream plus one, then the position within the stream, from 1. */
export const PLACE_BITS = 8;
export const POSITION_MASK = (1 << PLACE_BITS) - 1;

export interface Packing {
  readonly streams: readonly Stream[];
  /** Mostly of one format. */
  readonly formats: readonly FormatPlaces[];
  /** Further places of a channel: only where a kept stream is too wide for some of its receivers. */
  readonly others: readonly { readonly channel: number; readonly formatKey: string; readonly place: number }[];
}

/** Where the channels stand that are sent in one format. */
interface FormatPlaces {
  readonly formatKey: string;
  /** By sender channel: the place, 0 where the channel has none. */
  readonly places: readonly number[];
}

/** By sender channel where it stands in this format; null where nothing is sent in it. */
export function placesIn({ formats }: Packing, formatKey: string): readonly number[] | null {
  for (let n = 0; n < formats.length; n += 1) {
    const format = formats[n] as FormatPlaces;
    if (format.formatKey === formatKey) return format.places;
  }
  return null;
}

/** The place of a channel that the receiver gets, where a channel is in several streams; `place` where it is in one. */
export function otherPlace(
  { streams, others }: Packing,
  place: number,
  formatKey: string,
  channel: number,
  receiverDeviceId: string,
): number {
  const streamAt = (code: number) => streams[(code >> PLACE_BITS) - 1];
  if (place === 0) return 0;
  const rest = others.filter((o) => o.channel === channel && o.formatKey === formatKey).map((o) => o.place);
  const heard = [place, ...rest].filter((p) => streamAt(p)?.receiverDeviceIds.includes(receiverDeviceId) === true);
  const wasSent = (p: number) => streamAt(p)?.sent?.receivers.some((r) => r.deviceId === receiverDeviceId) === true;
  return (heard.length > 1 ? heard.find(wasSent) : undefined) ?? heard[0] ?? 0;
}

/** Where a receiver finds a sender channel, or null where nobody sends it in this format. */
export function placementFor(
  packing: Packing,
  formatKey: string,
  channel: number,
  receiverDeviceId: string,
): { readonly stream: Stream; readonly position: number } | null {
  const first = placesIn(packing, formatKey)?.[channel] ?? 0;
  const place = otherPlace(packing, first, formatKey, channel, receiverDeviceId);
  if (place === 0) return null;
  return { stream: packing.streams[(place >> PLACE_BITS) - 1] as Stream, position: place & POSITION_MASK };
}

/** Streams with where each channel stands in them. */
export function packingOf(streams: readonly Stream[]): Packing {
  const formats: { readonly formatKey: string; readonly places: number[] }[] = [];
  let others: Packing['others'][number][] | null = null;
  let highest = 0;
  for (const { channels } of streams) for (const channel of channels) if (channel > highest) highest = channel;
  for (let n = 0; n < streams.length; n += 1) {
    const { formatKey, channels } = streams[n] as Stream;
    let format = formats.find((f) => f.formatKey === formatKey);
    if (format === undefined) formats.push((format = { formatKey, places: new Array<number>(highest + 1).fill(0) }));
    const { places } = format;
    for (let i = 0; i < channels.length; i += 1) {
      const channel = channels[i] as number;
      if (channel === NOTHING) continue;
      const place = ((n + 1) << PLACE_BITS) | (i + 1);
      if (places[channel] === 0) places[channel] = place;
      else (others ??= []).push({ channel, formatKey, place });
    }
  }
  return { streams, formats, others: others ?? NO_OTHERS };
}

const NO_OTHERS: Packing['others'] = [];
