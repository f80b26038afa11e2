import type { Interface } from '../network/interfaces-table';
import { parseAddress, parseCidr } from '../network/address';
import type { Command } from '../plan/commands';
import { freeAddressIn } from '../edits/free';
import { interfacesOf, type PlanOf } from '../plan/plan';
import type { OwnFix } from './fix';

/** Addresses for those of the devices that have the leg and no usable address on it. */
export function legFixes(
  plan: PlanOf<'subnets' | 'interfaces'>,
  deviceIds: readonly string[],
  leg: 'A' | 'B',
): OwnFix[] {
  return deviceIds.flatMap((deviceId) => {
    const known = interfacesOf(plan, deviceId).get(leg);
    if (known?.subnetId && known.address && isUsable(plan, known)) return [];
    const subnetId = known?.subnetId ?? [...plan.subnets.values()].find((s) => s.role === leg)?.id ?? null;
    return addressFix(plan, { deviceId, name: leg, subnetId, address: null });
  });
}

function isUsable(plan: PlanOf<'subnets'>, i: Interface): boolean {
  const block = parseCidr(plan.subnets.get(i.subnetId ?? '')?.cidr ?? '');
  const address = parseAddress(i.address ?? '');
  return block !== null && address !== null && (address & block.mask) >>> 0 === block.base;
}

export function addressFix(plan: PlanOf<'subnets' | 'interfaces'>, i: Interface | undefined): OwnFix[] {
  if (i === undefined || i.subnetId === null) return [];
  const address = freeAddressIn(plan, i.subnetId);
  if (address === null) return [];
  const commands: Command[] = [{ kind: 'put-interface', interface: { ...i, address } }];
  return [{ does: 'give-address', deviceId: i.deviceId, interface: i.name, address, commands }];
}
