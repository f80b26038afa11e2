import type { Command } from '../plan/commands';
import { modelOf, type PlanOf } from '../plan/plan';
import { rangesOf } from '../streams/capability';

export interface RateFix {
  readonly does: 'set-rate';
  readonly deviceId: string;
  readonly rateHz: number;
  readonly commands: readonly Command[];
}

/** Another rate for a device whose model has it and has streams at it. */
export function rateFix(plan: PlanOf<'models' | 'devices'>, deviceId: string, rateHz: number): RateFix[] {
  const model = modelOf(plan, deviceId);
  const rate = model?.ratesHz.find((r) => r === rateHz);
  if (model === undefined || rate === undefined) return [];
  const ranges = [...rangesOf(model.sends), ...rangesOf(model.receives)];
  if (!ranges.some((r) => r.ratesHz.includes(rate))) return [];
  const commands: Command[] = [{ kind: 'change-device', deviceId, change: { rateHz: rate } }];
  return [{ does: 'set-rate', deviceId, rateHz, commands }];
}
