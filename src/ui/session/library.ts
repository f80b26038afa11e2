import { queryOptions, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Model } from '@/core/models/models-table';
import type { LibraryEntry, LibraryVersion } from '@/server/messages';
import { ask } from './ask';
import { thisAuthor } from './author';

/** The library of models as the server has it. Others may add to it: it is read again now and then, and when one comes back to the window. */

const AGAIN_MS = 20_000;
const KEY = ['library'] as const;

const library = queryOptions({
  queryKey: KEY,
  queryFn: () => ask('GET /api/models', {}),
  select: ({ models }) => new Map(models.map((e) => [e.modelId, e])),
  refetchInterval: AGAIN_MS,
});

const NONE: ReadonlyMap<string, LibraryEntry> = new Map();

/** By model id; those that were removed are in it with no model. Empty until it is read. */
export function useLibrary(): ReadonlyMap<string, LibraryEntry> {
  return useQuery(library).data ?? NONE;
}

/** Every version of a model, the newest first; null until they are read. */
export function useVersions(entry: LibraryEntry | undefined): readonly LibraryVersion[] | null {
  const id = entry?.modelId ?? '';
  const { data } = useQuery({
    queryKey: [...KEY, id, entry?.version],
    queryFn: () => ask('GET /api/models/:modelId', { modelId: id }),
    enabled: entry !== undefined,
  });
  return data?.versions ?? null;
}

/** What changes the library; what is shown of it follows. Each throws an ApiProblem. */
export function useLibraryEdits() {
  const client = useQueryClient();
  const then = async <T>(done: Promise<T>): Promise<T> => {
    try {
      return await done;
    } finally {
      await client.invalidateQueries({ queryKey: KEY });
    }
  };
  return {
    /** Adds a version after the one that it was made from; 0: it is new. */
    save: (model: Model, after: number, note: string) =>
      then(ask('POST /api/models', { body: { author: thisAuthor(), models: [{ after, model }], note } })),
    remove: (modelId: string, after: number) =>
      then(ask('DELETE /api/models/:modelId', { modelId, body: { author: thisAuthor(), after } })),
    openFile: (content: string, note: string) =>
      then(ask('POST /api/models/file', { body: { author: thisAuthor(), content, note } })),
  };
}
