import { create } from 'zustand';
import type { Model } from '@/core/models/models-table';
import { sameValue } from '@/core/plan/same-value';
import { figureValue, withFigure } from '@/ui/parts/figure-values';

/**
 * Figures that were set and not yet applied, by plan, model and the figure's place in the record. They are kept while one looks at something else.
 * Only figures are kept, so that what others change of the same model meanwhile stays.
 */
type Changes = ReadonlyMap<string, unknown>;

const NONE: Changes = new Map();

const useStore = create<{ readonly byModel: ReadonlyMap<string, Changes> }>(() => ({ byModel: new Map() }));

const keyOf = (planId: string, modelId: string) => `${planId} ${modelId}`;

function put(key: string, changes: Changes): void {
  useStore.setState(({ byModel }) => {
    const next = new Map(byModel);
    if (changes.size === 0) next.delete(key);
    else next.set(key, changes);
    return { byModel: next };
  });
}

export interface Draft {
  readonly model: Model;
  /** Places of figures that differ from the model as it is. */
  readonly changed: ReadonlySet<string>;
  set(path: string, value: unknown): void;
  discard(): void;
}

/** The model as it is being worked on. */
export function useDraft(planId: string, base: Model): Draft {
  const key = keyOf(planId, base.id);
  const changes = useStore((s) => s.byModel.get(key) ?? NONE);
  let model = base;
  const changed = new Set<string>();
  for (const [path, value] of changes) {
    if (sameValue(figureValue(base, path), value)) continue;
    model = withFigure(model, path, value);
    changed.add(path);
  }
  return {
    model,
    changed,
    set: (path, value) => {
      const next = new Map(useStore.getState().byModel.get(key) ?? NONE);
      // A record that is set as a whole takes what was set within it along.
      for (const other of next.keys()) if (other.startsWith(`${path}.`)) next.delete(other);
      const within = [...next.keys()].find((other) => path.startsWith(`${other}.`));
      if (within === undefined) next.set(path, value);
      else
        next.set(within, withFigure({ [within]: next.get(within) } as unknown as Model, path, value)[within as never]);
      put(key, next);
    },
    discard: () => put(key, NONE),
  };
}
