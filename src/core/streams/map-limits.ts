import type { MapLimits } from '../models/models-table';

/**
 * Limits of channel maps (IS-08 v1.0, caps of an input). With a block size of b the channels of an input are routed in whole
 * blocks: the b from a multiple of b on go together, in their order, to b consecutive channels of one output. Without reordering what
 * an output takes from an input stands there in the order in which it stands in the input. Indexes count from 0, as in IS-08.
 */

export interface MapEntry {
  readonly input: string;
  readonly index: number;
}
/** What feeds each channel of one output; channels that nothing feeds are not in it. */
type OutputMap = ReadonlyMap<number, MapEntry>;

interface MapProblem {
  readonly output: number;
  readonly input: string;
  readonly broken: 'block' | 'order';
}

/** The first channel of an output at which its map breaks the limits of an input; null: it keeps them all. */
export function mapProblem(map: OutputMap, limitsOf: (input: string) => MapLimits | null): MapProblem | null {
  const lastOf = new Map<string, number>();
  for (const output of [...map.keys()].sort((a, b) => a - b)) {
    const { input, index } = map.get(output) as MapEntry;
    const limits = limitsOf(input);
    if (limits === null) continue;
    const start = output - (index % limits.blockSize);
    for (let n = 0; n < limits.blockSize; n += 1) {
      const other = map.get(start + n);
      const wanted = index - (index % limits.blockSize) + n;
      if (other?.input !== input || other.index !== wanted) return { output, input, broken: 'block' };
    }
    if (!limits.reordering && index < (lastOf.get(input) ?? -1)) return { output, input, broken: 'order' };
    lastOf.set(input, index);
  }
  return null;
}

/** A lane as the limits of its receiver see it. Channels and positions count from 1. */
export interface MappedLane {
  readonly channel: number;
  /** Lanes of one stream share it. */
  readonly stream: unknown;
  readonly position: number;
  /** Channels of that stream: what lies beyond is empty. */
  readonly width: number;
}

/**
 * Receiver channels that cannot be fed as wished, with why. Blocks of a receiver begin at its first channel: each is fed from one
 * block of one stream, and a channel of it that is to receive nothing has to meet a position that is empty.
 */
export function unmappable(limits: MapLimits, lanes: readonly MappedLane[]): Map<number, 'block' | 'order'> {
  const problems = new Map<number, 'block' | 'order'>();
  const { blockSize, reordering } = limits;
  const blocks = new Map<number, MappedLane[]>();
  for (const lane of lanes) {
    const block = Math.floor((lane.channel - 1) / blockSize);
    const known = blocks.get(block);
    if (known === undefined) blocks.set(block, [lane]);
    else known.push(lane);
  }
  for (const [block, own] of blocks) {
    const first = own[0] as MappedLane;
    const offset = (l: MappedLane) => l.channel - 1 - block * blockSize;
    const base = first.position - 1 - offset(first);
    const isWhole =
      base >= 0 &&
      base % blockSize === 0 &&
      own.every((l) => l.stream === first.stream && l.position - 1 - offset(l) === base);
    // Positions of the block that are not empty and that no lane of it wants.
    const filled = Math.min(blockSize, first.width - base);
    const isClean = own.filter((l) => offset(l) < filled).length === filled;
    if (!isWhole || !isClean) for (const l of own) problems.set(l.channel, 'block');
  }
  if (reordering) return problems;
  const last = new Map<unknown, number>();
  for (const lane of [...lanes].sort((a, b) => a.channel - b.channel)) {
    if (problems.has(lane.channel)) continue;
    if (lane.position < (last.get(lane.stream) ?? 0)) problems.set(lane.channel, 'order');
    else last.set(lane.stream, lane.position);
  }
  return problems;
}

/** The channels that a sender with limits puts into a stream together with these: their whole blocks, each once, in order. */
export function wholeBlocksOf(blockSize: number, channels: readonly number[], channelCount: number): number[] {
  const blocks = [...new Set(channels.map((c) => Math.floor((c - 1) / blockSize)))].sort((a, b) => a - b);
  return blocks.flatMap((block) => {
    const first = block * blockSize + 1;
    return Array.from({ length: Math.min(blockSize, channelCount - first + 1) }, (_, n) => first + n);
  });
}

/** Whether a sender with limits can put just these channels into a stream; 0: a position that is left empty. */
export function canBeSent(
  { blockSize, reordering }: MapLimits,
  channels: readonly number[],
  channelCount: number,
): boolean {
  const wholes = wholeBlocksOf(
    blockSize,
    channels.filter((c) => c > 0),
    channelCount,
  );
  const isWhole = wholes.every((c) => {
    const inBlock = (c - 1) % blockSize;
    const at = channels.indexOf(c);
    return at >= inBlock && channels[at - inBlock] === c - inBlock;
  });
  const isOnce = new Set(channels.filter((c) => c > 0)).size === channels.filter((c) => c > 0).length;
  const isInOrder = (a: number[]) => a.every((c, n) => n === 0 || c > (a[n - 1] as number));
  return isWhole && (blockSize === 1 || isOnce) && (reordering || isInOrder(channels.filter((c) => c > 0)));
}

/** Sender channels that a receiver wants in one piece: a block, or all in this order. */
export interface Run {
  readonly channels: readonly number[];
  /** 1: not in a block, only in order. */
  readonly blockSize: number;
  /**
   * Set where the receiver has no channel map: every position has to be as it stands in `channels`, 0 for nothing, over the
   * whole width of the receiver's stream.
   */
  readonly orderedFor?: { readonly streamNumber: number; readonly width: number };
}

/**
 * What a receiver with limits wants of one sender, as runs that one stream each can carry. Channels that no stream could
 * bring as wished (a gap in a block, one sender channel twice) are left to be packed as they come.
 * @param wanted receiver and sender channels, in the order of receiver channels
 */
export function runsOf(
  limits: MapLimits,
  wanted: readonly { readonly receiverChannel: number; readonly senderChannel: number }[],
  channelsMax: number,
): { runs: Run[]; loose: number[] } {
  const { blockSize, reordering } = limits;
  const runs: Run[] = [];
  const loose: number[] = [];
  if (blockSize > 1) {
    const blocks = new Map<number, { offset: number; channel: number }[]>();
    for (const { receiverChannel, senderChannel } of wanted) {
      const block = Math.floor((receiverChannel - 1) / blockSize);
      const entry = { offset: (receiverChannel - 1) % blockSize, channel: senderChannel };
      const known = blocks.get(block);
      if (known === undefined) blocks.set(block, [entry]);
      else known.push(entry);
    }
    for (const own of blocks.values()) {
      const channels = own.map((e) => e.channel);
      const isGapless = own.every((e, n) => e.offset === n);
      if (isGapless && new Set(channels).size === channels.length && channels.length <= channelsMax) {
        runs.push({ channels, blockSize });
      } else loose.push(...channels);
    }
    return { runs, loose };
  }
  const channels = wanted.map((w) => w.senderChannel);
  const isAscending = channels.every((c, n) => n === 0 || c > (channels[n - 1] as number));
  // In the order of the sender they come anyway.
  if (reordering || isAscending || new Set(channels).size !== channels.length) return { runs, loose: channels };
  for (let from = 0; from < channels.length; from += channelsMax) {
    runs.push({ channels: channels.slice(from, from + channelsMax), blockSize: 1 });
  }
  return { runs, loose };
}

/** Whether a stream with these channels brings the run as it is wanted. */
export function bringsRun(stream: readonly number[], { channels, blockSize, orderedFor }: Run): boolean {
  if (orderedFor !== undefined) {
    const isJust = (c: number, n: number) => n >= orderedFor.width || c === (channels[n] ?? 0);
    return channels.length <= stream.length && stream.every(isJust);
  }
  if (blockSize === 1) {
    let at = -1;
    return channels.every((c) => {
      const next = stream.indexOf(c, at + 1);
      at = next;
      return next >= 0;
    });
  }
  const start = stream.indexOf(channels[0] as number);
  return (
    start >= 0 &&
    start % blockSize === 0 &&
    channels.every((c, n) => stream[start + n] === c) &&
    (channels.length === blockSize || start + channels.length === stream.length)
  );
}

/** As `bringsRun`; where the receiver has no channel map other channels may come along. */
export function bringsRunWithOthers(stream: readonly number[], run: Run): boolean {
  return run.orderedFor === undefined
    ? bringsRun(stream, run)
    : run.channels.every((c, n) => c === 0 || stream[n] === c);
}
