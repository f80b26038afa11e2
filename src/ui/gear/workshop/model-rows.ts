import { CATALOGUE } from '@/core/models/catalogue';
import { modelDifferences } from '@/core/models/model-differences';
import type { Model } from '@/core/models/models-table';
import { unknownFiguresOf } from '@/core/models/unknown-figures';
import type { Plan } from '@/core/plan/plan';
import type { LibraryEntry } from '@/server/messages';

/** A model that the engineer can use, wherever it is kept. */
export interface ModelRow {
  readonly id: string;
  /** As it is worked on: the plan's copy, else the library's newest version, else the catalogue's entry. */
  readonly model: Model;
  readonly inPlan: Model | null;
  /** Null: it is not in the library, or was taken out. */
  readonly inLibrary: LibraryEntry | null;
  readonly inCatalogue: Model | null;
  /** Devices of the plan that have it. */
  readonly deviceIds: readonly string[];
  /** Figures in which the plan's copy differs from the library's newest version. */
  readonly differences: number;
  readonly unknown: number;
}

const catalogue = new Map(CATALOGUE.map((m) => [m.id, m]));

/** Every model of the plan, the library and the catalogue, once each. */
export function modelRows(plan: Plan, library: ReadonlyMap<string, LibraryEntry>): ModelRow[] {
  const devices = new Map<string, string[]>();
  for (const { id, modelId } of plan.devices.values()) {
    const ids = devices.get(modelId);
    if (ids === undefined) devices.set(modelId, [id]);
    else ids.push(id);
  }
  const rows: ModelRow[] = [];
  for (const id of new Set([...plan.models.keys(), ...library.keys(), ...catalogue.keys()])) {
    const inPlan = plan.models.get(id) ?? null;
    const entry = library.get(id);
    const kept = entry?.model ?? null;
    const inCatalogue = catalogue.get(id) ?? null;
    const model = inPlan ?? kept ?? inCatalogue;
    if (model === null) continue;
    rows.push({
      id,
      model,
      inPlan,
      inLibrary: entry === undefined || kept === null ? null : entry,
      inCatalogue,
      deviceIds: devices.get(id) ?? [],
      differences: inPlan === null || kept === null ? 0 : modelDifferences(inPlan, kept).length,
      unknown: unknownFiguresOf(model).length,
    });
  }
  return rows;
}

/** Where a model is kept, in words. */
export function keptWords({ inPlan, inLibrary, inCatalogue }: ModelRow): string {
  const places = [
    ...(inPlan === null ? [] : ['plan']),
    ...(inLibrary === null ? [] : [`library, version ${inLibrary.version}`]),
    ...(inCatalogue === null || inLibrary !== null ? [] : ['catalogue']),
  ];
  return places.join('; ');
}
