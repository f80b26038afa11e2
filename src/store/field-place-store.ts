import { and, asc, eq } from 'drizzle-orm';
import type { Db } from './database';
import { fieldPlaces } from './schema';

export type FieldPlaceRow = typeof fieldPlaces.$inferSelect;

/** Where people said that devices are looked for. */
export class FieldPlaceStore {
  constructor(private readonly db: Db) {}

  /** The oldest first. */
  all(kind: FieldPlaceRow['kind']): FieldPlaceRow[] {
    const rows = this.db.select().from(fieldPlaces).where(eq(fieldPlaces.kind, kind));
    return rows.orderBy(asc(fieldPlaces.at), asc(fieldPlaces.value)).all();
  }

  /** One that is there already stays as it was. */
  add(row: FieldPlaceRow): void {
    this.db.isStillThere();
    this.db.insert(fieldPlaces).values(row).onConflictDoNothing().run();
  }

  /** Returns whether it was there. */
  remove(kind: FieldPlaceRow['kind'], value: string): boolean {
    this.db.isStillThere();
    const where = and(eq(fieldPlaces.kind, kind), eq(fieldPlaces.value, value));
    return this.db.delete(fieldPlaces).where(where).run().changes > 0;
  }

  /** These, and no others of the kind. */
  replace(kind: FieldPlaceRow['kind'], rows: readonly Omit<FieldPlaceRow, 'kind'>[]): void {
    this.db.isStillThere();
    this.db.transaction((tx) => {
      tx.delete(fieldPlaces).where(eq(fieldPlaces.kind, kind)).run();
      for (const row of rows)
        tx.insert(fieldPlaces)
          .values({ kind, ...row })
          .run();
    });
  }
}
