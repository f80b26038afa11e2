import { samplesPerPacket, type StreamFormat } from './format';
import { wireBytesOf } from './wire';

/** Channels of one sender in one format that are to be shared out among streams ("bins"), each channel into just one. */
export interface Sharing {
  readonly format: StreamFormat;
  readonly channels: readonly SharedChannel[];
}

/** A channel with those who receive it. */
export interface SharedChannel {
  readonly channel: number;
  /** Indexes of receivers. */
  readonly receivers: readonly number[];
  /** Most channels of a stream that all of them can receive. */
  readonly cap: number;
}

/** What sharing out is held to: the less the better. */
export interface Score {
  /** Streams beyond what sender and receivers have room for. */
  readonly excess: number;
  readonly streams: number;
  /** Bits per second where streams leave the sender and where they enter receivers, both legs. */
  readonly load: number;
}

/** Room comes first; then the fewest streams with the least load among those, or the least load in the fewest streams. */
const GOALS = ['streams', 'load'] as const;
export type Goal = (typeof GOALS)[number];

export function isBetter(a: Score, b: Score, goal: Goal = 'streams'): boolean {
  if (a.excess !== b.excess) return a.excess < b.excess;
  const load = Math.abs(a.load - b.load) < 1e-3 ? 0 : a.load - b.load;
  const streams = a.streams - b.streams;
  return (goal === 'streams' ? streams || load : load || streams) < 0;
}

/** By index of receiver: how many more streams it can receive, and on how many legs. */
export interface Receivers {
  readonly room: readonly number[];
  readonly legs: readonly number[];
}

/**
 * The least number of streams that can hold the channels: in a stream of k channels everyone's limit is at least k, so the
 * sum of 1 / limit over its channels is at most 1.
 */
export function fewestStreams(sharing: Sharing): number {
  const sum = sharing.channels.reduce((total, c) => total + 1 / c.cap, 0);
  return Math.ceil(sum - 1e-9);
}

/**
 * The least load there can be: the sender sends every channel once in as few streams as can be, and every receiver gets just
 * what it receives in as few streams as can be.
 */
export function leastLoad(sharing: Sharing, legs: readonly number[]): number {
  const { format, channels } = sharing;
  const perSecond = format.rateHz / samplesPerPacket(format.rateHz, format.packetTimeUs);
  const channelBits = (wireBytesOf(16, format) - wireBytesOf(15, format)) * 8 * perSecond;
  // Of a frame that is not padded; padding makes small ones larger still.
  const packetBits = wireBytesOf(16, format) * 8 * perSecond - 16 * channelBits;
  const widest = channels.reduce((max, c) => Math.max(max, c.cap), 1);
  const heard = legs.map(() => 0);
  let sent = 0;
  for (const { receivers } of channels) {
    // A channel travels on as many legs as the best connected of its receivers has.
    sent = Math.min(sent === 0 ? Infinity : sent, Math.max(...receivers.map((r) => legs[r] as number)));
    for (const r of receivers) heard[r] = (heard[r] as number) + 1;
  }
  const load = (count: number, streams: number) => count * channelBits + streams * packetBits;
  const delivered = heard.reduce((sum, n, r) => sum + load(n, Math.ceil(n / widest)) * (legs[r] as number), 0);
  return delivered + load(channels.length, fewestStreams(sharing)) * sent;
}

/** One stream while channels are moved about. */
interface Bin {
  /** Indexes into the sharing's channels. */
  readonly members: Set<number>;
  /** By receiver: how many of the channels it receives. */
  readonly heard: Map<number, number>;
  /** By number of legs: how many of those who receive any are on so many. */
  readonly onLegs: number[];
  load: number;
}

/**
 * An assignment of channels to bins whose score follows every move at once. Bins hold what they may; the receivers' and the
 * sender's room are counted in the score.
 */
export class Bins {
  readonly bins: Bin[] = [];
  readonly binOf: Int32Array;
  /** Channels of one number go to the same receivers: swapping them changes nothing. */
  readonly kindOf: readonly number[];
  private readonly joined: Int32Array;
  private readonly bitsByWidth: readonly number[];
  private excess = 0;
  private used = 0;
  private load = 0;

  constructor(
    readonly sharing: Sharing,
    private readonly receivers: Receivers,
    /** Streams the sender has room for. */
    private readonly senderRoom: number,
  ) {
    this.binOf = new Int32Array(sharing.channels.length).fill(-1);
    const kinds = new Map<string, number>();
    this.kindOf = sharing.channels.map(({ cap, receivers }) => {
      const key = `${cap}|${receivers.join()}`;
      const kind = kinds.get(key) ?? kinds.size;
      kinds.set(key, kind);
      return kind;
    });
    this.joined = new Int32Array(receivers.room.length);
    const { format } = sharing;
    const perSecond = format.rateHz / samplesPerPacket(format.rateHz, format.packetTimeUs);
    const widest = sharing.channels.reduce((max, c) => Math.max(max, c.cap), 0);
    this.bitsByWidth = Array.from({ length: widest + 2 }, (_, n) => {
      const width = format.encoding === 'AM824' ? n + (n % 2) : n;
      return n === 0 ? 0 : wireBytesOf(width, format) * 8 * perSecond;
    });
  }

  score(): Score {
    return {
      excess: this.excess + Math.max(0, this.used - this.senderRoom),
      streams: this.used,
      load: this.load,
    };
  }

  /** The channel numbers of the bins that hold any, each in rising order. */
  shares(): number[][] {
    return this.bins
      .filter((b) => b.members.size > 0)
      .map((b) => [...b.members].map((n) => (this.sharing.channels[n] as SharedChannel).channel).sort((x, y) => x - y))
      .sort((x, y) => (x[0] as number) - (y[0] as number));
  }

  /** Whether the channel may join the bin (which may be one behind the last: a new one). */
  fits(n: number, at: number): boolean {
    const bin = this.bins[at];
    if (bin === undefined) return true;
    const width = bin.members.size + 1;
    if ((this.sharing.channels[n] as SharedChannel).cap < width) return false;
    for (const m of bin.members) if ((this.sharing.channels[m] as SharedChannel).cap < width) return false;
    return true;
  }

  /** An index at which there is no stream yet. */
  empty(): number {
    const found = this.bins.findIndex((b) => b.members.size === 0);
    return found === -1 ? this.bins.length : found;
  }

  put(n: number, at: number): void {
    const bin = (this.bins[at] ??= { members: new Set(), heard: new Map(), onLegs: [], load: 0 });
    if (bin.members.size === 0) this.used += 1;
    bin.members.add(n);
    this.binOf[n] = at;
    for (const r of (this.sharing.channels[n] as SharedChannel).receivers) {
      const count = bin.heard.get(r) ?? 0;
      bin.heard.set(r, count + 1);
      if (count > 0) continue;
      const legs = this.receivers.legs[r] as number;
      bin.onLegs[legs] = (bin.onLegs[legs] ?? 0) + 1;
      const joined = (this.joined[r] as number) + 1;
      this.joined[r] = joined;
      if (joined > (this.receivers.room[r] as number)) this.excess += 1;
    }
    this.weigh(bin);
  }

  take(n: number): void {
    const bin = this.bins[this.binOf[n] as number] as Bin;
    bin.members.delete(n);
    this.binOf[n] = -1;
    if (bin.members.size === 0) this.used -= 1;
    for (const r of (this.sharing.channels[n] as SharedChannel).receivers) {
      const count = bin.heard.get(r) as number;
      if (count > 1) bin.heard.set(r, count - 1);
      else {
        bin.heard.delete(r);
        const legs = this.receivers.legs[r] as number;
        bin.onLegs[legs] = (bin.onLegs[legs] as number) - 1;
        const joined = this.joined[r] as number;
        this.joined[r] = joined - 1;
        if (joined > (this.receivers.room[r] as number)) this.excess -= 1;
      }
    }
    this.weigh(bin);
  }

  move(n: number, to: number): void {
    this.take(n);
    this.put(n, to);
  }

  private weigh(bin: Bin): void {
    this.load -= bin.load;
    if (bin.members.size === 0) bin.load = 0;
    else {
      let sent = 0;
      let delivered = 0;
      for (let legs = 1; legs < bin.onLegs.length; legs += 1) {
        const count = bin.onLegs[legs] ?? 0;
        if (count > 0) sent = legs;
        delivered += count * legs;
      }
      bin.load = (this.bitsByWidth[bin.members.size] as number) * (sent + delivered);
    }
    this.load += bin.load;
  }
}
