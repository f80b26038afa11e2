/** What Next.js hands to the handlers below /api/plans/[planId]. */
export interface PlanContext {
  readonly params: Promise<{ readonly planId: string }>;
}
