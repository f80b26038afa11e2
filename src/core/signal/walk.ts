/** One channel of a walk, and the one that it was reached from. */
export interface Reached {
  readonly node: number;
  /** Null: it is where the walk starts. */
  readonly from: Reached | null;
}

/** Of a channel that was reached: what the walk goes on to. Asked once for each, after it was given out; none: the walk ends there. */
export type LeadsOn = (reached: Reached) => Iterable<number>;

/** Each channel once, those first that are the fewest steps away. */
export function* nearestFirst(starts: Iterable<number>, leadsOn: LeadsOn): Generator<Reached> {
  const seen = new Set(starts);
  const left: Reached[] = Array.from(seen, (node) => ({ node, from: null }));
  for (let at = 0; at < left.length; at += 1) {
    const reached = left[at] as Reached;
    yield reached;
    for (const node of leadsOn(reached)) {
      if (seen.has(node)) continue;
      seen.add(node);
      left.push({ node, from: reached });
    }
  }
}

/** By node, whether a walk reaches it: where nobody asks in which order, or from where. */
export function allReached(
  size: number,
  starts: Iterable<number>,
  leadsOn: (node: number) => ArrayLike<number>,
): Uint8Array {
  const isReached = new Uint8Array(size);
  const left = [...starts];
  for (const node of left) isReached[node] = 1;
  for (let node = left.pop(); node !== undefined; node = left.pop()) {
    const next = leadsOn(node);
    for (let k = 0; k < next.length; k += 1) {
      const one = next[k] as number;
      if (isReached[one] === 1) continue;
      isReached[one] = 1;
      left.push(one);
    }
  }
  return isReached;
}

/** Each way to its end before the next: each channel once, and once more where it closes a loop. */
export function* wayByWay(start: number, leadsOn: LeadsOn): Generator<Reached & { readonly isLoop: boolean }> {
  const seen = new Set<number>();
  const left: (Reached & { readonly isLoop: boolean })[] = [{ node: start, from: null, isLoop: false }];
  for (let reached = left.pop(); reached !== undefined; reached = left.pop()) {
    // It waited here, and was reached through another channel meanwhile.
    if (!reached.isLoop && seen.has(reached.node)) continue;
    seen.add(reached.node);
    yield reached;
    if (reached.isLoop) continue;
    for (const node of [...leadsOn(reached)].reverse()) {
      // A channel reached on two ways is given once; only one that the sound came through itself closes a loop.
      const isLoop = isOnTheWay(reached, node);
      if (isLoop || !seen.has(node)) left.push({ node, from: reached, isLoop });
    }
  }
}

function isOnTheWay(reached: Reached, node: number): boolean {
  for (let at: Reached | null = reached; at !== null; at = at.from) if (at.node === node) return true;
  return false;
}

/** Each channel after all that it leads on to, as far as there is no loop. Nothing recurs, as a chain may be long. */
export function* endsFirst(start: number, leadsOn: (node: number) => ArrayLike<number>): Generator<number> {
  const entered = new Set([start]);
  const path = [{ node: start, next: leadsOn(start), at: 0 }];
  for (let top = path.at(-1); top !== undefined; top = path.at(-1)) {
    const node = top.next[top.at];
    top.at += 1;
    if (node === undefined) {
      yield top.node;
      path.pop();
    } else if (!entered.has(node)) {
      entered.add(node);
      path.push({ node, next: leadsOn(node), at: 0 });
    }
  }
}

/** A channel and those behind it, as long as the next is known; a ring ends where it would close. */
export function* along(start: number, next: (node: number) => number | undefined): Generator<number> {
  const seen = new Set<number>();
  for (let node: number | undefined = start; node !== undefined && node >= 0 && !seen.has(node); node = next(node)) {
    seen.add(node);
    yield node;
  }
}

/** The nodes of a way to a channel, from where the walk started. */
export function wayTo(reached: Reached): number[] {
  const way: number[] = [];
  for (let at: Reached | null = reached; at !== null; at = at.from) way.unshift(at.node);
  return way;
}
