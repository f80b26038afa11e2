import 'reflect-metadata';
import { registerDecorator, type ValidationArguments } from 'class-validator';
import { shapeProblem } from '../../core/formats/shape-check';
import { COMMAND_KINDS, commandShape } from '../../core/plan/commands';
import type { RecordShape } from '../../core/plan/shape';

interface Place {
  /** Within the list, e.g. `[3].subscriptions[0].senderChannel`. */
  readonly at: string;
  readonly problem: string;
}

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

/** The first command that is not as commands are; null: all are. */
function commandsProblem(value: unknown): Place | null {
  if (!Array.isArray(value)) return { at: '', problem: 'must be an array' };
  for (const [index, command] of value.entries()) {
    if (typeof command !== 'object' || command === null) return { at: `[${index}]`, problem: 'is not an object' };
    const { kind, table } = command as { kind?: unknown; table?: unknown };
    const shape = typeof kind === 'string' ? shapeOf(kind, table) : null;
    if (shape === null) {
      return kind === 'put-records'
        ? { at: `[${index}].table`, problem: 'table is not one that can be written' }
        : { at: `[${index}].kind`, problem: `kind is not one of ${COMMAND_KINDS.join(', ')}` };
    }
    const problem = shapeProblem(shape, command);
    if (problem === null) continue;
    const field = problem.at
      .replace(/\/(\d+)/g, '[$1]')
      .replaceAll('/', '.')
      .replace(/\.$/, '');
    return { at: `[${index}]${field}`, problem: problem.problem };
  }
  return null;
}

/**
 * The value is a list of commands, each of the shape that its kind has in core/plan/commands.ts. The commands stay the plain
 * objects that they are: of thousands, none is made again.
 */
export function IsCommandList(): PropertyDecorator {
  return (target, propertyName) => {
    registerDecorator({
      name: 'isCommandList',
      target: target.constructor,
      propertyName: propertyName as string,
      validator: {
        validate: (value: unknown) => commandsProblem(value) === null,
        defaultMessage({ value, property }: ValidationArguments) {
          const found = commandsProblem(value);
          return found === null ? '' : `${property}${found.at} ${found.problem}`;
        },
      },
    });
  };
}
