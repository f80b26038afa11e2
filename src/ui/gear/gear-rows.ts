import { isIn } from '@/core/findings/areas';
import type { Model } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import type { Device } from '@/core/plan/devices-table';
import type { DeviceBudget } from '@/core/reckon/reckoning';
import { NOTHING_WRONG, wrongBy, type Wrong } from '@/ui/parts/wrong';
import { deviceLive, type DeviceLive } from '@/ui/session/losses';
import type { FieldView, View } from '@/ui/session/plan-store';

export interface GearRow {
  readonly device: Device;
  readonly model: Model | undefined;
  readonly place: string;
  readonly addressA: string;
  readonly addressB: string;
  readonly control: string;
  readonly budget: DeviceBudget | undefined;
  readonly live: DeviceLive;
  readonly wrong: Wrong;
}

export function gearRows(plan: Plan, view: View, field: FieldView): GearRow[] {
  const wrong = wrongBy(view.findings, (f) => (isIn('lanes', f) ? f.deviceIds.slice(0, 1) : f.deviceIds));
  return [...plan.devices.values()].map((device) => {
    const model = plan.models.get(device.modelId);
    const address = (name: string) => plan.interfaces.get(device.id)?.get(name)?.address ?? '';
    return {
      device,
      model,
      place: plan.places.get(device.placeId ?? '')?.name ?? '',
      addressA: address('A'),
      addressB: address('B'),
      control: address('control'),
      budget: view.budgets.get(device.id),
      live: deviceLive(plan, field, device.id),
      wrong: wrong.get(device.id) ?? NOTHING_WRONG,
    };
  });
}
