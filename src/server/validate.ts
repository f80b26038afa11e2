import 'reflect-metadata';
import { plainToInstance } from 'class-transformer';
import { getMetadataStorage, validate, type ValidationError } from 'class-validator';
import { parseBoundedJson, type JsonLimits } from '../core/formats/bounded-json';
import { isRaw } from '../core/formats/raw';
import { RequestProblem } from './problem';
import { onceFor } from '../core/plan/once-for';

/**
 * Holds what enters the server to its declaration. Counts and depth are looked at before anything is made of it, and the first thing that is
 * wrong ends it; it is reported with the field's name.
 */

/** What an ordinary request is made of at most. */
export const REQUEST_LIMITS: JsonLimits = { depth: 24, values: 120_000 };

/** The text in the octets of a request. */
export function textOf(octets: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(octets);
  } catch {
    throw new RequestProblem(400, 'not-text', 'The request is not text in UTF-8.');
  }
}

/** The JSON object in the text of a request. */
export function objectIn(text: string, limits: JsonLimits = REQUEST_LIMITS): object {
  const parsed = parseBoundedJson(text, limits);
  if (!parsed.ok) throw new RequestProblem(400, 'not-json', `The request is ${parsed.problem}.`);
  if (!isRaw(parsed.value)) throw new RequestProblem(400, 'invalid', 'The request is not a JSON object.');
  return parsed.value;
}

const asItCame = new WeakMap<object, Set<string>>();

/** The field's value is checked as the plain data that it is, and not made into objects of classes first. */
export function AsItCame(): PropertyDecorator {
  return (target, property) => {
    const fields = asItCame.get(target.constructor) ?? new Set();
    asItCame.set(target.constructor, fields.add(String(property)));
  };
}

/** The fields that a request may have: those that anything is said of. */
const fieldsOf = onceFor((type: new () => object): ReadonlySet<string> => {
  const said = getMetadataStorage().getTargetValidationMetadatas(type, '', false, false);
  return new Set(said.map((m) => m.propertyName));
});

export async function checked<T extends object>(value: object, type: new () => T): Promise<T> {
  const raw = asItCame.get(type) ?? new Set();
  const known = fieldsOf(type);
  for (const field of Object.keys(value)) {
    if (!known.has(field)) {
      throw new RequestProblem(
        400,
        'invalid',
        `${field.slice(0, 80)} is not a field of this request`,
        field.slice(0, 80),
      );
    }
  }
  const shaped = Object.fromEntries(Object.entries(value).filter(([field]) => !raw.has(field)));
  refuseStrangeNames(shaped, '');
  const instance = plainToInstance(type, shaped);
  for (const field of raw)
    if (Object.hasOwn(value, field)) Object.assign(instance, { [field]: (value as never)[field] });
  const errors = await validate(instance, {
    whitelist: true,
    forbidNonWhitelisted: true,
    forbidUnknownValues: true,
    stopAtFirstError: true,
  });
  const first = errors[0] && firstProblem(errors[0], '');
  if (first) throw new RequestProblem(400, 'invalid', first.message, first.field);
  return instance;
}

const STRANGE = new Set(['__proto__', 'constructor', 'prototype']);

/** Names that objects of JavaScript have already are no names of fields anywhere. */
function refuseStrangeNames(value: unknown, path: string): void {
  if (typeof value !== 'object' || value === null) return;
  for (const [name, inside] of Object.entries(value)) {
    const place = Array.isArray(value) ? `${path}[${name}]` : path === '' ? name : `${path}.${name}`;
    if (STRANGE.has(name)) throw new RequestProblem(400, 'invalid', `${place} is not a field of this request`, place);
    refuseStrangeNames(inside, place);
  }
}

function firstProblem(error: ValidationError, path: string): { field: string; message: string } {
  const isIndex = /^\d+$/.test(error.property);
  const field = isIndex ? `${path}[${error.property}]` : path === '' ? error.property : `${path}.${error.property}`;
  const child = error.children?.[0];
  if (child !== undefined) {
    return firstProblem(child, field);
  }
  const message = Object.values(error.constraints ?? {})[0] ?? 'is not as expected';
  // What is checked as it came names the place itself: `commands[3].link.metres must be >= 0`.
  const inside = /^(\w+(?:\[\d+\]|\.\w+)+) /.exec(message)?.[1];
  if (inside !== undefined && inside.startsWith(error.property)) return { field: inside, message };
  return {
    field,
    message: message.startsWith(error.property)
      ? `${field}${message.slice(error.property.length)}`
      : `${field}: ${message}`,
  };
}
