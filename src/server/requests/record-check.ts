import 'reflect-metadata';
import { registerDecorator, type ValidationArguments } from 'class-validator';
import { recordProblem } from '../../core/formats/plan-file';

type Table = Parameters<typeof recordProblem>[0];

function isRecord(table: Table, partial: boolean): PropertyDecorator {
  return (target, propertyName) => {
    registerDecorator({
      name: 'isRecord',
      target: target.constructor,
      propertyName: propertyName as string,
      validator: {
        validate: (value: unknown) =>
          typeof value === 'object' && value !== null && recordProblem(table, value, partial) === null,
        defaultMessage({ value, property }: ValidationArguments) {
          const problem = typeof value === 'object' && value !== null ? recordProblem(table, value, partial) : null;
          return problem === null
            ? `${property} is not an object`
            : `${property}${problem.at.replaceAll('/', '.').replace(/\.$/, '')} ${problem.problem}`;
        },
      },
    });
  };
}

/** The value has the shape of a record of this table of the plan file. */
export const IsRecordOf = (table: Table): PropertyDecorator => isRecord(table, false);
/** The value has some of the fields of such a record, each as it must be. */
export const IsPartOfRecordOf = (table: Table): PropertyDecorator => isRecord(table, true);

/** A list of such records; what is wrong is told with its place in the list. */
export function IsListOfRecordsOf(table: Table): PropertyDecorator {
  const problemOf = (value: unknown): string | null => {
    if (!Array.isArray(value)) return ' is not a list';
    for (const [index, item] of value.entries()) {
      if (typeof item !== 'object' || item === null) return `[${index}] is not an object`;
      const problem = recordProblem(table, item);
      if (problem !== null) return `[${index}]${problem.at.replaceAll('/', '.').replace(/\.$/, '')} ${problem.problem}`;
    }
    return null;
  };
  return (target, propertyName) => {
    registerDecorator({
      name: 'isListOfRecords',
      target: target.constructor,
      propertyName: propertyName as string,
      validator: {
        validate: (value: unknown) => problemOf(value) === null,
        defaultMessage: ({ value, property }: ValidationArguments) => `${property}${problemOf(value) ?? ''}`,
      },
    });
  };
}
