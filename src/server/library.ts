import { readModelFile } from '../core/formats/model-file';
import type { Model } from '../core/models/models-table';
import { sameValue } from '../core/plan/same-value';
import type { LibraryRow } from '../store/model-library';
import type { Author, LibraryEntry, LibraryVersion } from './messages';
import { RequestProblem } from './problem';
import { serverState } from './state';

/** Models that are kept beside the plans. A plan has copies of its own, which nothing here changes. */

const versionOf = ({ version, value, authorName, at, note }: LibraryRow): LibraryVersion => ({
  version,
  model: value,
  by: authorName,
  at,
  note,
});

/** Every model of the library in its newest version, those that were removed too. */
export function readLibrary(): LibraryEntry[] {
  const newest = new Map<string, LibraryEntry>();
  for (const row of serverState().library.all()) newest.set(row.modelId, { modelId: row.modelId, ...versionOf(row) });
  return [...newest.values()];
}

/** All versions of one model, the newest first. */
export function libraryVersions(modelId: string): LibraryVersion[] {
  const rows = serverState().library.versions(modelId);
  if (rows.length === 0) throw noModel();
  return rows.map(versionOf).reverse();
}

const noModel = () => new RequestProblem(404, 'no-model', 'There is no such model in the library.', 'modelId');

interface ModelVersion {
  /** The version that it was made from; 0: it is new. */
  readonly after: number;
  readonly model: Model;
}

/** Adds a version of each. If anybody saved one meanwhile nothing is saved: what they saved would go unseen. */
export function saveToLibrary(author: Author, versions: readonly ModelVersion[], note: string): LibraryEntry[] {
  const ids = versions.map((v) => v.model.id);
  const twice = ids.find((id, n) => ids.indexOf(id) !== n);
  if (twice !== undefined) throw new RequestProblem(400, 'invalid', `models: ${twice} is listed twice.`, 'models');
  add(
    author,
    versions.map(({ after, model }) => ({ modelId: model.id, after, value: model })),
    note,
  );
  return readLibrary().filter((e) => ids.includes(e.modelId));
}

/** Takes a model out of the library. Its versions stay, and saving it again brings it back. */
export function removeFromLibrary(author: Author, modelId: string, after: number): LibraryEntry[] {
  const rows = serverState().library.versions(modelId);
  if (rows.at(-1)?.value == null) throw noModel();
  add(author, [{ modelId, after, value: null }], 'removed');
  return readLibrary().filter((e) => e.modelId === modelId);
}

function add(
  author: Author,
  versions: readonly { readonly modelId: string; readonly after: number; readonly value: Model | null }[],
  note: string,
): void {
  const rows = versions.map((v) => ({ ...v, authorId: author.id, authorName: author.name, note }));
  const overtaken = serverState().library.add(rows, Date.now());
  if (overtaken.length === 0) return;
  const known = new Map(readLibrary().map((e) => [e.modelId, e]));
  const first = known.get(overtaken[0] as string);
  const who = first === undefined ? 'Somebody' : first.by;
  const name = first?.model?.name ?? overtaken[0];
  throw new RequestProblem(
    409,
    'overtaken',
    `${who} saved version ${first?.version ?? '?'} of ${name} meanwhile. Nothing was saved; look at it first.`,
    'models',
    { models: overtaken },
  );
}

/** Puts the models of a file into the library, each as its newest version; those that are there just so are left. */
export function openModelFile(author: Author, content: string, note: string): { saved: LibraryEntry[]; same: number } {
  const result = readModelFile(content);
  if (!result.ok) {
    const [first] = result.problems;
    const message = `This file of models cannot be read: ${first?.at ?? '/'} ${first?.problem ?? ''}`;
    throw new RequestProblem(400, 'bad-model-file', message, first?.at ?? null, { problems: result.problems });
  }
  const { library } = serverState();
  const changed = result.models.filter((model) => !sameValue(library.versions(model.id).at(-1)?.value ?? null, model));
  const saved =
    changed.length === 0
      ? []
      : saveToLibrary(
          author,
          changed.map((model) => ({ after: library.newest(model.id), model })),
          note,
        );
  return { saved, same: result.models.length - changed.length };
}
