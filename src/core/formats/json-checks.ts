import { isRaw, type Raw } from './raw';

/** Small checks of what stands in a JSON document, put together to the rules of a schema. */

/** Says what is wrong with a value, or null. */
export type Check = (value: unknown) => string | null;

export const is =
  (what: string, holds: (value: unknown) => boolean): Check =>
  (value) =>
    holds(value) ? null : `is not ${what}`;
export const matches = (what: string, pattern: RegExp) => is(what, (v) => typeof v === 'string' && pattern.test(v));
export const text = is('a text', (v) => typeof v === 'string');
export const truth = is('true or false', (v) => typeof v === 'boolean');
export const object = is('an object', isRaw);
export const uuid = matches(
  'a UUID in small letters',
  /^[0-9a-f]{8}-[0-9a-f]{4}-[1-5][0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/,
);
export const version = matches('<seconds>:<nanoseconds>', /^\d+:\d+$/);
export const href = is('an address', (v) => typeof v === 'string' && URL.canParse(v));
export const urn = (stem: string) => matches(`a ${stem} URN`, new RegExp(`^urn:x-nmos:${stem}:|^urn:(?!x-nmos:)`));
export const mac = matches('a MAC address with dashes', /^([0-9a-f]{2}-){5}[0-9a-f]{2}$/);
export const orNull =
  (check: Check): Check =>
  (value) =>
    value === null ? null : check(value);
export const each =
  (check: Check): Check =>
  (value) => {
    if (!Array.isArray(value)) return 'is not a list';
    for (const [n, one] of value.entries()) {
      const problem = check(one);
      if (problem !== null) return `${n}${problem.startsWith('/') ? '' : ' '}${problem}`;
    }
    return null;
  };
export const fields =
  (checks: Readonly<Record<string, Check>>): Check =>
  (value) =>
    isRaw(value) ? (problemsIn(value, checks)[0] ?? null) : 'is not an object';
/** A field that may be missing. */
export const maybe =
  (check: Check): Check =>
  (value) =>
    value === undefined ? null : check(value);

export function problemsIn(raw: Raw, checks: Readonly<Record<string, Check>>): string[] {
  return Object.entries(checks).flatMap(([field, check]) => {
    const value = raw[field];
    const problem = value === undefined && check(undefined) !== null ? 'is missing' : check(value);
    return problem === null ? [] : [`/${field}${/^[\d/]/.test(problem) ? '/' : ' '}${problem.replace(/^\//, '')}`];
  });
}
