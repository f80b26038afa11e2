import { LEGS, type Leg } from '../models/models-table';
import type { StreamGroups } from './stream-groups';
import type { SentStream } from './sent-streams-table';
import type { StreamLayout } from './layouts-table';
import { formatKey, type StreamFormat } from './format';
import { groupSeedOf } from './group-seed';
import { bringsRun, type Run } from './map-limits';

/** One RTP stream of the stream plan: some of a sender's channels in one format, on one or two legs. */
export interface Stream {
  /** `<sender device id>/<slot>`. */
  readonly id: string;
  readonly senderDeviceId: string;
  /** Which of the sender's streams it is, from 1. Above the sender's budget the stream cannot be sent. */
  readonly slot: number;
  /** Sender channels in their order within the stream. */
  readonly channels: readonly number[];
  /** Channels on the wire: as many as `channels`, or one more where the encoding wants an even count. */
  readonly width: number;
  readonly format: StreamFormat;
  readonly formatKey: string;
  readonly legs: readonly Leg[];
  readonly receiverDeviceIds: readonly string[];
  /** Where its packets go when each receiver gets a copy of its own; null: to a group. */
  readonly unicastTo: StreamGroups | null;
  /** The record of when it was last sent, when packing kept it. */
  readonly sent: SentStream | null;
  /** Held by hand: packing never touches it. */
  readonly isHeld: boolean;
  /** Where its groups are looked for first. */
  readonly groupSeed: number;
  /** Some of its hearers can be fed from it only because its channels stand just so: repacking leaves it. */
  readonly isInOrder: boolean;
}

/** A stream that packing keeps as it is for as long as any of its channels is wanted: it was sent, or laid out so. */
export interface KeptStream {
  readonly slot: number;
  readonly channels: readonly number[];
  readonly format: StreamFormat;
  /** Null while it is only laid out. */
  readonly sent: SentStream | null;
  readonly isHeld: boolean;
}

/**
 * What packing keeps of a sender, in the order in which it counts: layouts that are held or carry, then the other layouts,
 * then what was sent in slots for which nothing is laid out.
 */
export function keptStreams(layouts: Iterable<StreamLayout>, sent: ReadonlyMap<number, SentStream>): KeptStream[] {
  const bySlot = new Map<number, KeptStream>();
  for (const { slot, channels, format, isHeld } of layouts) {
    const was = sent.get(slot);
    const isAsSent =
      was !== undefined && formatKey(was.format) === formatKey(format) && was.channels.join() === channels.join();
    bySlot.set(slot, { slot, channels, format, isHeld, sent: isAsSent ? was : null });
  }
  const inOrder = (a: KeptStream, b: KeptStream) => a.slot - b.slot;
  const isFirst = (k: KeptStream) => k.isHeld || k.sent !== null;
  const laid = [...bySlot.values()].sort((a, b) => Number(isFirst(b)) - Number(isFirst(a)) || inOrder(a, b));
  const carried = [...sent.values()]
    .filter(({ slot }) => !bySlot.has(slot))
    .map((was): KeptStream => ({
      slot: was.slot,
      channels: was.channels,
      format: was.format,
      isHeld: false,
      sent: was,
    }))
    .sort(inOrder);
  return [...laid, ...carried];
}

/** What one receiver wants of one sender, in one format. */
export interface Want {
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
  /** By format key, then by sender channel: the place, 0 where the channel has none. */
  readonly placesByFormat: ReadonlyMap<string, Int32Array>;
  /** Further places of a channel: only where a kept stream is too wide for some of its hearers. */
  readonly others: readonly { readonly channel: number; readonly formatKey: string; readonly place: number }[];
}

/** Of several places of a channel that which the receiver hears; `place` where it is the only one. */
export function otherPlace(
  { streams, others }: Packing,
  place: number,
  formatKey: string,
  channel: number,
  receiverDeviceId: string,
): number {
  const isHeard = (code: number) =>
    streams[(code >> PLACE_BITS) - 1]?.receiverDeviceIds.includes(receiverDeviceId) === true;
  if (place === 0 || isHeard(place)) return place;
  return others.find((o) => o.channel === channel && o.formatKey === formatKey && isHeard(o.place))?.place ?? 0;
}

/** Where a receiver finds a sender channel, or null where nobody sends it in this format. */
export function placementFor(
  packing: Packing,
  formatKey: string,
  channel: number,
  receiverDeviceId: string,
): { readonly stream: Stream; readonly position: number } | null {
  const first = packing.placesByFormat.get(formatKey)?.[channel] ?? 0;
  const place = otherPlace(packing, first, formatKey, channel, receiverDeviceId);
  if (place === 0) return null;
  return { stream: packing.streams[(place >> PLACE_BITS) - 1] as Stream, position: place & POSITION_MASK };
}

interface Draft {
  format: StreamFormat;
  channels: number[];
  receivers: number[];
  channelsMax: number;
  kept: KeptStream | null;
  /** Those of its receivers that need it just as it is. */
  inOrderFor: readonly number[];
}

/**
 * Packs what receivers want of one sender into streams. Streams that are to be kept stay as they are; channels that the
 * same receivers want travel together; only where that takes more streams than the sender has are unlike ones joined.
 * Deterministic: wants are taken in the order of receiver ids. Every wanted channel is placed once per format, but for
 * receivers that take channels only in blocks or in order: those get streams that bring them so, which others share that
 * want all that is in them.
 */
export function packSender(
  senderDeviceId: string,
  wants: readonly Want[],
  kept: readonly KeptStream[],
  streamsMax: number,
): Packing {
  const ordered = inOrderOfReceivers(wants);
  const drafts: Draft[] = [];
  for (const { format, key } of formatsOf(ordered)) {
    const keptHere = kept.length === 0 ? kept : kept.filter((k) => formatKey(k.format) === key);
    const inOrder = streamsInOrder(format, keptHere, ordered);
    const hearers = hearersByChannel(ordered, key);
    // What carries stays, before anyone moves over to a stream that others need in order.
    if (keptHere.length > 0) keep(keptHere, format, hearers, ordered, drafts, inOrder.byKept);
    if (inOrder.fresh.length > 0) shareInOrder(inOrder.fresh, hearers, ordered);
    drafts.push(...inOrder.fresh, ...groupedByHearers(format, hearers, ordered));
  }
  const isFresh = (d: Draft) => d.kept === null && d.inOrderFor.length === 0;
  const isAllFresh = drafts.every(isFresh);
  const stay = isAllFresh ? [] : drafts.filter((d) => !isFresh(d));
  const fresh = joinToFit(isAllFresh ? drafts : drafts.filter(isFresh), streamsMax - stay.length);
  const streams = numbered(senderDeviceId, stay.length === 0 ? fresh : [...stay, ...fresh], ordered);
  return { streams, ...placesOf(streams) };
}

/** For receivers that take channels only in blocks or in order: which kept streams bring them so, and streams for the rest. */
function streamsInOrder(format: StreamFormat, kept: readonly KeptStream[], wants: readonly Want[]) {
  const key = formatKey(format);
  const byKept = new Map<KeptStream, Set<number>>();
  const fresh: Draft[] = [];
  wants.forEach((want, index) => {
    if (want.runs === undefined || want.formatKey !== key) return;
    for (const run of want.runs) {
      const known = kept.find((k) => k.channels.length <= want.channelsMax && bringsRun(k.channels, run));
      if (known !== undefined) {
        byKept.set(known, (byKept.get(known) ?? new Set()).add(index));
        continue;
      }
      const like = fresh.find((d) => d.channels.length <= want.channelsMax && bringsRun(d.channels, run));
      if (like !== undefined) {
        like.receivers = [...new Set([...like.receivers, index])];
        like.inOrderFor = like.receivers;
        like.channelsMax = Math.min(like.channelsMax, want.channelsMax);
        continue;
      }
      // Whole blocks that only this receiver has so far stand behind one another, as long as there is room.
      const before = fresh.find(
        (d) =>
          run.blockSize > 1 &&
          d.channels.length % run.blockSize === 0 &&
          d.receivers.join() === String(index) &&
          d.channels.length + run.channels.length <= d.channelsMax &&
          !run.channels.some((c) => d.channels.includes(c)),
      );
      if (before !== undefined) before.channels.push(...run.channels);
      else {
        const draft = { format, channels: [...run.channels], receivers: [index], inOrderFor: [index] };
        fresh.push({ ...draft, channelsMax: want.channelsMax, kept: null });
      }
    }
  });
  return { byKept, fresh };
}

/** Receivers without limits hear such a stream too where they want all that is in it. */
function shareInOrder(fresh: readonly Draft[], hearers: Map<number, HearerSet>, wants: readonly Want[]): void {
  const left = new Map([...hearers].map(([channel, set]) => [channel, new Set(indexesOf(set))]));
  for (const draft of fresh) {
    const [first, ...others] = draft.channels.map((c) => left.get(c));
    const joining = [...(first ?? [])].filter(
      (r) => draft.channels.length <= (wants[r] as Want).channelsMax && others.every((set) => set?.has(r) === true),
    );
    for (const r of joining) for (const c of draft.channels) left.get(c)?.delete(r);
    draft.receivers = [...new Set([...draft.receivers, ...joining])].sort((a, b) => a - b);
  }
  replaceHearers(hearers, left);
}

function replaceHearers(hearers: Map<number, HearerSet>, left: ReadonlyMap<number, Iterable<number>>): void {
  const nobody: HearerSet = { last: -1, rest: null, newest: null, others: null };
  hearers.clear();
  for (const [channel, indexes] of left) for (const index of indexes) extend(hearers, channel, index, nobody);
}

/** As packSender, with a stream of its own for every receiver: what is sent to one address is heard by one device. */
export function packUnicast(
  senderDeviceId: string,
  wants: readonly Want[],
  kept: readonly KeptStream[],
  addressOf: (receiverDeviceId: string, leg: Leg) => number | null,
): Packing {
  const ordered = inOrderOfReceivers(wants);
  const drafts = ordered.flatMap((want, index) => {
    const own: Draft[] = [];
    const hearers = hearersByChannel([want], want.formatKey);
    const isOurs = ({ sent }: KeptStream) =>
      sent?.receivers.length === 1 && sent.receivers[0]?.deviceId === want.receiverDeviceId;
    keep(kept.filter(isOurs), want.format, hearers, [want], own);
    own.push(...groupedByHearers(want.format, hearers, [want]));
    return own.map((draft) => ({ ...draft, receivers: [index] }));
  });
  const streams = numbered(senderDeviceId, drafts, ordered).map((stream) => {
    const receiverId = stream.receiverDeviceIds[0] as string;
    const to = (leg: Leg) => (stream.legs.includes(leg) ? addressOf(receiverId, leg) : null);
    return { ...stream, unicastTo: { A: to('A'), B: to('B') } };
  });
  return { streams, ...placesOf(streams) };
}

/** One receiver may want some channels in order and others as they come: those keep their order. */
const byReceiver = (a: Want, b: Want) =>
  a.receiverDeviceId < b.receiverDeviceId ? -1 : a.receiverDeviceId > b.receiverDeviceId ? 1 : 0;

function inOrderOfReceivers(wants: readonly Want[]): readonly Want[] {
  for (let n = 1; n < wants.length; n += 1) {
    if ((wants[n - 1] as Want).receiverDeviceId <= (wants[n] as Want).receiverDeviceId) continue;
    return [...wants].sort(byReceiver);
  }
  return wants;
}

function formatsOf(wants: readonly Want[]): readonly { readonly format: StreamFormat; readonly key: string }[] {
  const [first] = wants;
  if (first === undefined) return [];
  if (wants.every((w) => w.formatKey === first.formatKey)) return [{ format: first.format, key: first.formatKey }];
  const byKey = new Map<string, StreamFormat>();
  for (const w of wants) byKey.set(w.formatKey, w.format);
  return [...byKey].sort(([a], [b]) => (a < b ? -1 : 1)).map(([key, format]) => ({ key, format }));
}

/**
 * A set of hearers, as a chain from the last want's index to the first. Channels that the same wants name share the very
 * same chain, so that grouping them is a comparison of references.
 */
interface HearerSet {
  readonly last: number;
  readonly rest: HearerSet | null;
  /** What it becomes with one more: the first that was asked for, and the others by the want's index. */
  newest: HearerSet | null;
  others: Map<number, HearerSet> | null;
}

function indexesOf(set: HearerSet): number[] {
  const indexes: number[] = [];
  for (let at: HearerSet | null = set; at !== null && at.last >= 0; at = at.rest) indexes.push(at.last);
  return indexes.reverse();
}

/** For each wanted sender channel the wants that name it. */
function hearersByChannel(wants: readonly Want[], key: string): Map<number, HearerSet> {
  const nobody: HearerSet = { last: -1, rest: null, newest: null, others: null };
  const hearers = new Map<number, HearerSet>();
  for (let index = 0; index < wants.length; index += 1) {
    const want = wants[index] as Want;
    if (want.formatKey !== key || want.runs !== undefined) continue;
    for (const channel of want.senderChannels) extend(hearers, channel, index, nobody);
  }
  return hearers;
}

function extend(hearers: Map<number, HearerSet>, channel: number, index: number, nobody: HearerSet): void {
  const before = hearers.get(channel) ?? nobody;
  if (before.last !== index) hearers.set(channel, extended(before, index));
}

function extended(before: HearerSet, index: number): HearerSet {
  // Neighbouring channels are mostly heard by the same: the set that was made last is the one wanted again.
  if (before.newest?.last === index) return before.newest;
  let after = before.others?.get(index);
  if (after === undefined) {
    after = { last: index, rest: before, newest: null, others: null };
    if (before.newest === null) before.newest = after;
    else (before.others ??= new Map()).set(index, after);
  }
  return after;
}

function keep(
  kept: readonly KeptStream[],
  format: StreamFormat,
  hearers: Map<number, HearerSet>,
  wants: readonly Want[],
  drafts: Draft[],
  inOrder: ReadonlyMap<KeptStream, ReadonlySet<number>> = new Map(),
): void {
  const key = formatKey(format);
  const left = new Map([...hearers].map(([channel, set]) => [channel, indexesOf(set)]));
  for (const stream of kept) {
    if (formatKey(stream.format) !== key) continue;
    const inOrderFor = [...(inOrder.get(stream) ?? [])];
    const receivers = new Set<number>(inOrderFor);
    for (const channel of stream.channels) {
      for (const r of left.get(channel) ?? []) {
        if (stream.channels.length <= (wants[r] as Want).channelsMax) receivers.add(r);
      }
    }
    if (receivers.size === 0) continue;
    for (const channel of stream.channels) {
      const rest = (left.get(channel) ?? []).filter((r) => !receivers.has(r));
      if (rest.length === 0) left.delete(channel);
      else left.set(channel, rest);
    }
    drafts.push({
      format,
      channels: [...stream.channels],
      receivers: [...receivers].sort((a, b) => a - b),
      channelsMax: stream.channels.length,
      kept: stream,
      inOrderFor,
    });
  }
  replaceHearers(hearers, left);
}

function groupedByHearers(format: StreamFormat, hearers: Map<number, HearerSet>, wants: readonly Want[]): Draft[] {
  const groups = new Map<HearerSet, number[]>();
  for (const [channel, set] of hearers) {
    const channels = groups.get(set);
    if (channels === undefined) groups.set(set, [channel]);
    else channels.push(channel);
  }
  const drafts: Draft[] = [];
  for (const [set, channels] of groups) {
    const receivers = indexesOf(set);
    let channelsMax = Infinity;
    for (const r of receivers) channelsMax = Math.min(channelsMax, (wants[r] as Want).channelsMax);
    if (!isAscending(channels)) channels.sort((a, b) => a - b);
    for (let start = 0; start < channels.length; start += channelsMax) {
      const part = channels.length <= channelsMax ? channels : channels.slice(start, start + channelsMax);
      drafts.push({ format, channels: part, receivers, channelsMax, kept: null, inOrderFor: [] });
    }
  }
  return drafts.sort(byFirstChannel);
}

function isAscending(channels: readonly number[]): boolean {
  for (let n = 1; n < channels.length; n += 1) if ((channels[n - 1] as number) >= (channels[n] as number)) return false;
  return true;
}

const byFirstChannel = (a: Draft, b: Draft) =>
  (a.channels[0] as number) - (b.channels[0] as number) || (a.receivers.join() < b.receivers.join() ? -1 : 1);

/** Joins unlike streams of one format until they fit, always the pair that delivers the fewest unwanted channels. */
function joinToFit(fresh: Draft[], room: number): Draft[] {
  if (fresh.length <= room) return fresh;
  const drafts = [...fresh];
  while (drafts.length > Math.max(room, 0)) {
    let best: { i: number; j: number; joined: Draft; cost: number } | null = null;
    for (let i = 0; i < drafts.length; i += 1) {
      for (let j = i + 1; j < drafts.length; j += 1) {
        const joined = join(drafts[i] as Draft, drafts[j] as Draft);
        if (joined === null) continue;
        const cost = delivered(joined) - delivered(drafts[i] as Draft) - delivered(drafts[j] as Draft);
        if (best === null || cost < best.cost) best = { i, j, joined, cost };
      }
    }
    if (best === null) return refilled(drafts, room);
    drafts.splice(best.j, 1);
    drafts[best.i] = best.joined;
  }
  return drafts;
}

/** The last resort: every stream filled to the brim and heard by everyone, where that is what it takes to fit. */
function refilled(drafts: Draft[], room: number): Draft[] {
  const first = drafts[0];
  if (first === undefined || drafts.some((d) => d.format !== first.format)) return drafts;
  const channelsMax = Math.min(...drafts.map((d) => d.channelsMax));
  const channels = [...new Set(drafts.flatMap((d) => d.channels))].sort((a, b) => a - b);
  if (Math.ceil(channels.length / channelsMax) > room) return drafts;
  const filled: Draft[] = [];
  for (let start = 0; start < channels.length; start += channelsMax) {
    const part = channels.slice(start, start + channelsMax);
    const hearing = drafts.filter((d) => d.channels.some((c) => part.includes(c)));
    const receivers = [...new Set(hearing.flatMap((d) => d.receivers))].sort((a, b) => a - b);
    filled.push({ format: first.format, channels: part, receivers, channelsMax, kept: null, inOrderFor: [] });
  }
  return filled;
}

const delivered = (draft: Draft) => draft.channels.length * draft.receivers.length;

function join(a: Draft, b: Draft): Draft | null {
  if (a.format !== b.format) return null;
  const channels = [...new Set([...a.channels, ...b.channels])].sort((x, y) => x - y);
  const channelsMax = Math.min(a.channelsMax, b.channelsMax);
  if (channels.length > channelsMax) return null;
  const receivers = [...new Set([...a.receivers, ...b.receivers])].sort((x, y) => x - y);
  return { format: a.format, channels, receivers, channelsMax, kept: null, inOrderFor: [] };
}

function numbered(senderDeviceId: string, drafts: readonly Draft[], wants: readonly Want[]): Stream[] {
  let taken: Set<number> | null = null;
  for (const { kept } of drafts) if (kept !== null) (taken ??= new Set()).add(kept.slot);
  let next = 1;
  return drafts.map((draft) => {
    let slot = draft.kept?.slot;
    if (slot === undefined) {
      while (taken?.has(next)) next += 1;
      slot = next;
      next += 1;
    }
    const legs = legsOf(draft, wants);
    const count = draft.channels.length;
    const id = `${senderDeviceId}/${slot}`;
    return {
      id,
      groupSeed: groupSeedOf(id),
      senderDeviceId,
      slot,
      channels: draft.channels,
      width: draft.format.encoding === 'AM824' ? count + (count % 2) : count,
      format: draft.format,
      formatKey: formatKey(draft.format),
      legs,
      // One with limits may want some channels in order and others as they come.
      receiverDeviceIds: receiversOf(draft, wants),
      unicastTo: null,
      sent: draft.kept?.sent ?? null,
      isHeld: draft.kept?.isHeld ?? false,
      isInOrder: draft.inOrderFor.length > 0,
    };
  });
}

/** By id, each once: one that takes some channels in order and others as they come has two wants. */
function receiversOf({ receivers }: Draft, wants: readonly Want[]): readonly string[] {
  const ids: string[] = [];
  for (const r of receivers) {
    const { receiverDeviceId } = wants[r] as Want;
    if (ids[ids.length - 1] !== receiverDeviceId) ids.push(receiverDeviceId);
  }
  return ids;
}

function legsOf(draft: Draft, wants: readonly Want[]): readonly Leg[] {
  let legs: readonly Leg[] = [];
  for (const r of draft.receivers) {
    const wanted = (wants[r] as Want).legs;
    if (wanted.length === 2) return wanted;
    if (legs.length === 0) legs = wanted;
    else if (legs[0] !== wanted[0]) return LEGS;
  }
  return legs;
}

function placesOf(streams: readonly Stream[]): Omit<Packing, 'streams'> {
  const placesByFormat = new Map<string, Int32Array>();
  const others: Packing['others'][number][] = [];
  const highest = new Map<string, number>();
  for (const { formatKey: key, channels } of streams) {
    let most = highest.get(key) ?? 0;
    for (const channel of channels) if (channel > most) most = channel;
    highest.set(key, most);
  }
  for (let n = 0; n < streams.length; n += 1) {
    const { formatKey: key, channels } = streams[n] as Stream;
    let places = placesByFormat.get(key);
    if (places === undefined) {
      places = new Int32Array((highest.get(key) as number) + 1);
      placesByFormat.set(key, places);
    }
    for (let i = 0; i < channels.length; i += 1) {
      const channel = channels[i] as number;
      const place = ((n + 1) << PLACE_BITS) | (i + 1);
      if (places[channel] !== 0) others.push({ channel, formatKey: key, place });
      else places[channel] = place;
    }
  }
  return { placesByFormat, others };
}

/** Whether two streams would be told apart by any device. */
export function isSameStream(a: Stream, b: Stream): boolean {
  return (
    a.id === b.id &&
    a.formatKey === b.formatKey &&
    a.sent === b.sent &&
    a.isHeld === b.isHeld &&
    a.isInOrder === b.isInOrder &&
    a.unicastTo?.A === b.unicastTo?.A &&
    a.unicastTo?.B === b.unicastTo?.B &&
    a.channels.length === b.channels.length &&
    a.channels.every((c, i) => c === b.channels[i]) &&
    a.legs.join() === b.legs.join() &&
    a.receiverDeviceIds.length === b.receiverDeviceIds.length &&
    a.receiverDeviceIds.every((r, i) => r === b.receiverDeviceIds[i])
  );
}
