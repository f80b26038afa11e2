import { modelOf, subscriptionsOf, type PlanOf } from '../plan/plan';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'heard-by-old-name'>;

/** Receivers that receive this device and keep its name, not its id. */
function receiversByName(plan: PlanOf<'models' | 'devices' | 'subscriptions'>, senderId: string): string[] {
  return [...plan.devices.keys()].filter(
    (id) =>
      modelOf(plan, id)?.naming?.subscribesByName === true &&
      [...subscriptionsOf(plan, id).values()].some((s) => s.senderDeviceId === senderId),
  );
}

/**
 * Devices that call themselves otherwise than the plan does, where others hear them by name: those look for a name that nobody
 * has. `labels` is what devices report, by plan device.
 */
export function fieldNameFindings(
  plan: PlanOf<'models' | 'devices' | 'subscriptions'>,
  labels: ReadonlyMap<string, string>,
): Found[] {
  const findings: Found[] = [];
  for (const [deviceId, found] of labels) {
    const planned = plan.devices.get(deviceId)?.name;
    if (planned === undefined || planned === found || found === '') continue;
    const receivers = receiversByName(plan, deviceId);
    if (receivers.length === 0) continue;
    findings.push({
      id: `by-name|${deviceId}`,
      severity: 'caution',
      deviceIds: [deviceId, ...receivers],
      about: 'heard-by-old-name',
      planned,
      found,
    });
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}
