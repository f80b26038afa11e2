import type { Plan } from '@/core/plan/plan';

/** Whether a place is, or is somewhere inside, the wanted one. No wanted place: everything is. */
export function isInPlace(plan: Plan, placeId: string | null, wanted: string | null): boolean {
  if (wanted === null) return true;
  for (let at = placeId; at !== null; at = plan.places.get(at)?.parentId ?? null) if (at === wanted) return true;
  return false;
}
