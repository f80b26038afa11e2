import fc from 'fast-check';
import { CATALOGUE } from '@/core/models/catalogue';
import { models, type Model } from '@/core/models/models-table';
import { valueOf } from '@/core/plan/test-arbitrary';
import { modelNamed } from '@/core/plan/test-plan';
import { differenceWords, figureLabel, figureWords } from './figure-words';
import { FIGURE_SECTIONS } from './model-figures';
import { figureProblem, figureText, figureValue, withFigure } from './figure-values';
import type { Figure } from './figure-shape';

const FIGURES: readonly Figure[] = FIGURE_SECTIONS.flatMap((s) => s.figures);
const arbitraryModel = valueOf(models.shape) as fc.Arbitrary<Model>;

interface SomeShape {
  readonly properties?: Readonly<Record<string, SomeShape>>;
}

/** Every place of a shape at which a value stands. Lists count as one value. */
function places(shape: SomeShape, at = ''): string[] {
  return Object.entries(shape.properties ?? {}).flatMap(([name, field]) => {
    const path = at === '' ? name : `${at}.${name}`;
    return field.properties === undefined ? [path] : places(field, path);
  });
}

test('every figure of a model can be set, and each once', () => {
  const all = places(models.shape as SomeShape).filter((path) => path !== 'id');
  expect(FIGURES.map((f) => f.path).sort()).toEqual(all.sort());
});

test('a record that may be missing can be stated, as one that a plan takes', () => {
  for (const { record } of FIGURE_SECTIONS) {
    if (record === undefined) continue;
    const stated = withFigure({ ...modelNamed('amp-8'), [record.path]: null }, record.path, record.plain);
    for (const section of FIGURE_SECTIONS.filter((s) => s.record?.path === record.path)) {
      for (const figure of section.figures) expect(figureValue(stated, figure.path)).not.toBeUndefined();
    }
  }
});

test('a figure that is set is there, and nothing else has changed', () => {
  fc.assert(
    fc.property(arbitraryModel, arbitraryModel, fc.constantFrom(...FIGURES), (model, other, figure) => {
      const wanted = figureValue(other, figure.path);
      if (wanted === undefined || figureValue(model, figure.path) === undefined) return;
      const set = withFigure(model, figure.path, wanted);
      expect(figureValue(set, figure.path)).toEqual(wanted);
      expect(withFigure(set, figure.path, figureValue(model, figure.path))).toEqual(model);
    }),
  );
});

test('what stands in the field of a number is the number, and passes its own check', () => {
  for (const model of CATALOGUE) {
    for (const { path, input } of FIGURES) {
      const value = figureValue(model, path);
      if (input.is !== 'number' || value === undefined) continue;
      const text = figureText(input, value);
      expect(figureProblem(input, text)).toBeNull();
      if (text !== '') expect(Math.round(Number(text) * input.scale * 1000) / 1000).toBe(value);
    }
  }
});

test('numbers out of range, fractions of what is whole and words are refused with the range', () => {
  const input = (path: string) => FIGURES.find((f) => f.path === path)!.input;
  expect(figureProblem(input('streamsReceive'), '1.5')).toBe('From 0 to 4,096.');
  expect(figureProblem(input('streamsReceive'), 'many')).toBe('From 0 to 4,096.');
  expect(figureProblem(input('streamsReceive'), '')).toBeNull();
  expect(figureProblem(input('channelsReceive'), '')).toBe('A number is needed.');
  expect(figureProblem(input('switching.queues'), '17')).toBe('From 1 to 16.');
});

test('values in words: with their units, not known as such, lists as lists', () => {
  const words = (path: string, value: unknown) =>
    figureWords(
      FIGURES.find((f) => f.path === path)!,
      value,
    );
  expect(words('linkOffsetMinNs', 1_500_000)).toBe('1.5 ms');
  expect(words('streamsSend', null)).toBe('not known');
  expect(words('channelPool', null)).toBe('no pool');
  expect(words('ratesHz', [48_000, 96_000])).toBe('48, 96 kHz');
  expect(words('switching.snooping', false)).toBe('no');
  expect(words('sends.formats', modelNamed('endpoint-2').sends.formats)).toBe(
    'L24, L16 at 48 kHz, 1 ms, 4 ms, up to 2 channels',
  );
  expect(figureLabel('ports.Media A')).toBe('Port “Media A”');
  expect(differenceWords('ports.Media A', modelNamed('amp-8').ports[0])).toBe('leg A, 1 Gb/s');
  expect(differenceWords('clock', null)).toBe('not stated');
});
