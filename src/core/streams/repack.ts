import {
  Bins,
  fewestStreams,
  isBetter,
  type Goal,
  type Receivers,
  type Score,
  type SharedChannel,
  type Sharing,
} from './bins';

/**
 * Shares channels out among streams better than they are: first within every budget, then as the goal says. Small cases are
 * searched to the end; larger ones begin with a good answer (like receivers together, streams filled), are put in order until
 * `isOver`, and get better for as long as `improve` is called. Deterministic.
 */
export interface Repacker {
  readonly lowerBound: number;
  /** The best so far. */
  score(): Score;
  shares(): readonly (readonly number[])[];
  /** Whether it is known that nothing is better. */
  isOptimal(): boolean;
  /** Searches on until `isOver` says so; false: there is nothing left to try. */
  improve(isOver: () => boolean): boolean;
}

/** Up to so many steps a case is searched to the end. */
const EXACT_STEPS = 60_000;
const EXACT_CHANNELS = 14;

interface RepackerOptions {
  readonly goal?: Goal;
  /** When the first answer has to be there. */
  readonly isOver?: () => boolean;
}

export function repacker(
  sharing: Sharing,
  receivers: Receivers,
  senderRoom: number,
  current: readonly (readonly number[])[],
  { goal = 'streams', isOver = () => false }: RepackerOptions = {},
): Repacker {
  const lowerBound = fewestStreams(sharing);
  const indexOf = new Map(sharing.channels.map((c, n) => [c.channel, n]));
  const bins = new Bins(sharing, receivers, senderRoom);
  current.forEach((share, at) => share.forEach((c) => bins.put(indexOf.get(c) as number, at)));
  let best: { score: Score; shares: readonly (readonly number[])[] } = { score: bins.score(), shares: current };
  const take = (candidate: Bins) => {
    if (!isBetter(candidate.score(), best.score, goal)) return false;
    best = { score: candidate.score(), shares: candidate.shares() };
    return true;
  };
  const reset = (shares: readonly (readonly number[])[]) => {
    for (let n = 0; n < sharing.channels.length; n += 1) if (bins.binOf[n] !== -1) bins.take(n);
    shares.forEach((share, at) => share.forEach((c) => bins.put(indexOf.get(c) as number, at)));
  };

  let isProven = false;
  if (sharing.channels.length <= EXACT_CHANNELS) {
    reset([]);
    isProven = searchToTheEnd(bins, best.score, lowerBound, goal, take);
  }
  if (!isProven) {
    for (const start of [poured(sharing), fitted(sharing, lowerBound)]) {
      reset(start);
      take(bins);
    }
    reset(best.shares);
    descend(bins, goal, isOver);
    take(bins);
  }

  let seed = 1;
  const random = (below: number) => {
    seed = (seed * 48_271) % 2_147_483_647;
    return seed % below;
  };
  return {
    lowerBound,
    score: () => best.score,
    shares: () => best.shares,
    isOptimal: () => isProven,
    improve(isEnough) {
      if (isProven || sharing.channels.length < 3 || best.shares.length < 2) return false;
      // Shaken a little and put in order again: what comes out better is kept.
      while (!isEnough()) {
        reset(best.shares);
        const shakes = 2 + random(4);
        for (let k = 0; k < shakes; k += 1) shake(bins, random);
        descend(bins, goal, isEnough);
        take(bins);
      }
      return true;
    },
  };
}

const memberKey = (c: SharedChannel) => `${c.cap}|${c.receivers.join()}`;

/** Channels with the same receivers side by side, narrow ones first, poured into streams that are filled to the brim. */
function poured(sharing: Sharing): number[][] {
  const order = [...sharing.channels].sort(
    (a, b) =>
      a.cap - b.cap || (memberKey(a) < memberKey(b) ? -1 : memberKey(a) > memberKey(b) ? 1 : a.channel - b.channel),
  );
  const shares: number[][] = [];
  let cap = 0;
  for (const c of order) {
    const last = shares.at(-1);
    // The narrowest of a stream is its first.
    if (last !== undefined && last.length < cap) last.push(c.channel);
    else {
      shares.push([c.channel]);
      cap = c.cap;
    }
  }
  return shares;
}

/** Largest groups of like receivers first, each where it brings the fewest new receivers; a new stream only while there may be. */
function fitted(sharing: Sharing, streamsMin: number): number[][] {
  const groups = new Map<string, SharedChannel[]>();
  for (const c of sharing.channels) groups.set(memberKey(c), [...(groups.get(memberKey(c)) ?? []), c]);
  const bins: { channels: number[]; cap: number; heard: Set<number> }[] = [];
  const bySize = [...groups.values()].sort(
    (a, b) => b.length - a.length || (a[0]?.channel ?? 0) - (b[0]?.channel ?? 0),
  );
  for (const group of bySize) {
    const { cap, receivers } = group[0] as SharedChannel;
    let left = group.map((c) => c.channel);
    while (left.length > 0) {
      let at = -1;
      let least = Infinity;
      bins.forEach((bin, n) => {
        const room = Math.min(bin.cap, cap) - bin.channels.length;
        if (room <= 0) return;
        const added = receivers.filter((r) => !bin.heard.has(r)).length + (bin.heard.size + receivers.length) / 1e3;
        const cost = added + (room < left.length ? 0.5 : 0);
        if (cost < least) [least, at] = [cost, n];
      });
      if (at === -1 || (least >= 1 && bins.length < streamsMin)) {
        at = bins.length;
        bins.push({ channels: [], cap, heard: new Set() });
      }
      const bin = bins[at] as (typeof bins)[number];
      bin.cap = Math.min(bin.cap, cap);
      const part = left.slice(0, bin.cap - bin.channels.length);
      left = left.slice(part.length);
      bin.channels.push(...part);
      receivers.forEach((r) => bin.heard.add(r));
    }
  }
  return bins.map((b) => b.channels);
}

/** Moves and swaps single channels for as long as anything gets better. */
function descend(bins: Bins, goal: Goal, isOver: () => boolean): void {
  const count = bins.sharing.channels.length;
  let isMoved = true;
  while (isMoved && !isOver()) {
    isMoved = false;
    for (let n = 0; n < count; n += 1) {
      if (isOver()) return;
      if (moveToBest(bins, n, goal) || swapToBetter(bins, n, goal)) isMoved = true;
    }
  }
}

function moveToBest(bins: Bins, n: number, goal: Goal): boolean {
  const from = bins.binOf[n] as number;
  let best = bins.score();
  let to = -1;
  const empty = bins.empty();
  const isCandidate = (at: number) => at === empty || (bins.bins[at]?.members.size ?? 0) > 0;
  for (let at = 0; at <= Math.max(empty, bins.bins.length - 1); at += 1) {
    if (at === from || !isCandidate(at) || !bins.fits(n, at)) continue;
    bins.move(n, at);
    if (isBetter(bins.score(), best, goal)) [best, to] = [bins.score(), at];
    bins.move(n, from);
  }
  if (to === -1) return false;
  bins.move(n, to);
  return true;
}

function swapToBetter(bins: Bins, n: number, goal: Goal): boolean {
  const before = bins.score();
  for (let m = n + 1; m < bins.binOf.length; m += 1) {
    const here = bins.binOf[n] as number;
    const there = bins.binOf[m] as number;
    if (here === there || bins.kindOf[n] === bins.kindOf[m]) continue;
    if (swap(bins, n, m) && isBetter(bins.score(), before, goal)) return true;
    put(bins, n, here, m, there);
  }
  return false;
}

/** Swaps two channels between their bins; false where one does not fit. */
function swap(bins: Bins, n: number, m: number): boolean {
  const here = bins.binOf[n] as number;
  const there = bins.binOf[m] as number;
  bins.take(n);
  bins.take(m);
  const fits = bins.fits(n, there) && bins.fits(m, here);
  bins.put(n, there);
  bins.put(m, here);
  return fits;
}

function put(bins: Bins, n: number, here: number, m: number, there: number): void {
  bins.take(n);
  bins.take(m);
  bins.put(n, here);
  bins.put(m, there);
}

function shake(bins: Bins, random: (below: number) => number): void {
  const count = bins.sharing.channels.length;
  const n = random(count);
  const m = random(count);
  const [here, there] = [bins.binOf[n] as number, bins.binOf[m] as number];
  if (here === there) return;
  if (!swap(bins, n, m)) put(bins, n, here, m, there);
}

/**
 * Tries every way to share the channels out, but for those that cannot lead to anything better: a score only grows as
 * channels are added. Channels with like receivers are taken in rising order of bins, as swapping them changes nothing. Returns
 * whether it came to the end within EXACT_STEPS.
 */
function searchToTheEnd(
  bins: Bins,
  current: Score,
  streamsMin: number,
  goal: Goal,
  take: (bins: Bins) => boolean,
): boolean {
  const kinds = bins.kindOf;
  const order = bins.sharing.channels.map((_, n) => n);
  order.sort((a, b) => (kinds[a] as number) - (kinds[b] as number) || a - b);
  let best = current;
  let left = EXACT_STEPS;
  const go = (depth: number, used: number): boolean => {
    if (left <= 0) return false;
    left -= 1;
    const score = bins.score();
    const least = { ...score, streams: Math.max(score.streams, streamsMin) };
    if (!isBetter(least, best, goal)) return true;
    if (depth === order.length) {
      if (take(bins)) best = score;
      return true;
    }
    const n = order[depth] as number;
    const before = order[depth - 1];
    const first = before !== undefined && kinds[before] === kinds[n] ? (bins.binOf[before] as number) : 0;
    for (let at = first; at <= used; at += 1) {
      if (!bins.fits(n, at)) continue;
      bins.put(n, at);
      const isDone = go(depth + 1, Math.max(used, at + 1));
      bins.take(n);
      if (!isDone) return false;
    }
    return true;
  };
  return go(0, 0);
}
