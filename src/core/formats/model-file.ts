import type { Model } from '../models/models-table';
import { models } from '../models/models-table';
import { exactly, list, record, type Shape } from '../plan/shape';
import { readDocument } from './json-document';
import { shapeProblems, type ShapeProblem } from './shape-check';

/** Models as a JSON document of their own, so that they go from one library to another. */

export const MODEL_FILE_MAX_BYTES = 5_000_000;
const MODELS_MAX = 1000;

const shape = record({
  format: exactly('jade-lane-models'),
  version: exactly(1),
  models: list(models.shape as Shape<Model>, MODELS_MAX, 1),
});

/** JSON Schema (draft 7) of a file of models. */
export const MODEL_FILE_SCHEMA = {
  $schema: 'http://json-schema.org/draft-07/schema#',
  title: 'Jade Lane models',
  ...shape,
};

interface ModelFile {
  readonly format: 'jade-lane-models';
  readonly version: 1;
  readonly models: readonly Model[];
}

export const modelFileOf = (of: readonly Model[]): ModelFile => ({
  format: 'jade-lane-models',
  version: 1,
  models: of,
});

type ModelFileResult =
  | { readonly ok: true; readonly models: readonly Model[] }
  | { readonly ok: false; readonly problems: readonly ShapeProblem[] };

const FILE_LIMITS = { depth: 32, values: 2_000_000 };

/** Reads it; nothing is half read. Problems name their places as JSON pointers. */
export function readModelFile(content: string): ModelFileResult {
  const read = readDocument(content, FILE_LIMITS);
  if (!read.ok) return read;
  const { document } = read;
  const problems = shapeProblems(shape as Shape<unknown>, document);
  if (problems.length > 0) return { ok: false, problems };
  const { models: of } = document as ModelFile;
  const firstAt = new Map<string, number>();
  const twice = of.flatMap(({ id }, n): ShapeProblem[] => {
    const before = firstAt.get(id);
    firstAt.set(id, before ?? n);
    return before === undefined ? [] : [{ at: `/models/${n}/id`, problem: `${id} is the id of /models/${before} too` }];
  });
  return twice.length > 0 ? { ok: false, problems: twice } : { ok: true, models: of };
}
