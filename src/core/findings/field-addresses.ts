import { parseAddress, parseCidr } from '../network/address';
import { isRouted } from '../network/interfaces-table';
import { interfacesOf, type PlanOf } from '../plan/plan';
import type { FoundAt } from './field-facts';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'answers-elsewhere'>;

const holds = (cidr: string, address: number): boolean => {
  const block = parseCidr(cidr);
  return block !== null && (address & block.mask) >>> 0 === block.base;
};

/**
 * Devices that answer on another network than those that the plan has them on: a plug in the wrong adapter or switch, or an address that was
 * never changed. `foundAt` is where each is asked, by plan device; `seenBy` the adapters of the server that reach a subnet, by its id.
 */
export function fieldAddressFindings(
  plan: PlanOf<'devices' | 'interfaces' | 'subnets'>,
  foundAt: ReadonlyMap<string, FoundAt>,
  seenBy: ReadonlyMap<string, readonly string[]>,
): Found[] {
  const findings: Found[] = [];
  for (const [deviceId, { address: text, adapter }] of foundAt) {
    const address = parseAddress(text);
    if (address === null || !plan.devices.has(deviceId)) continue;
    const own = [...interfacesOf(plan, deviceId).values()];
    // At an address that the plan gives it, it answers where it should, whatever else is wrong with that address.
    if (own.some((i) => i.address === text)) continue;
    const subnetIds = [...new Set(own.flatMap((i) => (i.subnetId === null || isRouted(i) ? [] : [i.subnetId])))];
    if (subnetIds.length === 0) continue;
    if (subnetIds.some((id) => holds(plan.subnets.get(id)?.cidr ?? '', address))) continue;
    findings.push({
      id: `answers|${deviceId}`,
      severity: 'caution',
      deviceIds: [deviceId],
      about: 'answers-elsewhere',
      address: text,
      subnetId: [...plan.subnets.values()].find((s) => holds(s.cidr, address))?.id ?? null,
      adapter,
      planned: subnetIds.map((subnetId) => ({ subnetId, adapters: seenBy.get(subnetId) ?? [] })),
    });
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}
