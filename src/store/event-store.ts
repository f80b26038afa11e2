import { and, desc, eq, lt } from 'drizzle-orm';
import type { Db } from './database';
import { liveEvents } from './schema';

type KeptEvent = typeof liveEvents.$inferSelect;

/** So many events of a plan are kept: months of an ordinary plan, and a bound for one whose cable is loose. */
export const KEPT_MAX = 10_000;
/** The old ones are taken out once in so many. */
const PRUNE_EVERY = 100;

/** What happened in the field, plan by plan. */
export class EventStore {
  constructor(
    private readonly db: Db,
    private readonly keptMax = KEPT_MAX,
  ) {}

  /** The newest first. */
  latest(planId: string, count: number): KeptEvent[] {
    return this.db
      .select()
      .from(liveEvents)
      .where(eq(liveEvents.planId, planId))
      .orderBy(desc(liveEvents.id))
      .limit(count)
      .all();
  }

  /** Enters an event. Returns its id: ids grow with time. */
  add(planId: string, happening: Readonly<Record<string, unknown>>, at: number): number {
    const { id } = this.db.insert(liveEvents).values({ planId, at, happening }).returning().get();
    if (id % PRUNE_EVERY === 0) this.prune(planId);
    return id;
  }

  /** Keeps an event that has grown. */
  replace(id: number, happening: Readonly<Record<string, unknown>>): void {
    this.db.update(liveEvents).set({ happening }).where(eq(liveEvents.id, id)).run();
  }

  private prune(planId: string): void {
    const oldest = this.db
      .select({ id: liveEvents.id })
      .from(liveEvents)
      .where(eq(liveEvents.planId, planId))
      .orderBy(desc(liveEvents.id))
      .limit(1)
      .offset(this.keptMax - 1)
      .get();
    if (oldest === undefined) return;
    this.db
      .delete(liveEvents)
      .where(and(eq(liveEvents.planId, planId), lt(liveEvents.id, oldest.id)))
      .run();
  }
}
