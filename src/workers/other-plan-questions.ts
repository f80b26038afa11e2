import { mergePlan, type MergedKind } from '../core/edits/merge-plan';
import { readPlanFile, type FileProblem } from '../core/formats/read-plan-file';
import type { Plan } from '../core/plan/plan';
import type { Desk } from './desk';

/** What is asked where the file of another plan is held against this one. */
export function otherPlanQuestions({ current }: Desk) {
  let other: Plan | null = null;
  return {
    /** Reads the file of another plan and keeps it. Empty: it is sound. */
    readOther(content: string): readonly FileProblem[] {
      const read = readPlanFile(content);
      other = read.ok ? read.plan : null;
      return read.ok ? [] : read.problems;
    },
    /** Null where no sound file was read. */
    mergeOther: (takeDiffering: readonly MergedKind[]) =>
      other === null ? null : mergePlan(current().plan, other, new Set(takeDiffering)),
  };
}
