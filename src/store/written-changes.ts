import type { RecordChange } from '../core/plan/changes';
import type { InSteps } from '../core/plan/in-steps';

/** Changes as the JSON that is written, and told to browsers. */
export interface WrittenChanges {
  /** All of them. */
  readonly all: string;
  /** By change: the record as it becomes; null where it goes. */
  readonly records: readonly (string | null)[];
}

/** So many are written out in a step. */
const PART = 500;

export function* writtenInSteps(changes: readonly RecordChange[]): InSteps<WrittenChanges> {
  const records: (string | null)[] = [];
  const texts: string[] = [];
  for (const { table, before, after } of changes) {
    const record = after === null ? null : JSON.stringify(after);
    records.push(record);
    texts.push(`{"table":${JSON.stringify(table)},"before":${JSON.stringify(before)},"after":${record}}`);
    if (records.length % PART === 0) yield;
  }
  return { all: `[${texts.join(',')}]`, records };
}
