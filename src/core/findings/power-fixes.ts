import { feeds, powerOf } from '../network/power';
import type { Link } from '../network/links-table';
import { freePort } from '../plan/sockets';
import { interfacesOf, modelOf, type PlanOf } from '../plan/plan';
import { endAt, moved, put, switchesOfSubnet } from './cable-fixes';
import type { NetworkFix } from './network-fix';
import { betterModels } from './switch-fixes';

/** What would have to move, or be replaced, so that the power is enough. */

/** What would have to move so that the rest fits: the smallest device that makes enough room, else the hungriest. */
export function powerFixes(
  plan: PlanOf<'settings' | 'models' | 'devices' | 'links' | 'switches' | 'interfaces'>,
  switchId: string,
): NetworkFix[] {
  const own = powerOf(plan).get(switchId);
  if (!own || own.budgetW === null) return [];
  const over = own.reservedW - own.budgetW;
  const enough = own.ports.filter((p) => p.reservedW >= over).at(-1) ?? own.ports[0];
  const link = enough ? plan.links.get(enough.linkId) : undefined;
  const fixes: NetworkFix[] = [];
  if (enough && link) fixes.push(...plugWhereFed(plan, link, enough.deviceId, switchId).slice(0, 2));
  fixes.push(
    ...betterModels(plan, switchId, (s, ports) => {
      const used = own.ports.every((p) => {
        const port = ports.find((candidate) => candidate.name === p.port);
        return port !== undefined && feeds(port.givesPoeClass ?? null, p.takesClass);
      });
      return used && s.poeBudgetW !== null && s.poeBudgetW >= own.reservedW;
    }),
  );
  return fixes;
}

/** Sockets of other switches that can feed the device and have power left, in the same subnet's neighbourhood first. */
export function plugWhereFed(
  plan: PlanOf<'models' | 'devices' | 'links' | 'interfaces'>,
  link: Link,
  deviceId: string,
  notSwitchId: string,
): NetworkFix[] {
  const ownPort = endAt(link, deviceId).port;
  const port = modelOf(plan, deviceId)?.ports.find((p) => p.name === ownPort);
  const poeClass = port?.takesPoeClass ?? null;
  if (!port || poeClass === null) return [];
  const subnetId = interfacesOf(plan, deviceId).get(port.role)?.subnetId ?? null;
  const near = switchesOfSubnet(plan, subnetId, deviceId);
  const power = powerOf(plan);
  return near
    .filter((id) => id !== notSwitchId)
    .flatMap((switchId) => {
      const left = (power.get(switchId)?.budgetW ?? 0) - (power.get(switchId)?.reservedW ?? 0);
      const socket = freePort(plan, switchId, { bitsPerSecond: link.bitsPerSecond, poeClass });
      if (socket === null || left <= 0) return [];
      const commands = [put(moved(link, deviceId, switchId, socket))];
      return [{ does: 'plug-elsewhere' as const, linkId: link.id, deviceId, switchId, port: socket, commands }];
    });
}
