import { asc, eq } from 'drizzle-orm';
import { recordProblem } from '../core/formats/read-plan-file';
import type { Model } from '../core/models/models-table';
import type { Db } from './database';
import { libraryModels } from './schema';

export type LibraryRow = typeof libraryModels.$inferSelect;

interface NewVersion {
  readonly modelId: string;
  /** The version that this one follows; 0: none. */
  readonly after: number;
  /** Null: out of the library. */
  readonly value: Model | null;
  readonly authorId: string;
  readonly authorName: string;
  readonly note: string;
}

/** The library of models in SQLite: versions are only ever added. */
export class ModelLibrary {
  constructor(private readonly db: Db) {}

  /** Every version of every model, the oldest of each first. */
  all(): LibraryRow[] {
    return this.db
      .select()
      .from(libraryModels)
      .orderBy(asc(libraryModels.modelId), asc(libraryModels.version))
      .all()
      .map(whole);
  }

  versions(modelId: string): LibraryRow[] {
    const rows = this.db.select().from(libraryModels).where(eq(libraryModels.modelId, modelId));
    return rows.orderBy(asc(libraryModels.version)).all().map(whole);
  }

  /**
   * Adds one version of each of these models, all or none. Returns those whose newest version is another than the one that they were made
   * from: then nothing is added.
   */
  add(versions: readonly NewVersion[], now: number): readonly string[] {
    const overtaken = versions.filter(({ modelId, after }) => this.newest(modelId) !== after).map((v) => v.modelId);
    if (overtaken.length > 0) return overtaken;
    this.db.isStillThere();
    this.db.transaction((tx) => {
      for (const { after, ...row } of versions) {
        tx.insert(libraryModels)
          .values({ ...row, version: after + 1, at: now })
          .run();
      }
    });
    return [];
  }

  /** The number of the newest version of a model; 0: there is none. */
  newest(modelId: string): number {
    return this.versions(modelId).at(-1)?.version ?? 0;
  }
}

/** A model that was written before a field existed gets the field's default. */
function whole(row: LibraryRow): LibraryRow {
  if (row.value !== null) recordProblem('models', row.value);
  return row;
}
