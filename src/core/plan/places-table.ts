import { id, nullable, record, text, type Described } from './shape';
import { table, type FieldProblem } from './table';

const shape = record({
  id,
  name: text(),
  /** Places nest: the place that this one is in. */
  parentId: nullable(id),
});
export type Place = Described<typeof shape>;

function ringProblem(
  place: Place,
  { places }: { readonly places: ReadonlyMap<string, Pick<Place, 'parentId'>> },
): FieldProblem | null {
  let up = place.parentId;
  // A ring of others is told of those that are in it.
  for (let depth = 0; up !== null && depth <= places.size; depth += 1) {
    if (up === place.id) return { reason: 'in-use', path: 'parentId', value: up };
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
  fits: { reads: { places: ['parentId'] }, problem: ringProblem, whenUnfit: 'refused' },
  nameOf: (r) => r.name,
});
