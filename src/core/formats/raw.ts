/** Values from outside, of which nothing is known yet. */
export type Raw = Readonly<Record<string, unknown>>;

export const isRaw = (value: unknown): value is Raw =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** The value where it is an object; else one without any field. */
export const rawOf = (value: unknown): Raw => (isRaw(value) ? value : {});

export const textOrNull = (value: unknown): string | null => (typeof value === 'string' ? value : null);

/** The objects of a list; of anything else none. */
export const rawList = (value: unknown): readonly Raw[] => (Array.isArray(value) ? value.filter(isRaw) : []);
