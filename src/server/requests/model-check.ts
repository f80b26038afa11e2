import { recordProblem } from '../../core/formats/read-plan-file';
import { IsAsDeclared, placeIn } from './as-declared';

/** What is wrong with the first model that is not as models are; null: all are. */
function modelsProblem(value: unknown): string | null {
  if (!Array.isArray(value)) return ' must be an array';
  for (const [index, entry] of value.entries()) {
    if (typeof entry !== 'object' || entry === null || Object.keys(entry).some((k) => k !== 'after' && k !== 'model')) {
      return `[${index}] must have the fields after and model`;
    }
    const { after, model } = entry as { after?: unknown; model?: unknown };
    if (!Number.isSafeInteger(after) || (after as number) < 0) return `[${index}].after must be an integer from 0 up`;
    const problem = recordProblem('models', model);
    if (problem !== null) return `[${index}].model${placeIn(problem)} ${problem.problem}`;
  }
  return null;
}

/** The value is a list of `{after, model}`: models of the shape of their table, each with the version that it was made from. */
export const IsModelVersionList = () => IsAsDeclared('isModelVersionList', modelsProblem);
