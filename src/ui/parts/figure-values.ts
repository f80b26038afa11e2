import { STREAMS_MAX, type ChannelRange, type Model } from '@/core/models/models-table';
import { plain, rangeWords } from './units';
import { FIGURE_SECTIONS } from './model-figures';
import type { FigureInput } from './figure-shape';

/** Figures of a model are read from it, set in it, and typed. */

export const figureByPath = new Map(FIGURE_SECTIONS.flatMap((s) => s.figures.map((f) => [f.path, f] as const)));

/** The value of a figure; undefined where the record that it belongs to is missing. */
export function figureValue(model: Model, path: string): unknown {
  let value: unknown = model;
  for (const name of path.split('.')) {
    if (value === null || value === undefined) return undefined;
    value = (value as Readonly<Record<string, unknown>>)[name];
  }
  return value;
}

/** The model with another value of a figure; nothing else changes. */
export function withFigure(model: Model, path: string, value: unknown): Model {
  const set = (at: object, [name = '', ...further]: readonly string[]): object => ({
    ...at,
    [name]: further.length === 0 ? value : set((at as Readonly<Record<string, object>>)[name] ?? {}, further),
  });
  return set(model, path.split('.')) as Model;
}

/** What stands in the field of a figure. */
export function figureText(input: FigureInput, value: unknown): string {
  if (value === null || value === undefined) return '';
  if (input.is === 'ranges') return (value as readonly ChannelRange[]).map(rangeWords).join(', ');
  return input.is === 'number' ? String(Number(((value as number) / input.scale).toPrecision(12))) : String(value);
}

/** Why a value cannot be; null: it can. */
export function figureProblem(input: FigureInput, text: string): string | null {
  if (input.is === 'ranges') {
    return readRanges(text) === undefined ? 'As 1–8, 9–16; up to 120 each.' : null;
  }
  if (input.is !== 'number') return null;
  if (text.trim() === '') return input.empty === undefined ? 'A number is needed.' : null;
  const value = Number(text);
  const isSound = Number.isFinite(value) && value >= input.min && value <= input.max;
  if (isSound && (!input.isWhole || Number.isInteger(value))) return null;
  return `From ${plain(input.min)} to ${plain(input.max)}${input.isWhole ? '' : ', fractions too'}.`;
}

/** `1–8, 9-16, 17` as ranges; null where nothing stands there, undefined where it is none. */
export function readRanges(text: string): readonly ChannelRange[] | null | undefined {
  if (text.trim() === '') return null;
  const ranges: ChannelRange[] = [];
  for (const part of text.split(',')) {
    const match = /^\s*(\d{1,4})\s*(?:[–-]\s*(\d{1,4}))?\s*$/.exec(part);
    if (match === null) return undefined;
    const first = Number(match[1]);
    const channels = Number(match[2] ?? match[1]) - first + 1;
    if (first < 1 || channels < 1 || channels > 120 || first + channels - 1 > 4096) return undefined;
    ranges.push({ first, channels });
  }
  return ranges.length > STREAMS_MAX ? undefined : ranges;
}
