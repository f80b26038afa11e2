import { shapeProblem } from '../../core/formats/shape-check';
import { COMMAND_KINDS, commandShape } from '../../core/plan/commands';
import type { RecordShape } from '../../core/plan/shape';
import { IsAsDeclared, placeIn } from './as-declared';

/** Shapes are made once, so that each is made ready for checking once. */
const shapes = new Map<string, RecordShape<unknown> | null>();

function shapeOf(kind: string, table: unknown): RecordShape<unknown> | null {
  const key = kind === 'put-records' ? `${kind} ${String(table)}` : kind;
  let shape = shapes.get(key);
  if (shape === undefined) {
    shape = commandShape(kind, table);
    // Kinds that do not exist come from outside, and are as many as anyone likes.
    if (shape !== null) shapes.set(key, shape);
  }
  return shape;
}

/** What is wrong with the first command that is not as commands are; null: all are. */
function commandsProblem(value: unknown): string | null {
  if (!Array.isArray(value)) return ' must be an array';
  for (const [index, command] of value.entries()) {
    if (typeof command !== 'object' || command === null) return `[${index}] is not an object`;
    const { kind, table } = command as { kind?: unknown; table?: unknown };
    const shape = typeof kind === 'string' ? shapeOf(kind, table) : null;
    if (shape === null) {
      return kind === 'put-records'
        ? `[${index}].table table is not one that can be written`
        : `[${index}].kind kind is not one of ${COMMAND_KINDS.join(', ')}`;
    }
    const problem = shapeProblem(shape, command);
    if (problem !== null) return `[${index}]${placeIn(problem)} ${problem.problem}`;
  }
  return null;
}

/**
 * The value is a list of commands, each of the shape that its kind has in core/plan/commands.ts. The commands stay the plain
 * objects that they are: of thousands, none is made again.
 */
export const IsCommandList = () => IsAsDeclared('isCommandList', commandsProblem);
