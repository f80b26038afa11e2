import { restoreRecords } from '../plan/apply-commands';
import { recordAt, type RecordChange } from '../plan/changes';
import type { CommandProblem } from '../plan/draft';
import type { Plan } from '../plan/plan';
import { sameValue } from '../plan/same-value';

/** Taking changes back as far as they still can be: what others changed since stays as they left it. */

export interface LeftAsItIs {
  /** The change that was wanted. */
  readonly change: RecordChange;
  /** It is not as it was any more; or what it needs is gone; or something else needs it. */
  readonly why: 'changed' | 'gone' | 'in-use';
  /** What is gone, or needs it. */
  readonly value: string | null;
}

export interface TakenBack {
  readonly plan: Plan;
  /** What it comes to, with what goes or comes along. */
  readonly changes: readonly RecordChange[];
  readonly left: readonly LeftAsItIs[];
}

/** Each try leaves one record out: a batch of thousands that need something is not tried thousands of times. */
const TRIES_MAX = 20;

/** `changes` lead from how the records were left (`before`) to how they are wanted (`after`). */
export function takeBack(plan: Plan, changes: readonly RecordChange[]): TakenBack {
  const left: LeftAsItIs[] = [];
  let wanted: RecordChange[] = [];
  for (const change of changes) {
    const now = recordAt(plan, change);
    if (sameValue(now, change.before)) wanted.push(change);
    // What is as it is wanted already needs nothing.
    else if (!sameValue(now, change.after)) left.push({ change, why: 'changed', value: null });
  }
  for (let tries = 0; wanted.length > 0; tries += 1) {
    const restored = restoreRecords(plan, wanted);
    if (restored.ok) return { plan: restored.plan, changes: restored.changes, left };
    const { problem } = restored;
    const why = problem.reason === 'unknown' ? ('gone' as const) : ('in-use' as const);
    const at = tries < TRIES_MAX ? indexOf(problem) : null;
    const stuck = at === null ? wanted : [wanted[at] as RecordChange];
    left.push(...stuck.map((change) => ({ change, why, value: problem.value })));
    wanted = at === null ? [] : wanted.filter((_, n) => n !== at);
  }
  return { plan, changes: [], left };
}

/** Which of the changes a problem is about; null: it does not say. */
function indexOf({ field }: CommandProblem): number | null {
  const at = /^commands\[(\d+)\]/.exec(field)?.[1];
  return at === undefined ? null : Number(at);
}
