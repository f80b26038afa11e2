import { INTERFACE_ROLES, type InterfaceRole } from '../models/models-table';
import type { Command } from '../plan/commands';
import { interfacesOf, modelOf, subscriptionsOf, type PlanOf } from '../plan/plan';
import type { Device } from '../plan/devices-table';
import { fillFrom, type FillResult, type ReceiverChannel } from './fill';
import { proposeMove } from './propose-addresses';

/** What the first of several has, for the others too. */

/**
 * Place, rate, signal path and who manages the patch of the first device for the others, and its subnets with free addresses of them. A rate that
 * a model does not have is left as it is.
 */
export function fillDownDevices(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  deviceIds: readonly string[],
): Command[] {
  const [firstId = '', ...others] = deviceIds;
  const first = plan.devices.get(firstId);
  if (first === undefined) return [];
  const commands: Command[] = [];
  for (const id of others) {
    const device = plan.devices.get(id);
    if (device === undefined) continue;
    const rates = modelOf(plan, id)?.ratesHz ?? [];
    const wanted: Partial<Omit<Device, 'id'>> = {
      placeId: first.placeId,
      isPatchForeign: first.isPatchForeign,
      ...(rates.includes(first.rateHz) ? { rateHz: first.rateHz } : {}),
      ...(first.throughId === id ? {} : { throughId: first.throughId }),
    };
    const change = Object.fromEntries(
      Object.entries(wanted).filter(([field, value]) => device[field as keyof Device] !== value),
    );
    if (Object.keys(change).length > 0) commands.push({ kind: 'change-device', deviceId: id, change });
  }
  const subnets: Partial<Record<InterfaceRole, string>> = {};
  for (const role of INTERFACE_ROLES) {
    const subnetId = interfacesOf(plan, firstId).get(role)?.subnetId ?? null;
    if (subnetId !== null) subnets[role] = subnetId;
  }
  return [...commands, ...proposeMove(plan, others, subnets).commands];
}

/**
 * The receiver channels after the first hear what comes after its sender channel, one by one; null: the first hears nothing. What the sender has
 * no channel for is left out and told.
 */
export function fillDownLanes(
  plan: PlanOf<'models' | 'devices' | 'labels' | 'subscriptions'>,
  receivers: readonly ReceiverChannel[],
): FillResult | null {
  const [first, ...others] = receivers;
  if (first === undefined) return null;
  const heard = subscriptionsOf(plan, first.deviceId).get(first.channel);
  if (heard === undefined) return null;
  const next = { deviceId: heard.senderDeviceId, channel: heard.senderChannel + 1 };
  return fillFrom(plan, others, next, { pattern: 'in-step', step: 1 });
}
