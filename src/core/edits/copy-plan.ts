import type { Plan } from '../plan/plan';

/** A copy under a new name. It remembers what was sent, so that what carries stays as it is in it too, whatever is edited there. */
export function copyOfPlan(plan: Plan, name: string): Plan {
  return { ...plan, settings: { ...plan.settings, name } };
}
