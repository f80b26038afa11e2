import { toast } from 'sonner';
import type { Command } from '@/core/plan/commands';
import { reportProblem } from '@/ui/parts/report-problem';
import type { UndoAnswer } from '@/server/messages';
import { leftInWords } from '@/ui/parts/record-words';
import { applyBatch, planNow, redoLast, showPreview, takeStepBack, undoLast } from './plan-store';

/** Applies a batch and tells what went wrong. Returns whether it was applied. */
export async function commit(
  title: string,
  commands: readonly Command[],
  options: { readonly replacing?: boolean } = {},
): Promise<boolean> {
  try {
    await applyBatch(title, commands, options);
    return true;
  } catch (error) {
    reportProblem(error, `Not done: ${title}`);
    return false;
  }
}

/** As commit, with an undo at hand in the message: for what makes something disappear. */
export async function commitWithUndo(title: string, commands: readonly Command[]): Promise<boolean> {
  const isDone = await commit(title, commands);
  if (isDone) toast(`Done: ${title}`, { action: { label: 'Undo', onClick: () => void undo() } });
  return isDone;
}

/** Shows a batch in place before it is applied, or tells why it cannot be. */
export async function previewBatch(
  title: string,
  commands: readonly Command[],
  /** What is left out of it, and why. */
  note: string | null = null,
): Promise<void> {
  try {
    const problem = await showPreview(title, commands, 'fix', note);
    if (problem !== null) toast.error(`Not possible: ${title}`, { description: problem });
  } catch (error) {
    reportProblem(error, `Not shown: ${title}`);
  }
}

export async function undo(): Promise<void> {
  try {
    tell(await undoLast(), 'undone');
  } catch (error) {
    reportProblem(error, 'Not undone');
  }
}

export async function redo(): Promise<void> {
  try {
    tell(await redoLast(), 'redone');
  } catch (error) {
    reportProblem(error, 'Not redone');
  }
}

/** Takes a step of the history back, or some of its records. Returns whether anything was. */
export async function takeBackStep(entryId: number, records: readonly string[] | null): Promise<boolean> {
  try {
    const answer = await takeStepBack(entryId, records);
    tell(answer, 'taken back');
    return answer?.isDone === true;
  } catch (error) {
    reportProblem(error, 'Not taken back');
    return false;
  }
}

/** Says what was taken back, what could not be and why. */
function tell(answer: UndoAnswer | null, done: 'undone' | 'redone' | 'taken back'): void {
  const { plan } = planNow();
  if (answer === null || plan === null) return;
  const { title, isDone, left } = answer;
  const why = leftInWords(plan, left);
  if (!isDone) {
    const next = done === 'undone' ? ' The step before it is next.' : '';
    toast.warning(`“${title}” cannot be ${done} any more`, {
      description: `${why === '' ? 'All of it is as it was already.' : why}${next}`,
      duration: 10_000,
    });
    return;
  }
  const capital = `${done[0]?.toUpperCase() ?? ''}${done.slice(1)}`;
  if (left.length === 0) toast(`${capital}: ${title}`);
  else toast.warning(`${capital} in part: ${title}`, { description: why, duration: 10_000 });
}
