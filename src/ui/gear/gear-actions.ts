import { toast } from 'sonner';
import { fillDownDevices } from '@/core/edits/fill-down';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { deviceName } from '@/ui/parts/names';
import { count } from '@/ui/parts/units';
import { commitWithUndo, previewBatch } from '@/ui/session/actions';

/** Removes devices. What ends with them is seen before they go. */
export function removeDevices(plan: Plan, ids: readonly string[], onDone: () => void): void {
  if (ids.length === 0) return;
  const commands: Command[] = ids.map((deviceId) => ({ kind: 'remove-device', deviceId }));
  const title = `remove ${ids.length === 1 ? deviceName(plan, ids[0] as string) : count(ids.length, 'device')}`;
  const isGoing = new Set(ids);
  const endsLanes = [...plan.subscriptions].some(([receiverId, own]) =>
    [...own.values()].some((s) => isGoing.has(receiverId) || isGoing.has(s.senderDeviceId)),
  );
  if (endsLanes) void previewBatch(title, commands);
  else void commitWithUndo(title, commands).then((isDone) => isDone && onDone());
}

/** Gives the others what the first of the devices has. */
export function fillDownOverDevices(plan: Plan, ids: readonly string[]): void {
  if (ids.length < 2) return;
  const commands = fillDownDevices(plan, ids);
  const first = deviceName(plan, ids[0] as string);
  if (commands.length === 0) toast(`Nothing to fill down: all are as ${first}`);
  else
    void previewBatch(`fill down place, rate and subnets of ${first} to ${count(ids.length - 1, 'device')}`, commands);
}
