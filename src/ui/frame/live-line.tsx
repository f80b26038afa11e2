import type { Plan } from '@/core/plan/plan';
import { liveWords } from '@/ui/parts/loss-words';
import { count } from '@/ui/parts/units';
import { deviceLive, needsLook, useLosses } from '@/ui/session/losses';
import { usePlan } from '@/ui/session/plan-store';

/** How a device is in the field, under its name in every panel; nothing for what is not followed. */
export function LiveLine({ plan, deviceId }: { plan: Plan; deviceId: string }) {
  const hasField = usePlan((s) => s.hasField);
  const field = usePlan((s) => s.field);
  const losses = useLosses();
  if (!hasField) return null;
  const live = deviceLive(plan, field, deviceId);
  if (live.is === 'not-followed') return null;
  const lost = losses.all.find((l) => l.kind === 'device' && l.deviceId === deviceId);
  const waiting = lost?.kind === 'device' ? lost.waiting : 0;
  const runBy = field.devices.get(deviceId)?.runBy ?? null;
  const tone = needsLook(live) ? 'text-ochre' : 'text-dim';
  return (
    <p className={tone} data-live={live.is}>
      In the field: {liveWords(live)}
      {waiting > 0 ? `, ${count(waiting, 'lane')} waiting` : ''}
      {runBy === null ? '' : <span className="text-violet">, run by the plan {runBy.name}</span>}
    </p>
  );
}
