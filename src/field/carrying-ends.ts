import type { ConnectionKind } from './device-reader';

export type EndPlace = readonly [kind: ConnectionKind, id: string];

/** Ends that are asked in a second; where more of them carry, each is asked less often. */
const ASKED_PER_SECOND = 200;

/**
 * Senders and receivers that carry, each asked once a turn, so that what is switched off at a device is seen soon also where nobody tells of it.
 * A turn takes as long as asking the devices does, or longer where there are too many. Times are given, so that it needs no clock.
 */
export class CarryingEnds {
  private turn: readonly EndPlace[] = [];
  private asked = 0;
  private begunAt = -Infinity;
  private lastsMs = 0;

  constructor(
    private readonly carrying: () => EndPlace[],
    private readonly ask: (end: EndPlace) => void,
    private readonly atLeastMs: () => number,
  ) {}

  /** How long a turn takes now, in ms. */
  get everyMs(): number {
    return Math.max(this.atLeastMs(), Math.ceil((this.turn.length / ASKED_PER_SECOND) * 1000));
  }

  /** Asks those that are due, spread over the turn. */
  tick(now: number): void {
    if (now - this.begunAt >= this.lastsMs) {
      this.turn = this.carrying();
      this.asked = 0;
      this.begunAt = now;
      this.lastsMs = this.everyMs;
    }
    const due = Math.ceil(((now - this.begunAt) / this.lastsMs) * this.turn.length);
    for (; this.asked < due && this.asked < this.turn.length; this.asked += 1)
      this.ask(this.turn[this.asked] as EndPlace);
  }
}
