import { streamsMax } from '../models/unknown-figures';
import { layoutsOf, modelOf, sentStreamsOf, type PlanOf } from '../plan/plan';
import { applyCommands } from '../plan/apply-commands';
import type { Command, SentStreamKey } from '../plan/commands';
import type { StreamLayout } from '../streams/layouts-table';
import {
  Bins,
  fewestStreams,
  isBetter,
  leastLoad,
  type Goal,
  type Score,
  type Receivers,
  type Sharing,
} from '../streams/bins';
import { formatKey, samplesPerPacket, type StreamFormat } from '../streams/format';
import { keptStreams, type KeptStream } from '../streams/kept-streams';
import { packSender } from '../streams/pack';
import type { Stream } from '../streams/stream';
import type { Demand } from '../streams/packing';
import { repacker, type Repacker } from '../streams/repack';
import { wireBytesOf } from '../streams/wire';
import { reckon, demandsToPack } from './reckon';
import type { Reckoning } from './reckoning';

export interface RepackOptions {
  /** Whether streams that carry may be taken apart. Those that are held never are. */
  readonly mayInterrupt: boolean;
  readonly goal: Goal;
  /** Only the streams of these; everyone's where not given. */
  readonly senderIds?: ReadonlySet<string>;
}

export interface RepackState {
  readonly streamsBefore: number;
  readonly streams: number;
  /** Fewer streams than this there cannot be. */
  readonly fewestStreams: number;
  /** Bits per second at the ends, as `loadAtTheEnds`: as it is, as it would be, and less than which there cannot be. */
  readonly loadBefore: number;
  readonly load: number;
  readonly leastLoad: number;
  readonly casesDone: number;
  readonly cases: number;
  /** Nothing better is left to find. */
  readonly isFinished: boolean;
}

/** The search for better streams over the whole plan. `work` goes on until `isOver`; it can be asked at any time. */
export interface PlanRepack {
  state(): RepackState;
  work(isOver: () => boolean): void;
  /** What would have to be laid out; empty where nothing is better than it is. Takes a reckoning. */
  commands(): Command[];
}

/** One sender in one format: what is to be shared out again, and the best sharing so far. */
interface Case {
  readonly senderId: string;
  readonly format: StreamFormat;
  readonly sharing: Sharing;
  readonly legs: readonly number[];
  readonly receiverIds: readonly string[];
  readonly current: readonly (readonly number[])[];
  /** Of the streams that carry it now, with channels in them that nobody wants any more. */
  readonly loadBefore: number;
  readonly leastLoad: number;
  shares: readonly (readonly number[])[];
  load: number;
  repacker: Repacker | null;
  isExhausted: boolean;
}

export function planRepack(reckoning: Reckoning, { mayInterrupt, goal, senderIds }: RepackOptions): PlanRepack {
  const { plan } = reckoning;
  const streamsBefore = [...reckoning.streamsBySender.values()].reduce((sum, list) => sum + list.length, 0);
  /** By receiver: how many streams it would receive. */
  const joined = new Map<string, number>();
  const join = (id: string, by: number) => joined.set(id, (joined.get(id) ?? 0) + by);
  for (const streams of reckoning.streamsBySender.values()) {
    for (const stream of streams) for (const id of stream.receiverDeviceIds) join(id, 1);
  }
  const loadBefore = loadAtTheEnds(reckoning);
  const used = new Map([...reckoning.streamsBySender].map(([id, list]) => [id, list.length]));
  const staying = new Map<string, readonly Stream[]>();
  const cases: Case[] = [];
  for (const [senderId, demands] of demandsToPack(reckoning)) {
    if (senderIds?.has(senderId) === false) continue;
    const now = reckoning.streamsBySender.get(senderId) ?? [];
    const fixed = fixedStreams(plan, senderId, mayInterrupt, now);
    const { stay, open } = shared(senderId, demands, fixed);
    staying.set(senderId, stay);
    for (const key of new Set(open.map((s) => s.formatKey))) {
      cases.push(
        caseOf(
          senderId,
          demands,
          open.filter((s) => s.formatKey === key),
          now,
          stay,
        ),
      );
    }
  }
  // Where most is to be gained comes first.
  cases.sort((a, b) => gain(b) - gain(a) || (a.senderId < b.senderId ? -1 : 1));

  const limit = (id: string) => streamsMax(modelOf(plan, id)?.streamsReceive);
  /** Takes a sharing in place of the one that counts now, unless receivers would have less room than they had. */
  const settle = (c: Case, shares: readonly (readonly number[])[]) => {
    if (shares === c.shares) return;
    const before = reception(c, c.shares);
    const after = reception(c, shares);
    let excess = 0;
    for (const id of new Set([...before.keys(), ...after.keys()])) {
      const others = (joined.get(id) ?? 0) - (before.get(id) ?? 0);
      const beyond = (n: number) => Math.max(0, others + n - limit(id));
      excess += beyond(after.get(id) ?? 0) - beyond(before.get(id) ?? 0);
    }
    if (excess > 0) return;
    for (const [id, n] of before) join(id, -n);
    for (const [id, n] of after) join(id, n);
    used.set(c.senderId, (used.get(c.senderId) ?? 0) + shares.length - c.shares.length);
    c.shares = shares;
    c.load = sharedLoad(c.sharing, c.legs, shares);
  };

  const bySender = new Map<string, Case[]>();
  for (const c of cases) bySender.set(c.senderId, [...(bySender.get(c.senderId) ?? []), c]);
  const isChanged = (c: Case) => (bySender.get(c.senderId) ?? []).some(isChangedAlone);

  let done = 0;
  return {
    state() {
      const sum = (of: (c: Case) => number) => cases.reduce((total, c) => total + of(c), 0);
      const open = sum((c) => c.shares.length);
      const bound = sum((c) => fewestStreams(c.sharing));
      const were = sum((c) => c.current.length);
      return {
        streamsBefore,
        streams: streamsBefore - were + open,
        fewestStreams: streamsBefore - were + bound,
        loadBefore,
        load: loadBefore - sum((c) => c.loadBefore) + sum((c) => (isChanged(c) ? c.load : c.loadBefore)),
        leastLoad: loadBefore - sum((c) => c.loadBefore) + sum((c) => Math.min(c.leastLoad, c.loadBefore)),
        casesDone: done,
        cases: cases.length,
        isFinished: done === cases.length && cases.every((c) => c.isExhausted),
      };
    },
    work(isOver) {
      while (done < cases.length && !isOver()) {
        const c = cases[done] as Case;
        const own = reception(c, c.shares);
        const room = c.receiverIds.map((id) => limit(id) - (joined.get(id) ?? 0) + (own.get(id) ?? 0));
        const most = streamsMax(modelOf(plan, c.senderId)?.streamsSend);
        const senderRoom = most - (used.get(c.senderId) ?? 0) + c.shares.length;
        const receivers: Receivers = { room, legs: c.legs };
        c.repacker = repacker(c.sharing, receivers, senderRoom, c.shares, { goal, isOver });
        settle(c, c.repacker.shares());
        c.isExhausted = c.repacker.isOptimal();
        done += 1;
      }
      for (const c of cases) {
        if (isOver()) return;
        if (c.isExhausted || c.repacker === null) continue;
        let rounds = 0;
        if (!c.repacker.improve(() => isOver() || (rounds += 1) > ROUND_STEPS)) c.isExhausted = true;
        settle(c, c.repacker.shares());
      }
    },
    commands() {
      const put: StreamLayout[] = [];
      const drop: SentStreamKey[] = [];
      for (const [senderId, own] of bySender) {
        if (!own.some(isChangedAlone)) continue;
        const layouts = layoutsFor(plan, senderId, staying.get(senderId) ?? [], own);
        const numbers = new Set(layouts.map((l) => l.streamNumber));
        put.push(...layouts);
        for (const { streamNumber, isHeld } of layoutsOf(plan, senderId).values()) {
          if (!numbers.has(streamNumber) && !isHeld) drop.push({ senderDeviceId: senderId, streamNumber });
        }
      }
      const commands: Command[] = put.length === 0 ? [] : [{ kind: 'lay-out-streams', put, drop }];
      return isWorth(reckoning, commands, goal) ? commands : [];
    },
  };
}

/** The whole plan worked out with it has the last word: more lanes fit, or as many with fewer streams or less load. */
function isWorth(before: Reckoning, commands: readonly Command[], goal: Goal): boolean {
  if (commands.length === 0) return false;
  const applied = applyCommands(before.plan, commands);
  if (!applied.ok) return false;
  const after = reckon(applied.plan, before);
  const score = (r: Reckoning): Score => ({
    excess: lanesRefused(r),
    streams: r.totals.streams,
    load: loadAtTheEnds(r),
  });
  return isBetter(score(after), score(before), goal);
}

function lanesRefused({ lanesByReceiver }: Reckoning): number {
  let refused = 0;
  for (const lanes of lanesByReceiver.values()) {
    for (const { verdict } of lanes.values()) if (verdict === 'refused') refused += 1;
  }
  return refused;
}

/** How long one case is searched on before the next has its turn, in looks at the clock. */
const ROUND_STEPS = 400;

type Numbered = Pick<Stream, 'streamNumber' | 'channels'>;
const isIn = (list: readonly Numbered[], s: Numbered) =>
  list.some((k) => k.streamNumber === s.streamNumber && k.channels.join() === s.channels.join());

/** A sender whose channels are shared out again in one format is laid out again in all, without what nobody wants any more. */
const isChangedAlone = (c: Case) => c.shares !== c.current || c.load < c.loadBefore - 1;

const gain = (c: Case) => c.current.length - fewestStreams(c.sharing);

/**
 * Streams that stay whatever happens: those that are held, those that carry unless they may be interrupted, and those that some
 * of their receivers can only be fed from because they are as they are.
 */
function fixedStreams(
  plan: PlanOf<'sentStreams' | 'layouts'>,
  senderId: string,
  mayInterrupt: boolean,
  now: readonly Stream[],
): KeptStream[] {
  const stay = keptStreams(layoutsOf(plan, senderId), sentStreamsOf(plan, senderId));
  const isNeededSo = (streamNumber: number) => now.some((s) => s.streamNumber === streamNumber && s.isInOrder);
  return stay.filter((k) => k.isHeld || (!mayInterrupt && k.sent !== null) || isNeededSo(k.streamNumber));
}

/** What stays, and what is left to be shared out: one stream for each set of like receivers, as wide as may be. */
function shared(senderId: string, demands: readonly Demand[], fixed: readonly KeptStream[]) {
  const { streams } = packSender(senderId, demands, fixed, Infinity);
  const isFixed = (s: Stream) => s.isInOrder || isIn(fixed, s);
  return { stay: streams.filter(isFixed), open: streams.filter((s) => !isFixed(s)) };
}

function caseOf(
  senderId: string,
  demands: readonly Demand[],
  open: readonly Stream[],
  now: readonly Stream[],
  stay: readonly Stream[],
): Case {
  const first = open[0] as Stream;
  const isOwn = (w: Demand) => w.formatKey === first.formatKey && w.runs === undefined;
  const demandOf = new Map(demands.filter(isOwn).map((w) => [w.receiverDeviceId, w]));
  const receiverIds = [...new Set(open.flatMap((s) => s.receiverDeviceIds))].sort();
  const indexOf = new Map(receiverIds.map((id, n) => [id, n]));
  const channels = open
    .flatMap((s) => {
      const receivers = s.receiverDeviceIds.map((id) => indexOf.get(id) as number).sort((a, b) => a - b);
      const cap = Math.min(...s.receiverDeviceIds.map((id) => demandOf.get(id)?.channelsMax ?? 1));
      return s.channels.map((channel) => ({ channel, receivers, cap }));
    })
    .sort((a, b) => a.channel - b.channel);
  const sharing = { format: first.format, channels };
  const current = currentShares(sharing, now, stay, first.formatKey);
  const legs = receiverIds.map((id) => demandOf.get(id)?.legs.length ?? 1);
  const isOpen = (s: Stream) => s.formatKey === first.formatKey && !s.isInOrder && !isIn(stay, s);
  const loadBefore = now
    .filter(isOpen)
    .reduce((sum, s) => sum + streamLoad(s, (id) => demandOf.get(id)?.legs.length), 0);
  return {
    senderId,
    format: first.format,
    sharing,
    legs,
    receiverIds,
    current,
    loadBefore,
    leastLoad: leastLoad(sharing, legs),
    shares: current,
    load: sharedLoad(sharing, legs, current),
    repacker: null,
    isExhausted: false,
  };
}

/** How the channels travel now. A channel that travels in several streams is counted where it stands first. */
function currentShares(sharing: Sharing, now: readonly Stream[], stay: readonly Stream[], key: string): number[][] {
  const left = new Set(sharing.channels.map((c) => c.channel));
  const shares: number[][] = [];
  for (const stream of now) {
    if (stream.formatKey !== key || stream.isInOrder || isIn(stay, stream)) continue;
    const share = stream.channels.filter((c) => left.delete(c));
    if (share.length > 0) shares.push(share);
  }
  return [...shares, ...[...left].map((c) => [c])];
}

function sharedLoad(sharing: Sharing, legs: readonly number[], shares: readonly (readonly number[])[]): number {
  const bins = new Bins(sharing, { legs, room: legs.map(() => Infinity) }, Infinity);
  const indexOf = new Map(sharing.channels.map((c, n) => [c.channel, n]));
  shares.forEach((share, at) => share.forEach((channel) => bins.put(indexOf.get(channel) as number, at)));
  return bins.score().load;
}

/** By receiver: how many of the shares it receives. */
function reception(c: Case, shares: readonly (readonly number[])[]): Map<string, number> {
  const receiversOf = new Map(c.sharing.channels.map((s) => [s.channel, s.receivers]));
  const counts = new Map<string, number>();
  for (const share of shares) {
    const receivers = new Set(share.flatMap((channel) => receiversOf.get(channel) ?? []));
    for (const r of receivers) {
      const id = c.receiverIds[r] as string;
      counts.set(id, (counts.get(id) ?? 0) + 1);
    }
  }
  return counts;
}

/**
 * All streams of a sender as layouts: what stays under its number, a share that was sent just so under the number it was sent in, the
 * others under numbers where nothing was sent, as long as there are any, so that the old stream can go on until the new one is received.
 */
function layoutsFor(
  plan: PlanOf<'models' | 'devices' | 'sentStreams' | 'layouts'>,
  senderId: string,
  stay: readonly Stream[],
  cases: readonly Case[],
): StreamLayout[] {
  const sent = sentStreamsOf(plan, senderId);
  const held = layoutsOf(plan, senderId);
  const layouts: StreamLayout[] = stay.map(({ streamNumber, channels, format, isHeld }) => ({
    ...{ senderDeviceId: senderId, streamNumber, channels, format, isHeld },
  }));
  const taken = new Set(layouts.map((l) => l.streamNumber));
  for (const { streamNumber, isHeld } of held.values()) if (isHeld) taken.add(streamNumber);
  // A stream keeps the legs that it was sent on: one that is wanted on fewer is another stream.
  const isLike = ({ format, sharing, legs }: Case, share: readonly number[]) => {
    const receivers = sharing.channels.filter((c) => share.includes(c.channel)).flatMap((c) => c.receivers);
    const legCount = Math.max(...receivers.map((r) => legs[r] ?? 1));
    return [...sent.values()].find(
      (s) =>
        !taken.has(s.streamNumber) &&
        Number(s.groupA !== null) + Number(s.groupB !== null) <= legCount &&
        formatKey(s.format) === formatKey(format) &&
        s.channels.length === share.length &&
        s.channels.every((c) => share.includes(c)),
    );
  };
  const open: { format: StreamFormat; share: readonly number[] }[] = [];
  for (const c of cases) {
    const { format } = c;
    for (const share of c.shares) {
      const was = isLike(c, share);
      if (was === undefined) open.push({ format, share });
      else {
        layouts.push({
          senderDeviceId: senderId,
          streamNumber: was.streamNumber,
          channels: was.channels,
          format,
          isHeld: false,
        });
        taken.add(was.streamNumber);
      }
    }
  }
  const places = modelOf(plan, senderId)?.streamsSend ?? 0;
  const all = Array.from({ length: Math.max(places, layouts.length + open.length) }, (_, n) => n + 1);
  const free = all.filter((streamNumber) => !taken.has(streamNumber));
  const order = [
    ...free.filter((streamNumber) => !sent.has(streamNumber)),
    ...free.filter((streamNumber) => sent.has(streamNumber)),
  ];
  open.forEach(({ format, share }, n) => {
    const streamNumber = order[n] ?? all.length + n + 1;
    layouts.push({ senderDeviceId: senderId, streamNumber, channels: share, format, isHeld: false });
  });
  return layouts;
}

/** Bits per second where streams leave their senders and where they enter receivers, both legs, without VLAN tags. */
export function loadAtTheEnds(reckoning: Reckoning): number {
  const legsOf = new Map<string, number>();
  for (const [receiverId, lanes] of reckoning.lanesByReceiver) {
    for (const { reception: h } of lanes.values()) {
      if (h !== null) legsOf.set(`${h.stream.id}\n${receiverId}`, h.legs.length);
    }
  }
  let load = 0;
  for (const streams of reckoning.streamsBySender.values()) {
    for (const stream of streams) load += streamLoad(stream, (r) => legsOf.get(`${stream.id}\n${r}`));
  }
  return load;
}

function streamLoad(stream: Stream, legsOf: (receiverId: string) => number | undefined): number {
  const { width, format, legs, receiverDeviceIds } = stream;
  const perSecond = format.rateHz / samplesPerPacket(format.rateHz, format.packetTimeUs);
  const copies = receiverDeviceIds.reduce((n, r) => n + (legsOf(r) ?? legs.length), legs.length);
  return wireBytesOf(width, format) * 8 * perSecond * copies;
}
