import type { PlanFileResult } from '../../core/formats/read-plan-file';
import type { Plan } from '../../core/plan/plan';
import { RequestProblem } from '../problem';

/** The plan that was read from a file; one that cannot be read is refused with everything that is wrong with it. */
export function planOfResult(result: PlanFileResult): Plan {
  if (result.ok) return result.plan;
  const [first] = result.problems;
  const message = `This plan file cannot be read: ${first?.at ?? '/'} ${first?.problem ?? ''}`;
  throw new RequestProblem(400, 'bad-plan-file', message, first?.at ?? null, { problems: result.problems });
}
