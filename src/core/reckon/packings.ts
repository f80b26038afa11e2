import { streamsMax } from '../models/unknown-figures';
import { LEGS, type Leg, type MapLimits } from '../models/models-table';
import { changedKeys } from '../plan/changed-keys';
import type { Subscription } from '../plan/subscriptions-table';
import { layoutsOf, sentStreamsOf, type PlanOf } from '../plan/plan';
import { canBeSent, runsOf, wholeBlocksOf, type Run } from '../streams/map-limits';
import { isSameStream, NOTHING, type Stream } from '../streams/stream';
import { keptStreams, type KeptStream } from '../streams/kept-streams';
import { packSender, packUnicast, toAddresses } from '../streams/pack';
import { packInOrder } from '../streams/pack-in-order';
import { runsInOrder, sendersByStream } from '../streams/channel-order';
import type { Packing, Demand } from '../streams/packing';
import type { Pair } from './pair';
import type { Pairs } from './pairs';
import type { DeviceProfile } from './profile';
import { NO_PACKING } from './receiver-lanes';
import { lanesOfRun, senderChannelsOf, type WishedRun, type Wishes } from './wishes';
import type { Before } from './step';

type Profiles = ReadonlyMap<string, DeviceProfile>;

interface DemandReads {
  readonly profiles: Profiles;
  readonly wishes: Wishes;
  readonly pairs: Pairs;
}

/** What everyone wants of a sender, but for lanes that cannot be. */
function demandsOf(
  { pairs }: Pick<DemandReads, 'pairs'>,
  sender: DeviceProfile,
  receivers: readonly WishedRun[],
): Demand[] {
  const demands: Demand[] = [];
  const { channelsSend, sendMap } = sender.model;
  for (let n = 0; n < receivers.length; n += 1) {
    const run = receivers[n] as WishedRun;
    const { receiverId: receiverDeviceId } = run.wish;
    const pair = pairs.get(receiverDeviceId)?.[run.index] ?? null;
    if (pair?.fits !== true) continue;
    const { channelsReceive, receiveMap, receiveOrder } = pair.receiver.model;
    const isAllThere = run.highestSenderChannel <= channelsSend && run.highestReceiverChannel <= channelsReceive;
    const isAsItComes = receiveOrder === null && (receiveMap === null || sender.device.sendsUnicast);
    if (isAllThere && isAsItComes && sendMap === null) {
      const { format, formatKey, channelsMax, legs } = pair;
      demands.push({ receiverDeviceId, format, formatKey, channelsMax, legs, senderChannels: senderChannelsOf(run) });
    } else demands.push(...demandsWithLimits(sender, run, pair, isAllThere));
  }
  return demands;
}

/** What a receiver wants of a sender where not all lanes can be, or where channels of either go in blocks or in order. */
function demandsWithLimits(
  { device, model }: DeviceProfile,
  run: WishedRun,
  pair: Extract<Pair, { readonly fits: true }>,
  isAllThere: boolean,
): Demand[] {
  const { channelsSend, sendMap } = model;
  const { channelsReceive, receiveMap, receiveOrder } = pair.receiver.model;
  const isThere = (s: Subscription) => s.senderChannel <= channelsSend && s.receiverChannel <= channelsReceive;
  const there = isAllThere ? lanesOfRun(run) : lanesOfRun(run).filter(isThere);
  if (there.length === 0 || (sendMap !== null && sendMap.blockSize > pair.channelsMax)) return [];
  const { format, formatKey, legs } = pair;
  // Streams of whole blocks.
  const channelsMax = pair.channelsMax - (pair.channelsMax % (sendMap?.blockSize ?? 1));
  const demand = { receiverDeviceId: run.wish.receiverId, format, formatKey, channelsMax, legs };
  if (receiveOrder !== null) {
    const canBring = (r: Run) => sendMap === null || canBeSent(sendMap, r.channels, channelsSend);
    const senders = sendersByStream(run.wish.lanes, receiveOrder);
    const runs = runsInOrder(receiveOrder, senders, there).filter(
      (r) => r.channels.length <= channelsMax && canBring(r),
    );
    if (runs.length === 0) return [];
    return [{ ...demand, senderChannels: runs.flatMap((r) => r.channels.filter((c) => c !== NOTHING)), runs }];
  }
  if (receiveMap !== null && !device.sendsUnicast) {
    const limited = limitedDemands(demand, receiveMap, there);
    return sendMap === null ? limited : limited.flatMap((w) => inBlocks(w, sendMap, channelsSend));
  }
  const wanted = there.map((s) => s.senderChannel);
  return [
    { ...demand, senderChannels: sendMap === null ? wanted : wholeBlocksOf(sendMap.blockSize, wanted, channelsSend) },
  ];
}

/** What a sender with limits of its own can bring of it: runs that are whole blocks of it as they are, all else as its blocks come. */
function inBlocks(demand: Demand, sendMap: MapLimits, channelsSend: number): Demand[] {
  const { runs = [], ...rest } = demand;
  const bring = runs.filter((r) => canBeSent(sendMap, r.channels, channelsSend));
  const brought = bring.flatMap((r) => r.channels);
  const others = demand.senderChannels.filter((c) => !brought.includes(c));
  return [
    ...(others.length > 0 ? [{ ...rest, senderChannels: wholeBlocksOf(sendMap.blockSize, others, channelsSend) }] : []),
    ...(bring.length > 0 ? [{ ...rest, senderChannels: brought, runs: bring }] : []),
  ];
}

function limitedDemands(
  demand: Omit<Demand, 'senderChannels' | 'runs'>,
  limits: MapLimits,
  there: Parameters<typeof runsOf>[1],
): Demand[] {
  const { runs, loose } = runsOf(limits, there, demand.channelsMax);
  return [
    ...(loose.length > 0 ? [{ ...demand, senderChannels: loose }] : []),
    ...(runs.length > 0 ? [{ ...demand, senderChannels: runs.flatMap((o) => o.channels), runs }] : []),
  ];
}

/**
 * What everyone wants of each sender whose streams can be packed otherwise: not where each receiver gets a copy, where its patch is never
 * written, where its streams carry the same channels for good, or where its channels go in blocks or in order.
 */
export function demandsBySender(deviceIds: readonly string[], now: DemandReads): Map<string, Demand[]> {
  const bySender = new Map<string, Demand[]>();
  for (const id of deviceIds) {
    const sender = now.profiles.get(id);
    const own = now.wishes.receiversBySender.get(id);
    if (sender === undefined || own === undefined) continue;
    if (sender.device.sendsUnicast || sender.device.isPatchForeign) continue;
    if (sender.model.sendOrder !== null || sender.model.sendMap !== null) continue;
    const demands = demandsOf(now, sender, own);
    if (demands.length > 0) bySender.set(id, demands);
  }
  return bySender;
}

type PackingReads = PlanOf<'layouts' | 'sentStreams'> & DemandReads;

function packOne(now: PackingReads, senderId: string): Packing {
  const { profiles, wishes } = now;
  const sender = profiles.get(senderId);
  const receivers = wishes.receiversBySender.get(senderId);
  if (sender === undefined || receivers === undefined) return NO_PACKING;
  const demands = demandsOf(now, sender, receivers);
  if (demands.length === 0) return NO_PACKING;
  const { sendOrder, sendMap, channelsSend, streamsSend } = sender.model;
  const isSendable = (k: KeptStream) => sendMap === null || canBeSent(sendMap, k.channels, channelsSend);
  const senderLegs = LEGS.filter((leg) => sender.legs[leg].ok);
  const kept = keptStreams(layoutsOf(now, senderId), sentStreamsOf(now, senderId), senderLegs);
  const stay = sendMap === null ? kept : kept.filter(isSendable);
  const { sendsUnicast } = sender.device;
  const addressOf = (receiverId: string, leg: Leg): number | null => {
    const state = profiles.get(receiverId)?.legs[leg];
    return state?.ok ? state.at.address : null;
  };
  if (sendOrder !== null) {
    const packing = packInOrder(senderId, sendOrder, channelsSend, demands, stay, sendsUnicast);
    return sendsUnicast ? { ...packing, streams: toAddresses(packing.streams, addressOf) } : packing;
  }
  if (!sendsUnicast) return packSender(senderId, demands, stay, streamsMax(streamsSend));
  return packUnicast(senderId, demands, stay, addressOf);
}

/** The streams of every sender that anyone receives. Those whose streams came out the same keep their packing. */
export function packingsOf(
  now: PackingReads,
  before: Before<PackingReads, ReadonlyMap<string, Packing>> | undefined,
): ReadonlyMap<string, Packing> {
  const packings = new Map(before?.made);
  let isChanged = before === undefined;
  const touched = before === undefined ? now.wishes.receiversBySender.keys() : touchedSenders(now, before.now);
  for (const senderId of touched) {
    const was = packings.get(senderId) ?? NO_PACKING;
    const is = packOne(now, senderId);
    if (sameStreams(was, is)) continue;
    isChanged = true;
    if (is.streams.length === 0) packings.delete(senderId);
    else packings.set(senderId, is);
  }
  return isChanged || before === undefined ? packings : before.made;
}

function touchedSenders(now: PackingReads, was: PackingReads): Set<string> {
  const touched = new Set<string>();
  for (const id of changedKeys(now.wishes.byReceiver, was.wishes.byReceiver)) {
    for (const { senderId } of was.wishes.byReceiver.get(id)?.runs ?? []) touched.add(senderId);
    for (const { senderId } of now.wishes.byReceiver.get(id)?.runs ?? []) touched.add(senderId);
  }
  for (const id of changedKeys(now.profiles, was.profiles)) {
    touched.add(id);
    for (const { senderId } of now.wishes.byReceiver.get(id)?.runs ?? []) touched.add(senderId);
  }
  for (const id of changedKeys(now.sentStreams, was.sentStreams)) touched.add(id);
  for (const id of changedKeys(now.layouts, was.layouts)) touched.add(id);
  return touched;
}

function sameStreams(a: Packing, b: Packing): boolean {
  return a.streams.length === b.streams.length && a.streams.every((s, i) => isSameStream(s, b.streams[i] as Stream));
}
