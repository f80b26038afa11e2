import { toast } from 'sonner';
import { ApiProblem } from '@/ui/session/ask';

interface Conflict {
  readonly record: string;
  readonly by: string;
  readonly title: string;
}

/** Tells the engineer what went wrong, why, and (for a conflict) who was first. */
export function reportProblem(error: unknown, what: string): void {
  if (!(error instanceof ApiProblem)) {
    toast.error(what, { description: error instanceof Error ? error.message : String(error) });
    return;
  }
  const conflicts = (error.details as { conflicts?: Conflict[] } | undefined)?.conflicts ?? [];
  const first = conflicts[0];
  const who = first ? ` ${first.by}: “${first.title}”.` : '';
  toast.error(what, { description: `${error.message}${who}`, duration: 8000 });
}
