import { unknownFiguresOf } from '../models/unknown-figures';
import type { ModelledDevices } from '../plan/plan';
import type { FindingAbout } from './finding';
import { rule } from './rule';

const FINDS = ['figures-unknown'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** Models in use of which not every figure is known: one finding a model, with all its devices. */
function unknownFigureFindings({ devices, models }: ModelledDevices): Found[] {
  const devicesByModel = new Map<string, string[]>();
  for (const { id, modelId } of devices.values()) {
    const ids = devicesByModel.get(modelId);
    if (ids === undefined) devicesByModel.set(modelId, [id]);
    else ids.push(id);
  }
  const findings: Found[] = [];
  for (const model of models.values()) {
    const deviceIds = devicesByModel.get(model.id);
    const figures = deviceIds === undefined ? [] : unknownFiguresOf(model);
    if (deviceIds === undefined || figures.length === 0) continue;
    findings.push({
      id: `unknown|${model.id}`,
      severity: 'caution',
      deviceIds: deviceIds.sort(),
      about: 'figures-unknown',
      modelId: model.id,
      figures,
    });
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}

export const unknownFigureRule = rule({
  finds: FINDS,
  reads: ['modelled'],
  find: ({ modelled }) => unknownFigureFindings(modelled),
});
