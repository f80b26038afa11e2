import { id, nullable, record, text, type Described } from './shape';
import { table, type FieldProblem } from './table';

const shape = record({
  id,
  name: text(),
  /** Places nest: the place that this one is in. */
  parentId: nullable(id),
});
export type Place = Described<typeof shape>;

/** A site, its buildings, floors, rooms and racks: so deep places nest at most. */
export const PLACES_DEEP = 32;

/** A place is in none of those that are in it, and not too deep. */
function nestingProblem(
  place: Place,
  { places }: { readonly places: ReadonlyMap<string, Pick<Place, 'parentId'>> },
): FieldProblem | null {
  let up = place.parentId;
  for (let depth = 1; up !== null; depth += 1) {
    if (up === place.id) return { reason: 'in-use', path: 'parentId', value: up };
    if (depth >= PLACES_DEEP) {
      return {
        reason: 'out-of-range',
        path: 'parentId',
        value: place.parentId ?? '',
        limit: `at most ${PLACES_DEEP} deep`,
      };
    }
    up = places.get(up)?.parentId ?? null;
  }
  return null;
}

/** A room, rack, stage or yard. */
export const places = table(shape)({
  owner: null,
  key: ['id'],
  since: 1,
  command: { noun: 'place', as: 'place', id: 'placeId' },
  pointsTo: [{ path: 'parentId', to: 'places', whenGone: 'refused' }],
  merges: 'records',
  fits: { reads: { places: ['parentId'] }, problem: nestingProblem, whenUnfit: 'refused' },
  nameOf: (r) => r.name,
});
