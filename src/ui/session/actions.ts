import { toast } from 'sonner';
import type { Command } from '@/core/plan/commands';
import { reportProblem } from '@/ui/parts/report-problem';
import { applyBatch, redoLast, showPreview, undoLast, planNow } from './plan-store';

/** Applies a batch and tells what went wrong. Returns whether it was applied. */
export async function commit(title: string, commands: readonly Command[]): Promise<boolean> {
  try {
    await applyBatch(title, commands);
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
export async function previewBatch(title: string, commands: readonly Command[]): Promise<void> {
  try {
    const problem = await showPreview(title, commands);
    if (problem !== null) toast.error(`Not possible: ${title}`, { description: problem });
  } catch (error) {
    reportProblem(error, `Not shown: ${title}`);
  }
}

export async function undo(): Promise<void> {
  const what = planNow().undo?.title ?? '';
  try {
    await undoLast();
    if (what !== '') toast(`Undone: ${what}`);
  } catch (error) {
    reportProblem(error, 'Not undone');
  }
}

export async function redo(): Promise<void> {
  const what = planNow().redo?.title ?? '';
  try {
    await redoLast();
    if (what !== '') toast(`Redone: ${what}`);
  } catch (error) {
    reportProblem(error, 'Not redone');
  }
}
