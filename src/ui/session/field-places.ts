import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { FieldPlaces } from '@/server/messages';
import { ask } from './ask';
import { thisAuthor } from './author';

/** Where the server looks for devices. It is read again and again while it is looked at: nodes come and go by themselves. */

const AGAIN_MS = 2000;
const KEY = ['field-places'] as const;

/** Null until it is read. */
export function useFieldPlaces(): { readonly places: FieldPlaces | null; readonly problem: string | null } {
  const { data, error } = useQuery({
    queryKey: KEY,
    queryFn: () => ask('GET /api/field/places', {}),
    refetchInterval: AGAIN_MS,
  });
  return { places: data ?? null, problem: error?.message ?? null };
}

/** What changes them; what is shown follows. Each throws an ApiProblem. */
export function useFieldPlaceEdits() {
  const client = useQueryClient();
  const then = async (done: Promise<FieldPlaces>): Promise<void> => {
    const places = await done;
    // A reading that began before would bring back what was.
    await client.cancelQueries({ queryKey: KEY });
    client.setQueryData(KEY, places);
  };
  const author = () => thisAuthor();
  return {
    addNode: (address: string) => then(ask('POST /api/field/nodes', { body: { author: author(), address } })),
    removeNode: (address: string) => then(ask('DELETE /api/field/nodes', { body: { author: author(), address } })),
    /** @param names null: all */
    chooseAdapters: (names: readonly string[] | null) =>
      then(ask('PUT /api/field/adapters', { body: { author: author(), names } })),
  };
}
