import Ajv, { type ErrorObject, type ValidateFunction } from 'ajv';
import type { Shape } from '../plan/shape';

/** Holds values to shapes, wherever they come in: files, requests, the database. */

export interface ShapeProblem {
  /** JSON pointer to what is wrong, `/` for the whole. */
  readonly at: string;
  readonly problem: string;
}

const checks = new WeakMap<object, ValidateFunction>();

function checkOf(shape: object): ValidateFunction {
  let check = checks.get(shape);
  if (check === undefined) {
    check = new Ajv({ useDefaults: true, allowUnionTypes: true }).compile(shape);
    checks.set(shape, check);
  }
  return check;
}

/** Everything that is wrong with a value by its shape, in the order in which it was found. Fills in defaults, in place. */
export function shapeProblems(shape: Shape<unknown>, value: unknown): readonly ShapeProblem[] {
  const check = checkOf(shape);
  return check(value) ? [] : (check.errors ?? []).map(problemOf);
}

/** The first thing that is wrong; null: nothing is. */
export function shapeProblem(shape: Shape<unknown>, value: unknown): ShapeProblem | null {
  return shapeProblems(shape, value)[0] ?? null;
}

function problemOf(error: ErrorObject): ShapeProblem {
  const detail = 'allowedValues' in error.params ? `: ${(error.params['allowedValues'] as unknown[]).join(', ')}` : '';
  const extra = 'additionalProperty' in error.params ? ` (${String(error.params['additionalProperty'])})` : '';
  return { at: error.instancePath || '/', problem: `${error.message ?? 'is not as expected'}${detail}${extra}` };
}
