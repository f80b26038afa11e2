import type { Model, ModelPort } from './models-table';
import { onceFor } from '../plan/once-for';

/** Of two of one name the first is meant. */
const portsByName = onceFor(({ ports }: Model) => new Map([...ports].reverse().map((p) => [p.name, p])));

/** The port of a model that is called so. A switch has dozens, and every cable asks: they are put in order once for a model. */
export const portNamed = (model: Model, name: string): ModelPort | undefined => portsByName(model).get(name);
