import { isRouted } from '@/core/network/interfaces-table';
import { type Plan, labelOf } from '@/core/plan/plan';
import { originOf } from '@/core/signal/through';

/** How the things of a plan are called. */

export function deviceName(plan: Plan, id: string): string {
  return plan.devices.get(id)?.name ?? id;
}

/** The first few by name, and how many more there are. */
export function deviceNames(plan: Plan, ids: readonly string[], max = 3): string {
  const shown = ids.slice(0, max).map((id) => deviceName(plan, id));
  const more = ids.length - shown.length;
  const all = more > 0 ? [...shown, `${more} more`] : shown;
  return all.length < 2 ? (all[0] ?? '') : `${all.slice(0, -1).join(', ')} and ${all[all.length - 1]}`;
}

export function channelName(plan: Plan, deviceId: string, side: 'receive' | 'send', channel: number): string {
  const label = labelOf(plan, deviceId, side, channel);
  if (label !== null || side === 'receive') return label ?? `in ${channel}`;
  // What is only passed on goes by the name of what it is.
  const origin = originOf(plan, deviceId, channel);
  if (origin.deviceId === deviceId) return `out ${channel}`;
  const passed = labelOf(plan, origin.deviceId, 'send', origin.channel) ?? `out ${origin.channel}`;
  return `${passed}, from ${deviceName(plan, origin.deviceId)}`;
}

export function interfaceName(name: string): string {
  return isRouted({ name }) ? 'its routed port' : name === 'control' ? 'control' : `leg ${name}`;
}
