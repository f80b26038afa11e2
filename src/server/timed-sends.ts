import { steadyNow } from '../field/steady-clock';
import type { Author, TimedSend } from './messages';

/** So long before its moment a send begins to make devices ready: until then they are free for other sends. */
export const LEAD_MS = 30_000;
const LOOK_EVERY_MS = 250;

interface Waiting extends TimedSend {
  readonly planId: string;
}

/** Sends that wait for their moment. Everybody who has the plan open sees them and can cancel them; they end with their plan. */
export class TimedSends {
  private readonly waiting = new Map<string, Waiting>();

  constructor(private readonly changed: (planId: string) => void) {}

  ofPlan(planId: string): readonly TimedSend[] {
    return [...this.waiting.values()]
      .filter((w) => w.planId === planId)
      .map(({ id, author, at, channels }) => ({ id, author, at, channels }));
  }

  /** Whether a plan was put away: its sends end. */
  endAll(planId: string): void {
    for (const [id, { planId: own }] of this.waiting) if (own === planId) this.end(id);
  }

  end(id: string): void {
    const known = this.waiting.get(id);
    if (known === undefined) return;
    this.waiting.delete(id);
    this.changed(known.planId);
  }

  /**
   * Waits until it is time to make ready for a moment. @param at by the steady clock
   * @returns false: it was cancelled before
   */
  async until(
    send: {
      readonly id: string;
      readonly planId: string;
      readonly author: Author;
      readonly at: number;
      readonly channels: number;
    },
    isStopped: () => boolean,
    leadMs: number,
  ): Promise<boolean> {
    this.waiting.set(send.id, send);
    this.changed(send.planId);
    try {
      while (this.waiting.has(send.id) && !isStopped()) {
        const left = send.at - leadMs - steadyNow();
        if (left <= 0) return true;
        await new Promise((resolve) => setTimeout(resolve, Math.min(left, LOOK_EVERY_MS)));
      }
      return false;
    } finally {
      this.end(send.id);
    }
  }
}
