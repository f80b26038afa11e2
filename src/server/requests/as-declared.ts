import 'reflect-metadata';
import { registerDecorator, type ValidationArguments } from 'class-validator';
import type { ShapeProblem } from '../../core/formats/shape-check';

/** Where in a request's field something is wrong, in the way of its other problems: `[3].channel` for `/3/channel`. */
export const placeIn = ({ at }: Pick<ShapeProblem, 'at'>): string =>
  at
    .replace(/\/(\d+)/g, '[$1]')
    .replaceAll('/', '.')
    .replace(/\.$/, '');

/**
 * The field is checked as the plain data that it is, up to the first thing that is wrong.
 * @param problemOf the place within the field and what is wrong there, as `[3].channel must be integer`; null: nothing is
 */
export function IsAsDeclared(name: string, problemOf: (value: unknown) => string | null): PropertyDecorator {
  return (target, propertyName) => {
    registerDecorator({
      name,
      target: target.constructor,
      propertyName: propertyName as string,
      validator: {
        validate: (value: unknown) => problemOf(value) === null,
        defaultMessage: ({ value, property }: ValidationArguments) => `${property}${problemOf(value) ?? ''}`,
      },
    });
  };
}
