import Ajv from 'ajv';
import { COMMAND_KINDS, commandShape } from '../plan/commands';
import { TABLE_NAMES } from '../plan/tables';
import { MODEL_FILE_SCHEMA } from './model-file';
import { PLAN_FILE_SCHEMA } from './read-plan-file';
import { everyShapeProblem, shapeProblems } from './shape-check';

/** Holds schemas to that of draft 7, which the checks of shapes leave out. */
const bySchema = new Ajv({ allowUnionTypes: true });

const isSchema = (shape: object): void => {
  expect(bySchema.validateSchema(shape) === true ? [] : bySchema.errors).toEqual([]);
};

test('what a file of a plan or of models is held to is a JSON Schema of draft 7', () => {
  isSchema(PLAN_FILE_SCHEMA);
  isSchema(MODEL_FILE_SCHEMA);
});

test('what a command is held to is one, too', () => {
  const shapes = COMMAND_KINDS.flatMap((kind) =>
    kind === 'put-records' ? TABLE_NAMES.map((table) => commandShape(kind, table)) : [commandShape(kind, undefined)],
  ).filter((shape) => shape !== null);
  expect(shapes.length).toBeGreaterThan(COMMAND_KINDS.length);
  shapes.forEach(isSchema);
});

test('a shape that is none is found', () => {
  expect(bySchema.validateSchema({ type: 'text' })).toBe(false);
});

test('a misspelt keyword of a shape is refused when it is first used', () => {
  expect(() => shapeProblems({ type: 'string', maxLenght: 3 }, 'long')).toThrow('unknown keyword: "maxLenght"');
});

test('two values that are the same are told of a set', () => {
  const set = { type: 'array', items: { type: 'object' }, uniqueItems: true };
  expect(shapeProblems(set, [{ toString: 1 }, { toString: 2 }])).toEqual([]);
  expect(everyShapeProblem(set, [{ toString: 1 }, { toString: 1 }], 9)).toEqual([
    { at: '/', problem: 'must NOT have duplicate items' },
  ]);
});
