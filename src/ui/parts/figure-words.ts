import type { ChannelRange, Model } from '@/core/models/models-table';
import type { UnknownFigure } from '@/core/models/unknown-figures';
import { kHz, plain, rangeWords } from './units';
import { type Figure, type Value, UNKNOWN } from './figure-shape';
import { figureByPath } from './figure-values';
import { FIGURE_SECTIONS } from './model-figures';

/** Figures of a model in words. */

/** A value in words: `12`, `not known`, `L24, L16 at 48 kHz`. */
export function figureWords(figure: Figure, value: unknown): string {
  const { input, unit } = figure;
  if (value === null || value === undefined) {
    if (input.is === 'ranges') return input.empty;
    return input.is === 'number' && input.empty !== undefined ? emptyWords(input.empty) : 'not stated';
  }
  const behind = unit === undefined ? '' : ` ${unit}`;
  switch (input.is) {
    case 'number':
      return `${plain((value as number) / input.scale)}${behind}`;
    case 'flag':
      return value === true ? 'yes' : 'no';
    case 'one':
      return input.word(value as Value);
    case 'some': {
      const list = (value as readonly Value[]).map(input.word);
      return list.length === 0 ? 'none' : `${list.join(', ')}${behind}`;
    }
    case 'ranges':
      return (value as readonly ChannelRange[]).map(rangeWords).join(', ');
    case 'ports':
      return `${(value as readonly unknown[]).length} ports`;
    case 'terminals':
      return (value as Model['terminals']).map((t) => t.name).join(', ') || 'none';
    case 'formats':
      return formatsWords(value as Model['sends']['formats']);
    case 'text':
      return value === '' ? 'none' : `“${String(value)}”`;
  }
}

export const emptyWords = (empty: string): string => (empty === UNKNOWN ? 'not known' : empty);

function formatsWords(formats: Model['sends']['formats']): string {
  if (formats.length === 0) return 'none';
  return formats
    .map((f) => {
      const times = f.packetTimesUs.map((t) => (t >= 1000 ? `${t / 1000} ms` : `${t} µs`)).join(', ');
      return `${f.encodings.join(', ')} at ${f.ratesHz.map(kHz).join(', ')} kHz, ${times}, up to ${f.channelsMax} channels`;
    })
    .join('; ');
}

/** What a figure is called, by its place in the record. Ports go by their own names. */
export function figureLabel(path: string): string {
  const known = figureByPath.get(path);
  if (known !== undefined) return known.label;
  const section = FIGURE_SECTIONS.find((s) => s.record?.path === path);
  return section?.title ?? (path.startsWith('ports.') ? `Port “${path.slice(6)}”` : path);
}

/** A figure's value in one of two copies of a model, as a list of differences shows it. */
export function differenceWords(path: string, value: unknown): string {
  const known = figureByPath.get(path);
  if (known !== undefined) return figureWords(known, value);
  if (value === undefined) return 'not there';
  if (value === null) return 'not stated';
  if (path.startsWith('ports.')) return portWords(value as Model['ports'][number]);
  return 'stated';
}

const ROLE_OF_PORT = { A: 'leg A', B: 'leg B', control: 'control', switched: 'switch port' } as const;

function portWords(port: Model['ports'][number]): string {
  const gives = port.givesPoeClass == null ? '' : `, supplies PoE class ${port.givesPoeClass}`;
  const takes = port.takesPoeClass == null ? '' : `, powered by PoE class ${port.takesPoeClass}`;
  return `${ROLE_OF_PORT[port.role]}, ${speedWords(port.bitsPerSecond)}${gives}${takes}`;
}

export const PORT_ROLE_WORDS: Readonly<Record<Model['ports'][number]['role'], string>> = ROLE_OF_PORT;

export const speedWords = (bitsPerSecond: number): string =>
  bitsPerSecond >= 1e9 ? `${plain(bitsPerSecond / 1e9)} Gb/s` : `${plain(bitsPerSecond / 1e6)} Mb/s`;

/** Figures that nobody may know, as a finding names them. */
export const unknownFigureWords = (figure: UnknownFigure): string =>
  (
    figureByPath.get(figure) ??
    figureByPath.get(`switching.${figure}`) ??
    figureByPath.get(`clock.${figure}`)
  )?.label.toLowerCase() ?? figure;
