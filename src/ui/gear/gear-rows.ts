import { isIn } from '@/core/findings/areas';
import type { Model } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import type { Device } from '@/core/plan/devices-table';
import type { DeviceBudget } from '@/core/reckon/reckoning';
import { liveWords } from '@/ui/parts/loss-words';
import { sortedBy } from '@/ui/parts/sorted';
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
  readonly refusals: number;
  readonly cautions: number;
}

export type GearColumn =
  | 'name'
  | 'model'
  | 'place'
  | 'addressA'
  | 'addressB'
  | 'rate'
  | 'in'
  | 'out'
  | 'field'
  | 'findings';

export function gearRows(plan: Plan, view: View, field: FieldView): GearRow[] {
  const refusals = new Map<string, number>();
  const cautions = new Map<string, number>();
  for (const finding of view.findings) {
    const counts = finding.severity === 'refusal' ? refusals : finding.severity === 'caution' ? cautions : null;
    const first = isIn('lanes', finding) ? finding.deviceIds.slice(0, 1) : finding.deviceIds;
    for (const id of counts ? new Set(first) : []) counts?.set(id, (counts.get(id) ?? 0) + 1);
  }
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
      refusals: refusals.get(device.id) ?? 0,
      cautions: cautions.get(device.id) ?? 0,
    };
  });
}

export function sortedGear(rows: readonly GearRow[], column: GearColumn, isDescending: boolean): GearRow[] {
  const keyOf = (row: GearRow): string | number => {
    switch (column) {
      case 'name':
        return row.device.name;
      case 'model':
        return row.model?.name ?? '';
      case 'place':
        return `${row.place} ${row.device.name}`;
      case 'addressA':
      case 'addressB':
        return row[column];
      case 'rate':
        return row.device.rateHz;
      case 'in':
        return row.budget?.channelsReceive.used ?? 0;
      case 'out':
        return row.budget?.channelsSend.used ?? 0;
      case 'field':
        return `${row.live.is === 'offline' ? 0 : 1} ${liveWords(row.live)}`;
      case 'findings':
        return row.refusals * 1000 + row.cautions;
    }
  };
  return sortedBy(rows, keyOf, (r) => r.device.name, isDescending);
}
