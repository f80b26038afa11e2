import { byName } from '@/core/plan/name-order';

/** Places to choose from, in the order of their names: what stands in a select field. */
export function PlaceOptions({ places }: { places: Iterable<{ readonly id: string; readonly name: string }> }) {
  return [...places].sort(byName).map((p) => (
    <option key={p.id} value={p.id}>
      {p.name}
    </option>
  ));
}
