import type { DeviceKind } from '@/core/models/models-table';

/** How a figure of a model is declared, and short ways to say which values it takes. */

export type Value = string | number | boolean;

/** How the value of a figure is set. */
export type FigureInput =
  | { readonly is: 'text'; readonly max: number }
  | {
      readonly is: 'number';
      readonly min: number;
      readonly max: number;
      readonly isWhole: boolean;
      /** What is stored is what is shown times this. */
      readonly scale: number;
      /** What an empty field means; missing: it may not be empty. `unknown` is a possible answer of figures. */
      readonly empty?: 'unknown' | string;
    }
  | { readonly is: 'flag' }
  | { readonly is: 'one'; readonly of: readonly Value[]; readonly word: (value: Value) => string }
  | { readonly is: 'some'; readonly of: readonly Value[]; readonly word: (value: Value) => string }
  /** Channels of one stream after the other: `1–8, 9–16`. Empty: null. */
  | { readonly is: 'ranges'; readonly empty: string }
  | { readonly is: 'ports' }
  | { readonly is: 'terminals' }
  | { readonly is: 'formats' };

export interface Figure {
  /** Where it stands in the record: `clock.freePpm`. */
  readonly path: string;
  readonly label: string;
  readonly unit?: string;
  /** What it is used for. */
  readonly use: string;
  readonly input: FigureInput;
}

export interface FigureSection {
  readonly id: string;
  readonly title: string;
  /** Whether a model of the kind usually has it; one that has it shows it anyway. */
  readonly isFor: (kind: DeviceKind) => boolean;
  /** A record within the model that may be missing as a whole. */
  readonly record?: {
    readonly path: 'clock' | 'switching' | 'slots' | 'naming' | 'receiveMap' | 'sendMap';
    /** What the model is taken for without it. */
    readonly without: string;
    readonly plain: object;
  };
  readonly figures: readonly Figure[];
}

export const whole = (min: number, max: number, empty?: string): FigureInput => ({
  is: 'number',
  min,
  max,
  isWhole: true,
  scale: 1,
  ...(empty === undefined ? {} : { empty }),
});

export const scaled = (scale: number, max: number, empty?: string): FigureInput => ({
  is: 'number',
  min: 0,
  max,
  isWhole: false,
  scale,
  ...(empty === undefined ? {} : { empty }),
});

export const UNKNOWN = 'unknown';

export const flag: FigureInput = { is: 'flag' };

export const one = <T extends Value>(of: readonly T[], word: (value: T) => string): FigureInput => ({
  is: 'one',
  of,
  word: word as (value: Value) => string,
});

export const some = <T extends Value>(of: readonly T[], word: (value: T) => string): FigureInput => ({
  is: 'some',
  of,
  word: word as (value: Value) => string,
});

export const hasChannels = (kind: DeviceKind) => kind !== 'switch' && kind !== 'clock';

export const always = () => true;
