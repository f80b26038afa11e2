import type { Model, ModelPort } from './models-table';

const byName = new WeakMap<Model, ReadonlyMap<string, ModelPort>>();

/** The port of a model that is called so. A switch has dozens, and every cable asks: they are put in order once for a model. */
export function portNamed(model: Model, name: string): ModelPort | undefined {
  let ports = byName.get(model);
  if (ports === undefined) {
    // Of two of one name the first is meant.
    ports = new Map([...model.ports].reverse().map((p) => [p.name, p]));
    byName.set(model, ports);
  }
  return ports.get(name);
}
