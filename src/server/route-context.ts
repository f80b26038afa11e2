import { RequestProblem } from './problem';
import { openInParts } from './sessions';

/** What Next.js hands to the handlers below /api/plans/[planId]. */
export interface PlanContext {
  readonly params: Promise<{ readonly planId: string }>;
}

/** What Next.js hands to the handlers below /api/models/[modelId]. */
export interface ModelContext {
  readonly params: Promise<{ readonly modelId: string }>;
}

/** As PlanContext, below /history/[entryId]. */
export interface EntryContext {
  readonly params: Promise<{ readonly planId: string; readonly entryId: string }>;
}

/** Which plan a request is about: it is in memory then, and nobody waited while it was read and reckoned. */
export async function planIn(params: PlanContext['params']): Promise<string> {
  const { planId } = await params;
  await openInParts(planId);
  return planId;
}

/** The id of a step as it stands in the address. */
export function entryIdOf(text: string): number {
  if (!/^[1-9]\d{0,14}$/.test(text)) {
    throw new RequestProblem(404, 'no-entry', 'There is no such step in the history of this plan.', 'entryId');
  }
  return Number(text);
}
