import { type Leg } from '../models/models-table';
import { formatKey, type StreamFormat } from './format';
import { bringsRun, type Run } from './map-limits';
import { joinToFit, numbered, type Draft } from './drafts';
import { receiversByChannel, indexesOf, type ReceiversByChannel } from './receiver-sets';
import type { KeptStream } from './kept-streams';
import { packingOf, type Packing, type Demand } from './packing';
import { NOTHING, type Stream } from './stream';

/**
 * Packs what receivers want of one sender into streams. Streams that are to be kept stay as they are; channels that the
 * same receivers want travel together; only where that takes more streams than the sender has are unlike ones joined.
 * Deterministic: demands are taken in the order of receiver ids. Every wanted channel is placed once per format, but for
 * receivers that take channels only in blocks or in order: those get streams that bring them so, which others share that
 * want all that is in them.
 */
export function packSender(
  senderDeviceId: string,
  demands: readonly Demand[],
  kept: readonly KeptStream[],
  streamsMax: number,
): Packing {
  const ordered = inOrderOfReceivers(demands);
  const drafts: Draft[] = [];
  const isAnyInOrder = ordered.some((w) => w.runs !== undefined);
  for (const { format, key } of formatsOf(ordered)) {
    const keptHere = kept.length === 0 ? kept : kept.filter((k) => formatKey(k.format) === key);
    const inOrder = isAnyInOrder ? streamsInOrder(format, keptHere, ordered) : NONE_IN_ORDER;
    const byChannel = receiversByChannel(ordered, key);
    // What carries stays, before anyone moves over to a stream that others need in order.
    if (keptHere.length > 0) keep(keptHere, format, byChannel, ordered, drafts, inOrder.byKept);
    if (inOrder.fresh.length > 0) shareInOrder(inOrder.fresh, byChannel, ordered);
    drafts.push(...inOrder.fresh, ...groupedByReceivers(format, byChannel, ordered));
  }
  const isFresh = (d: Draft) => d.kept === null && d.inOrderFor.length === 0;
  const isAllFresh = drafts.every(isFresh);
  const stay = isAllFresh ? [] : drafts.filter((d) => !isFresh(d));
  const fresh = joinToFit(isAllFresh ? drafts : drafts.filter(isFresh), streamsMax - stay.length);
  const all = stay.length === 0 ? fresh : [...stay, ...fresh];
  const streams = numbered(senderDeviceId, all, ordered, kept, streamsMax);
  return packingOf(streams);
}

const NONE_IN_ORDER: ReturnType<typeof streamsInOrder> = { byKept: new Map(), fresh: [] };

/** For receivers that take channels only in blocks or in order: which kept streams bring them so, and streams for the rest. */
function streamsInOrder(
  format: StreamFormat,
  kept: readonly KeptStream[],
  demands: readonly Demand[],
): {
  readonly byKept: ReadonlyMap<KeptStream, ReadonlySet<number>>;
  readonly fresh: readonly Draft[];
} {
  const key = formatKey(format);
  const byKept = new Map<KeptStream, Set<number>>();
  const fresh: Draft[] = [];
  demands.forEach((demand, index) => {
    if (demand.runs === undefined || demand.formatKey !== key) return;
    for (const run of demand.runs) {
      const known = kept.find(
        (k) =>
          k.channels.length <= demand.channelsMax && !isTaken(byKept.get(k), run, index) && bringsRun(k.channels, run),
      );
      if (known !== undefined) {
        byKept.set(known, (byKept.get(known) ?? new Set()).add(index));
        continue;
      }
      const like = fresh.find(
        (d) =>
          d.channels.length <= demand.channelsMax &&
          !isTaken(new Set(d.receivers), run, index) &&
          bringsRun(d.channels, run),
      );
      if (like !== undefined) {
        like.receivers = [...new Set([...like.receivers, index])];
        like.inOrderFor = like.receivers;
        like.channelsMax = Math.min(like.channelsMax, demand.channelsMax);
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
        fresh.push({ ...draft, channelsMax: demand.channelsMax, kept: null });
      }
    }
  });
  return { byKept, fresh };
}

/** Two streams of a receiver without a channel map cannot be one and the same. */
const isTaken = (receivers: ReadonlySet<number> | undefined, run: Run, index: number) =>
  run.orderedFor !== undefined && receivers?.has(index) === true;

/** Receivers without limits receive such a stream too where they want all that is in it. */
function shareInOrder(fresh: readonly Draft[], byChannel: ReceiversByChannel, demands: readonly Demand[]): void {
  const left = new Map(byChannel.entries().map(([channel, set]) => [channel, new Set(indexesOf(set))]));
  for (const draft of fresh) {
    const [first, ...others] = draft.channels.filter((c) => c !== NOTHING).map((c) => left.get(c));
    const joining = [...(first ?? [])].filter(
      (r) => draft.channels.length <= (demands[r] as Demand).channelsMax && others.every((set) => set?.has(r) === true),
    );
    for (const r of joining) for (const c of draft.channels) left.get(c)?.delete(r);
    draft.receivers = [...new Set([...draft.receivers, ...joining])].sort((a, b) => a - b);
  }
  byChannel.replace(left);
}

/** As packSender, with a stream of its own for every receiver: what is sent to one address goes to one device. */
export function packUnicast(
  senderDeviceId: string,
  demands: readonly Demand[],
  kept: readonly KeptStream[],
  addressOf: (receiverDeviceId: string, leg: Leg) => number | null,
): Packing {
  const ordered = inOrderOfReceivers(demands);
  const drafts = ordered.flatMap((demand, index) => {
    const own: Draft[] = [];
    const isOurs = ({ sent }: KeptStream) =>
      sent?.receivers.length === 1 && sent.receivers[0]?.deviceId === demand.receiverDeviceId;
    const keptHere = kept.filter((k) => isOurs(k) && formatKey(k.format) === demand.formatKey);
    const inOrder = streamsInOrder(demand.format, keptHere, [demand]);
    const byChannel = receiversByChannel([demand], demand.formatKey);
    keep(keptHere, demand.format, byChannel, [demand], own, inOrder.byKept);
    own.push(...inOrder.fresh, ...groupedByReceivers(demand.format, byChannel, [demand]));
    return own.map((draft) => ({
      ...draft,
      receivers: [index],
      inOrderFor: draft.inOrderFor.length > 0 ? [index] : [],
    }));
  });
  const streams = toAddresses(numbered(senderDeviceId, drafts, ordered), addressOf);
  return packingOf(streams);
}

/** Streams of one receiver each, with where their packets go. */
export function toAddresses(
  streams: readonly Stream[],
  addressOf: (receiverDeviceId: string, leg: Leg) => number | null,
): Stream[] {
  return streams.map((stream) => {
    const receiverId = stream.receiverDeviceIds[0] as string;
    const to = (leg: Leg) => (stream.legs.includes(leg) ? addressOf(receiverId, leg) : null);
    return { ...stream, unicastTo: { A: to('A'), B: to('B') } };
  });
}

/** One receiver may want some channels in order and others as they come: those keep their order. */
const byReceiver = (a: Demand, b: Demand) =>
  a.receiverDeviceId < b.receiverDeviceId ? -1 : a.receiverDeviceId > b.receiverDeviceId ? 1 : 0;

export function inOrderOfReceivers(demands: readonly Demand[]): readonly Demand[] {
  for (let n = 1; n < demands.length; n += 1) {
    if ((demands[n - 1] as Demand).receiverDeviceId <= (demands[n] as Demand).receiverDeviceId) continue;
    return [...demands].sort(byReceiver);
  }
  return demands;
}

function formatsOf(demands: readonly Demand[]): readonly { readonly format: StreamFormat; readonly key: string }[] {
  const [first] = demands;
  if (first === undefined) return [];
  if (demands.every((w) => w.formatKey === first.formatKey)) return [{ format: first.format, key: first.formatKey }];
  const byKey = new Map<string, StreamFormat>();
  for (const w of demands) byKey.set(w.formatKey, w.format);
  return [...byKey].sort(([a], [b]) => (a < b ? -1 : 1)).map(([key, format]) => ({ key, format }));
}

function keep(
  kept: readonly KeptStream[],
  format: StreamFormat,
  byChannel: ReceiversByChannel,
  demands: readonly Demand[],
  drafts: Draft[],
  inOrder: ReadonlyMap<KeptStream, ReadonlySet<number>> = new Map(),
): void {
  const key = formatKey(format);
  const left = new Map(byChannel.entries().map(([channel, set]) => [channel, indexesOf(set)]));
  const ofFormat = kept.filter((stream) => formatKey(stream.format) === key);
  const receiversOf = new Map(ofFormat.map((stream) => [stream, new Set(inOrder.get(stream))]));
  /** Gives every channel of the stream to those who may have it there. */
  const give = (stream: KeptStream, mayHave: (demand: Demand) => boolean) => {
    const receivers = receiversOf.get(stream) as Set<number>;
    for (const channel of stream.channels) {
      for (const r of left.get(channel) ?? []) {
        const demand = demands[r] as Demand;
        if (stream.channels.length <= demand.channelsMax && mayHave(demand)) receivers.add(r);
      }
    }
    if (receivers.size === 0) return;
    for (const channel of stream.channels) {
      const rest = (left.get(channel) ?? []).filter((r) => !receivers.has(r));
      if (rest.length === 0) left.delete(channel);
      else left.set(channel, rest);
    }
  };
  const hasIt = ({ sent }: KeptStream, { receiverDeviceId }: Demand) =>
    sent?.receivers.some((r) => r.deviceId === receiverDeviceId) === true;
  // Whoever receives a stream goes on receiving it there; only then do others come to it.
  for (const stretch of countingAlike(ofFormat)) {
    for (const stream of stretch) give(stream, (demand) => hasIt(stream, demand));
    for (const stream of stretch) give(stream, () => true);
  }
  for (const [stream, receivers] of receiversOf) {
    if (receivers.size === 0) continue;
    drafts.push({
      format,
      channels: [...stream.channels],
      receivers: [...receivers].sort((a, b) => a - b),
      channelsMax: stream.channels.length,
      kept: stream,
      inOrderFor: [...(inOrder.get(stream) ?? [])],
    });
  }
  byChannel.replace(left);
}

/** In their order, as stretches of streams that count alike. */
function countingAlike(kept: readonly KeptStream[]): KeptStream[][] {
  const stretches: KeptStream[][] = [];
  for (const stream of kept) {
    const last = stretches.at(-1);
    const isLike = (a: KeptStream) => a.isLaidOut === stream.isLaidOut && (a.sent === null) === (stream.sent === null);
    if (last?.[0] !== undefined && isLike(last[0])) last.push(stream);
    else stretches.push([stream]);
  }
  return stretches;
}

function groupedByReceivers(format: StreamFormat, byChannel: ReceiversByChannel, demands: readonly Demand[]): Draft[] {
  const drafts: Draft[] = [];
  let isAnyCut = false;
  for (const { set, channels } of byChannel.groups()) {
    const receivers = indexesOf(set);
    let channelsMax = Infinity;
    for (const r of receivers) channelsMax = Math.min(channelsMax, (demands[r] as Demand).channelsMax);
    for (let start = 0; start < channels.length; start += channelsMax) {
      const part = channels.length <= channelsMax ? channels : channels.slice(start, start + channelsMax);
      drafts.push({ format, channels: part, receivers, channelsMax, kept: null, inOrderFor: NOBODY });
    }
    if (channels.length > channelsMax) isAnyCut = true;
  }
  return isAnyCut ? drafts.sort(byFirstChannel) : drafts;
}

const NOBODY: readonly number[] = [];

/** A channel stands in one draft of a format alone. */
const byFirstChannel = (a: Draft, b: Draft) => (a.channels[0] as number) - (b.channels[0] as number);
