import type { Subscription } from '../plan/subscriptions-table';
import type { Reception, Lane, LaneReason } from './lane';
import type { Wish } from './wishes';

/** How a lane is received as one number: the place among the receptions plus one, then the position in the stream; 0: by no stream. */
export const RECEPTION_SHIFT = 8;
const POSITION_MASK = (1 << RECEPTION_SHIFT) - 1;

/**
 * The lanes of one receiver, by receiver channel. They are kept as columns, and a lane is made when it is read: a plan has a
 * hundred thousand of them, and an edit looks at a few.
 */
export class LaneTable implements ReadonlyMap<number, Lane> {
  /** How many lanes are refused. */
  readonly refused: number;
  readonly longestOffsetNs: number;
  /** By reception: how many lanes it carries that are not refused. */
  readonly carriedBy: readonly number[];

  /**
   * @param wish what the receiver is to receive
   * @param receptions the streams that it receives, in the order of senders
   * @param heard by lane, as RECEPTION_SHIFT says
   * @param reasons by lane; null: none is refused
   */
  constructor(
    readonly wish: Wish,
    readonly receptions: readonly Reception[],
    private readonly heard: readonly number[],
    readonly reasons: readonly (LaneReason | null)[] | null,
  ) {
    const carriedBy = new Array<number>(receptions.length).fill(0);
    let refused = 0;
    for (let n = 0; n < heard.length; n += 1) {
      if (reasons !== null && reasons[n] !== null) refused += 1;
      else {
        const h = ((heard[n] as number) >> RECEPTION_SHIFT) - 1;
        carriedBy[h] = (carriedBy[h] as number) + 1;
      }
    }
    let longest = 0;
    for (let h = 0; h < receptions.length; h += 1) {
      const { offsetNs } = (receptions[h] as Reception).offset;
      if ((carriedBy[h] as number) > 0 && offsetNs > longest) longest = offsetNs;
    }
    this.refused = refused;
    this.longestOffsetNs = longest;
    this.carriedBy = carriedBy;
  }

  get size(): number {
    return this.heard.length;
  }

  private at(n: number): Lane {
    const subscription = this.wish.lanes[n] as Subscription;
    const code = this.heard[n] as number;
    const reception = code === 0 ? null : (this.receptions[(code >> RECEPTION_SHIFT) - 1] as Reception);
    const reason = this.reasons?.[n] ?? null;
    if (reason !== null) return { verdict: 'refused', subscription, reason, reception };
    const heard = reception as Reception;
    const verdict = heard.caution === null || heard.caution.code === 'path-unknown' ? 'fits' : 'caution';
    return { verdict, subscription, reception: heard, position: code & POSITION_MASK };
  }

  /** Whether any lane of it is refused or has anything to be told of it. */
  get isAnyOdd(): boolean {
    return this.refused > 0 || this.receptions.some((h) => h.caution !== null);
  }

  private placeOf(channel: number): number {
    let low = 0;
    const { receiverChannels } = this.wish;
    let high = receiverChannels.length - 1;
    while (low <= high) {
      const middle = (low + high) >> 1;
      const found = receiverChannels[middle] as number;
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
    yield* this.wish.receiverChannels;
  }

  *values(): MapIterator<Lane> {
    for (let n = 0; n < this.heard.length; n += 1) yield this.at(n);
  }

  *entries(): MapIterator<[number, Lane]> {
    const { receiverChannels } = this.wish;
    for (let n = 0; n < this.heard.length; n += 1) yield [receiverChannels[n] as number, this.at(n)];
  }

  [Symbol.iterator](): MapIterator<[number, Lane]> {
    return this.entries();
  }

  forEach(each: (lane: Lane, channel: number, lanes: ReadonlyMap<number, Lane>) => void): void {
    for (const [channel, lane] of this) each(lane, channel, this);
  }
}
