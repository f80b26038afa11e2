import { compareNames } from '@/core/plan/name-order';
import { modelOf, type Plan } from '@/core/plan/plan';
import { terminalsOf } from '@/core/signal/terminals';
import { keyOf } from './patch-rows';

/** Devices with channels, those with a console's inside first. */
export function devicesToPatch(plan: Plan) {
  return [...plan.devices.values()]
    .flatMap((d) => {
      const model = modelOf(plan, d.id);
      return model === undefined || terminalsOf(model).length === 0 ? [] : [{ device: d, model }];
    })
    .sort(
      (a, b) =>
        Number(b.model.kind === 'console') - Number(a.model.kind === 'console') ||
        compareNames(a.device.name, b.device.name),
    );
}

/** Devices that can be patched, those that are not there among them: sending says why it leaves them. */
export const devicesInField = (plan: Plan): string[] =>
  devicesToPatch(plan)
    .filter(({ model }) => terminalsOf(model).some((t) => t.patchFrom.length > 0))
    .map(({ device }) => device.id);

/** The channels of a device that are fed otherwise in one plan than in the other. */
export function changedKeys(before: Plan | null, after: Plan | null, deviceId: string): ReadonlySet<string> {
  const changed = new Set<string>();
  if (before === null || after === null || before === after) return changed;
  for (const table of ['patches', 'busSends'] as const) {
    const [was, is] = [before[table].get(deviceId), after[table].get(deviceId)];
    if (was === is) continue;
    for (const key of new Set([...(was?.keys() ?? []), ...(is?.keys() ?? [])])) {
      const record = is?.get(key) ?? was?.get(key);
      if (record !== undefined && was?.get(key) !== is?.get(key)) changed.add(keyOf(record.terminalId, record.channel));
    }
  }
  return changed;
}
