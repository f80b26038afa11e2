import { isRaw, rawOf, type Raw } from './raw';

/**
 * What a sender or receiver takes for each parameter of each of its legs (`/constraints` of IS-05): a value of a list, a number from one to another. A
 * parameter that is not named there is one that the leg does not have. Patterns of texts are left to the device: those of strangers are not run here.
 */
export type LegConstraints = readonly Raw[];

/** Null: the answer is no list of legs, and nothing is known. */
export const readConstraints = (value: unknown): LegConstraints | null =>
  Array.isArray(value) && value.every(isRaw) ? value : null;

interface BrokenConstraint {
  /** 0 is the first leg. */
  readonly leg: number;
  readonly parameter: string;
  readonly value: unknown;
  /** What it takes, in words: `5000 to 5010`; null: the leg has no such parameter. */
  readonly takes: string | null;
}

/** The first of the wanted parameters that a device says it does not take. `auto` and null leave it to the device. */
export function brokenConstraint(constraints: LegConstraints, wanted: readonly Raw[]): BrokenConstraint | null {
  for (const [leg, params] of wanted.entries()) {
    const own = constraints[leg];
    if (own === undefined) continue;
    for (const [parameter, value] of Object.entries(params)) {
      if (value === 'auto' || value === null) continue;
      const takes = parameter in own ? refusedBy(rawOf(own[parameter]), value) : null;
      if (takes !== undefined) return { leg, parameter, value, takes };
    }
  }
  return null;
}

/** What a constraint takes, where it does not take the value; undefined: it does. */
function refusedBy({ enum: list, minimum, maximum }: Raw, value: unknown): string | undefined {
  if (Array.isArray(list) && !list.includes(value)) return list.map(String).join(', ');
  if (typeof value !== 'number') return undefined;
  const from = typeof minimum === 'number' ? minimum : -Infinity;
  const to = typeof maximum === 'number' ? maximum : Infinity;
  if (value >= from && value <= to) return undefined;
  if (to === Infinity) return `${from} and more`;
  return from === -Infinity ? `up to ${to}` : `${from} to ${to}`;
}
