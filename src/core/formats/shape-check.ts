import Ajv, { type ErrorObject, type ValidateFunction } from 'ajv';
import { address, cidr, id, type Shape } from '../plan/shape';
import { VISIBLE_LINE, VISIBLE_LINES } from '../plan/visible-text';

/** Holds values to shapes, wherever they come in: files, requests, the database. */

export interface ShapeProblem {
  /** JSON pointer to what is wrong, `/` for the whole. */
  readonly at: string;
  readonly problem: string;
}

/**
 * One for all shapes, as making one takes longer than most shapes do. Shapes are declared in code and are schemas, which a test holds them to: here
 * they are not checked again. What is made of them is not gone through for what could be shorter: plans are read as fast without.
 */
function validator(allErrors: boolean): Ajv {
  const ajv = new Ajv({
    useDefaults: true,
    allowUnionTypes: true,
    allErrors,
    meta: false,
    validateSchema: false,
    code: { optimize: false },
  });
  // As the validator compares items it throws at an object with a field called `toString` or `valueOf`.
  ajv.removeKeyword('uniqueItems');
  return ajv.addKeyword({
    keyword: 'uniqueItems',
    type: 'array',
    schemaType: 'boolean',
    error: { message: 'must NOT have duplicate items' },
    validate: (isWanted: boolean, items: readonly unknown[]) =>
      !isWanted || new Set(items.map((i) => JSON.stringify(i))).size === items.length,
  });
}
let upToTheFirst: Ajv | undefined;
let all: Ajv | undefined;

/** What checks a shape: made when it is first asked for, and kept for good, as shapes are declared once. */
const checkOf = (shape: object): ValidateFunction => (upToTheFirst ??= validator(false)).compile(shape);
const thoroughCheckOf = (shape: object): ValidateFunction => (all ??= validator(true)).compile(shape);

/** What is wrong with a value by its shape, as far as the first thing goes. Fills in defaults, in place. */
export function shapeProblems(shape: Shape<unknown>, value: unknown): readonly ShapeProblem[] {
  const check = checkOf(shape);
  return check(value) ? [] : (check.errors ?? []).map(problemOf);
}

/** Everything that is wrong with a value by its shape, each place once, the first `most` of it. */
export function everyShapeProblem(shape: Shape<unknown>, value: unknown, most: number): ShapeProblem[] {
  const check = thoroughCheckOf(shape);
  if (check(value)) return [];
  const byPlace = new Map<string, ShapeProblem>();
  for (const error of check.errors ?? []) {
    if (byPlace.size >= most) break;
    const problem = problemOf(error);
    // A value that is one of several things is reported once, by the first that it is not.
    if (!byPlace.has(problem.at)) byPlace.set(problem.at, problem);
  }
  return [...byPlace.values()];
}

/** The first thing that is wrong; null: nothing is. */
export function shapeProblem(shape: Shape<unknown>, value: unknown): ShapeProblem | null {
  return shapeProblems(shape, value)[0] ?? null;
}

const PATTERN_WORDS = new Map<unknown, string>([
  [address['pattern'], 'is not an IPv4 address'],
  [cidr['pattern'], 'is not an IPv4 prefix, such as 10.20.0.0/24'],
  [
    VISIBLE_LINE,
    'holds characters that cannot be seen, such as line ends or marks of writing direction, or nothing else',
  ],
  [VISIBLE_LINES, 'holds characters that cannot be seen'],
  [id['pattern'], 'is not an id: 1 to 80 letters, digits and . _ : -'],
]);

function problemOf(error: ErrorObject): ShapeProblem {
  if (error.keyword === 'pattern') {
    const words = PATTERN_WORDS.get(error.params['pattern']);
    if (words !== undefined) return { at: error.instancePath || '/', problem: words };
  }
  const detail = 'allowedValues' in error.params ? `: ${(error.params['allowedValues'] as unknown[]).join(', ')}` : '';
  const extra = 'additionalProperty' in error.params ? ` (${String(error.params['additionalProperty'])})` : '';
  return { at: error.instancePath || '/', problem: `${error.message ?? 'is not as expected'}${detail}${extra}` };
}
