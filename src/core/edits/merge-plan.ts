import { recordAt, recordsIn, type AnyRecord, type RecordChange } from '../plan/changes';
import { RECORDS_PER_COMMAND, type Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import type { TABLES } from '../plan/tables';
import { declarationOf, TABLE_NAMES, type TableName } from '../plan/tables';

/** The kinds of records that one plan can take from another. */
export type MergedKind = {
  [T in TableName]: (typeof TABLES)[T]['merges'] extends 'never' ? never : T;
}[TableName];
export const MERGED_KINDS = TABLE_NAMES.filter((t) => declarationOf(t).merges !== 'never') as readonly MergedKind[];

export interface MergeTally {
  readonly kind: MergedKind;
  readonly new: number;
  readonly differs: number;
  readonly same: number;
  /** What differs, by the names of this plan: the first of them. */
  readonly differing: readonly string[];
}

export interface PlanMerge {
  readonly tallies: readonly MergeTally[];
  /** How many records the commands bring. */
  readonly taken: number;
  readonly commands: readonly Command[];
}

const NAMED_MAX = 40;

/**
 * Holds another plan against this one, record by record (by their keys). What this plan does not have is taken; what differs
 * only where its kind is in `takeDiffering`. Nothing of this plan is removed, and what was sent to devices is left alone.
 */
export function mergePlan(plan: Plan, other: Plan, takeDiffering: ReadonlySet<MergedKind>): PlanMerge {
  const tallies: MergeTally[] = [];
  const commands: Command[] = [];
  let taken = 0;
  const deviceName = (id: string) => (plan.devices.get(id) ?? other.devices.get(id))?.name ?? id;
  for (const table of MERGED_KINDS) {
    const { nameOf } = declarationOf(table);
    const tally = { new: 0, differs: 0, same: 0 };
    const differing: string[] = [];
    const records: AnyRecord[] = [];
    for (const theirs of recordsIn(table, other[table])) {
      const mine = recordAt(plan, { table, before: null, after: theirs } as unknown as RecordChange);
      if (mine === null) {
        tally.new += 1;
        records.push(theirs);
      } else if (sameValue(mine, theirs)) tally.same += 1;
      else {
        tally.differs += 1;
        if (differing.length < NAMED_MAX) differing.push(nameOf(theirs, deviceName));
        if (takeDiffering.has(table)) records.push(theirs);
      }
    }
    tallies.push({ kind: table, ...tally, differing });
    taken += records.length;
    for (let from = 0; from < records.length; from += RECORDS_PER_COMMAND) {
      const part = records.slice(from, from + RECORDS_PER_COMMAND);
      commands.push({ kind: 'put-records', table, records: part } as unknown as Command);
    }
  }
  return { tallies, taken, commands };
}
