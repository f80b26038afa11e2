import type { Subscription } from '../plan/subscriptions-table';
import type { Hearing, Lane, LaneReason } from './lane';

/** No stream carries the lane. */
const NO_HEARING = -1;

/**
 * The lanes of one receiver, by receiver channel. They are kept as columns, and a lane is made when it is read: a plan has a
 * hundred thousand of them, and an edit looks at a few.
 */
export class LaneTable implements ReadonlyMap<number, Lane> {
  private readonly hearingOf: Int16Array;
  private readonly positions: Uint8Array;
  private readonly reasons: (LaneReason | null)[] | null;
  /** How many lanes are refused. */
  readonly refused: number;
  readonly longestOffsetNs: number;
  /** By hearing: how many lanes it carries that are not refused. */
  readonly carriedBy: Uint16Array;

  /** @param lanes in the order of receiver channels */
  constructor(
    private readonly lanes: readonly Subscription[],
    /** The streams that are heard, in the order of senders. */
    readonly hearings: readonly Hearing[],
    columns: { hearingOf: Int16Array; positions: Uint8Array; reasons: (LaneReason | null)[] | null },
  ) {
    this.hearingOf = columns.hearingOf;
    this.positions = columns.positions;
    this.reasons = columns.reasons;
    this.carriedBy = new Uint16Array(hearings.length);
    let refused = 0;
    for (let n = 0; n < lanes.length; n += 1) {
      if (this.reasons !== null && this.reasons[n] !== null) refused += 1;
      else {
        const h = this.hearingOf[n] as number;
        this.carriedBy[h] = (this.carriedBy[h] as number) + 1;
      }
    }
    this.refused = refused;
    let longest = 0;
    for (let h = 0; h < hearings.length; h += 1) {
      const { offsetNs } = (hearings[h] as Hearing).offset;
      if ((this.carriedBy[h] as number) > 0 && offsetNs > longest) longest = offsetNs;
    }
    this.longestOffsetNs = longest;
  }

  get size(): number {
    return this.lanes.length;
  }

  private at(n: number): Lane {
    const subscription = this.lanes[n] as Subscription;
    const h = this.hearingOf[n] as number;
    const hearing = h === NO_HEARING ? null : (this.hearings[h] as Hearing);
    const reason = this.reasons?.[n] ?? null;
    if (reason !== null) return { verdict: 'refused', subscription, reason, hearing };
    const heard = hearing as Hearing;
    const verdict = heard.caution === null || heard.caution.code === 'path-unknown' ? 'fits' : 'caution';
    return { verdict, subscription, hearing: heard, position: this.positions[n] as number };
  }

  /** Whether any lane of it is refused or has anything to be told of it. */
  get isAnyOdd(): boolean {
    return this.refused > 0 || this.hearings.some((h) => h.caution !== null);
  }

  private placeOf(channel: number): number {
    let low = 0;
    let high = this.lanes.length - 1;
    while (low <= high) {
      const middle = (low + high) >> 1;
      const found = (this.lanes[middle] as Subscription).receiverChannel;
      if (found === channel) return middle;
      if (found < channel) low = middle + 1;
      else high = middle - 1;
    }
    return -1;
  }

  get(channel: number): Lane | undefined {
    const n = this.placeOf(channel);
    return n < 0 ? undefined : this.at(n);
  }

  has(channel: number): boolean {
    return this.placeOf(channel) >= 0;
  }

  *keys(): MapIterator<number> {
    for (const lane of this.lanes) yield lane.receiverChannel;
  }

  *values(): MapIterator<Lane> {
    for (let n = 0; n < this.lanes.length; n += 1) yield this.at(n);
  }

  *entries(): MapIterator<[number, Lane]> {
    for (let n = 0; n < this.lanes.length; n += 1) yield [(this.lanes[n] as Subscription).receiverChannel, this.at(n)];
  }

  [Symbol.iterator](): MapIterator<[number, Lane]> {
    return this.entries();
  }

  forEach(each: (lane: Lane, channel: number, lanes: ReadonlyMap<number, Lane>) => void): void {
    for (const [channel, lane] of this) each(lane, channel, this);
  }
}

/** Columns of so many lanes, which no stream carries yet. */
export function openColumns(count: number): { hearingOf: Int16Array; positions: Uint8Array } {
  return { hearingOf: new Int16Array(count).fill(NO_HEARING), positions: new Uint8Array(count) };
}
