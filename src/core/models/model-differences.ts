import { sameValue } from '../plan/same-value';
import { models, type Model } from './models-table';

/** One figure of a model that is not the same in two copies of it. */
interface ModelDifference {
  /** `streamsReceive`, `clock.freePpm`, `ports.Port 3`; a record that only one of the two has stands as a whole: `clock`. */
  readonly path: string;
  /** Undefined: it is not there. */
  readonly before: unknown;
  readonly after: unknown;
}

type Fields = Readonly<Record<string, unknown>>;
const isRecord = (value: unknown): value is Fields =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Every figure in which two copies of a model differ, in the order of the record. Ports are told apart by their names. */
export function modelDifferences(before: Model, after: Model): ModelDifference[] {
  return differences('', before, after).filter((d) => d.path !== 'id');
}

function differences(at: string, before: Fields, after: Fields): ModelDifference[] {
  const declared = at === '' ? Object.keys(models.shape.properties) : [];
  const names = [...new Set([...declared, ...Object.keys(before), ...Object.keys(after)])];
  return names.flatMap((name) => {
    const path = at === '' ? name : `${at}.${name}`;
    const [a, b] = [before[name], after[name]];
    if (sameValue(a, b)) return [];
    if (isRecord(a) && isRecord(b)) return differences(path, a, b);
    if (path === 'ports') return portDifferences(before as unknown as Model, after as unknown as Model);
    return [{ path, before: a, after: b }];
  });
}

function portDifferences(before: Model, after: Model): ModelDifference[] {
  const byName = (model: Model) => new Map(model.ports.map((p) => [p.name, p]));
  const [a, b] = [byName(before), byName(after)];
  // Ports with one name, or in another order, cannot be told apart by name.
  if (a.size !== before.ports.length || b.size !== after.ports.length) {
    return [{ path: 'ports', before: before.ports, after: after.ports }];
  }
  const found = [...new Set([...a.keys(), ...b.keys()])].flatMap((name): ModelDifference[] =>
    sameValue(a.get(name), b.get(name)) ? [] : [{ path: `ports.${name}`, before: a.get(name), after: b.get(name) }],
  );
  return found.length > 0 ? found : [{ path: 'ports', before: before.ports, after: after.ports }];
}
