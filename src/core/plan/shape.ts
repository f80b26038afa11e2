/**
 * Shapes of records: JSON Schemas (draft 7) that also carry the TypeScript type of what they describe, so that the two
 * cannot drift apart. Only what records need is here.
 */

import { VISIBLE_LINE, VISIBLE_LINES } from './visible-text';

declare const described: unique symbol;
const mayBeMissing = Symbol('may be missing');

export interface Shape<T> {
  readonly [described]?: T;
  readonly [keyword: string]: unknown;
}

/** What a shape describes. */
export type Described<S> = S extends Shape<infer T> ? T : never;

/** A field that may be missing and has no default. */
export interface Missing<T> extends Shape<T> {
  readonly [mayBeMissing]: true;
}

type Fields = Readonly<Record<string, Shape<unknown>>>;
type MissingNames<F extends Fields> = { [K in keyof F]: F[K] extends Missing<unknown> ? K : never }[keyof F];
type RecordOfFields<F extends Fields> = {
  readonly [K in Exclude<keyof F, MissingNames<F>>]: Described<F[K]>;
} & { readonly [K in MissingNames<F>]?: Described<F[K]> };

export interface RecordShape<T> extends Shape<T> {
  readonly type: 'object';
  readonly properties: Readonly<Record<string, Shape<unknown>>>;
}

/** A name or label: one line, of characters that can be seen. */
export const text = (maxLength = 200, minLength = 0): Shape<string> =>
  minLength === 0
    ? { type: 'string', maxLength, pattern: VISIBLE_LINE }
    : { type: 'string', minLength, maxLength, pattern: VISIBLE_LINE };
/** Notes, of as many lines as one likes. */
export const lines = (maxLength: number): Shape<string> => ({ type: 'string', maxLength, pattern: VISIBLE_LINES });

/** What tells records apart. */
export const id: Shape<string> = { type: 'string', pattern: '^[A-Za-z0-9._:-]{1,80}$' };
const OCTET = '(25[0-5]|2[0-4]\\d|1?\\d?\\d)';
/** An IPv4 address. */
export const address: Shape<string> = { type: 'string', pattern: `^${OCTET}(\\.${OCTET}){3}$` };
/** An IPv4 prefix: an address and how many of its bits count. */
export const cidr: Shape<string> = { type: 'string', pattern: `^${OCTET}(\\.${OCTET}){3}/(3[0-2]|[12]?\\d)$` };
export const flag: Shape<boolean> = { type: 'boolean' };

export const whole = (minimum: number, maximum = Number.MAX_SAFE_INTEGER): Shape<number> =>
  maximum === Number.MAX_SAFE_INTEGER ? { type: 'integer', minimum } : { type: 'integer', minimum, maximum };
export const number = (minimum: number): Shape<number> => ({ type: 'number', minimum });
/** Channels are counted from 1. */
export const channel: Shape<number> = whole(1, 4096);
/** A sender channel in a position of a stream; 0: nothing. */
export const position: Shape<number> = whole(0, 4096);
/** Which of a device's streams it is, counted from 1. */
export const streamNumber: Shape<number> = whole(1, 4096);

export const oneOf = <const V extends string | number>(values: readonly V[]): Shape<V> => ({ enum: [...values] });
export const exactly = <const V extends string | number>(value: V): Shape<V> => ({ const: value });

export const list = <T>(items: Shape<T>, maxItems = 100_000, minItems = 0): Shape<readonly T[]> =>
  minItems === 0 ? { type: 'array', items, maxItems } : { type: 'array', items, minItems, maxItems };
/** As `list`, with each value once. */
export const set = <T>(items: Shape<T>, maxItems: number, minItems = 0): Shape<readonly T[]> => ({
  ...list(items, maxItems, minItems),
  uniqueItems: true,
});

/** A record may be null by its type, as defaults within `anyOf` are not filled in. */
export const nullable = <T>(shape: Shape<T>): Shape<T | null> =>
  'properties' in shape
    ? ({ ...shape, type: ['object', 'null'] } as Shape<T | null>)
    : ({ anyOf: [shape, { type: 'null' }] } as Shape<T | null>);

/** What has a default may be missing: files from before the field was there are read as if it stood in them. */
export const defaulted = <T>(shape: Shape<T>, value: NoInfer<T>): Shape<T> =>
  ({ ...shape, default: value }) as Shape<T>;

export const missing = <T>(shape: Shape<T>): Missing<T> => ({ ...shape, [mayBeMissing]: true }) as Missing<T>;

export function record<const F extends Fields>(fields: F): RecordShape<RecordOfFields<F>> {
  const required = Object.keys(fields).filter((name) => {
    const field = fields[name] as Shape<unknown>;
    return !('default' in field) && !(mayBeMissing in field);
  });
  return {
    type: 'object',
    properties: fields,
    required,
    additionalProperties: false,
  } as unknown as RecordShape<RecordOfFields<F>>;
}

/** Some fields of a record, each as it must be; never what the record is told apart by. Nothing is filled in. */
export function partial<T, K extends keyof T & string>(
  shape: RecordShape<T>,
  without: K,
): RecordShape<Partial<Omit<T, K>>> {
  const fields = Object.entries(shape.properties).filter(([name]) => name !== without);
  const properties = Object.fromEntries(
    fields.map(([name, field]) => {
      const { default: _default, ...rest } = field as Shape<unknown> & { default?: unknown };
      return [name, rest];
    }),
  );
  return { type: 'object', properties, required: [], additionalProperties: false } as unknown as RecordShape<
    Partial<Omit<T, K>>
  >;
}
