import { cablesFor } from '../network/cable';
import type { Command } from '../plan/commands';
import { cablesOf, freePort } from '../plan/sockets';
import { interfacesOf, modelOf, type PlanOf } from '../plan/plan';
import type { Link } from '../network/links-table';
import type { NetworkSubject } from './network-subject';
import type { LanesOfStream, NetworkFix } from './network-fix';

/** Other sockets, other cables, more of them, less on them. */

export const put = (link: Link): Command => ({ kind: 'put-link', link });
export const removeLink = (linkId: string): NetworkFix => ({
  does: 'remove-link',
  linkId,
  commands: [{ kind: 'remove-link', linkId }],
});

export function setSpeed(plan: PlanOf<'links'>, linkId: string, bitsPerSecond: number): NetworkFix[] {
  const link = plan.links.get(linkId);
  if (!link) return [];
  return [{ does: 'set-link-speed', linkId, bitsPerSecond, commands: [put({ ...link, bitsPerSecond })] }];
}

export function cableFixes(link: Link): NetworkFix[] {
  return cablesFor(link.metres, link.bitsPerSecond)
    .filter((cable) => cable !== link.cable)
    .slice(0, 2)
    .map((cable) => ({ does: 'set-cable', linkId: link.id, cable, commands: [put({ ...link, cable })] }));
}

export function overloadFixes(
  plan: PlanOf<'models' | 'devices' | 'links'>,
  finding: Extract<NetworkSubject, { about: 'overload' }>,
  lanesOf: LanesOfStream,
): NetworkFix[] {
  const link = plan.links.get(finding.linkId);
  if (!link) return [];
  const fixes: NetworkFix[] = [];
  const speedOf = (end: Link['from']) =>
    modelOf(plan, end.deviceId)?.ports.find((p) => p.name === end.port)?.bitsPerSecond ?? 0;
  const fastest = Math.min(speedOf(link.from), speedOf(link.to));
  if (fastest > link.bitsPerSecond) fixes.push(...setSpeed(plan, link.id, fastest));
  const needed = (finding.bitsPerSecond * 100) / finding.ceilingPercent;
  const percent = Math.floor(100 - (needed * 100) / link.bitsPerSecond);
  if (percent >= 0 && percent < link.setAsidePercent) {
    const commands = [put({ ...link, setAsidePercent: percent })];
    fixes.push({ does: 'lower-set-aside', linkId: link.id, percent, commands });
  }
  fixes.push(...joinFixes(plan, link));
  const channels = finding.topStreamIds.flatMap((id) => [...lanesOf(id)]);
  if (channels.length > 0) {
    const commands: Command[] = [{ kind: 'unsubscribe', channels }];
    fixes.push({ does: 'clear-streams', streamIds: finding.topStreamIds, lanes: channels.length, commands });
  }
  return fixes;
}

/** A second cable beside the first, as one link, where both switches can and have a socket free. */
export function joinFixes(plan: PlanOf<'models' | 'devices' | 'links'>, link: Link): NetworkFix[] {
  const isAble = (id: string) => modelOf(plan, id)?.switching?.joinsLinks === true;
  if (!isAble(link.from.deviceId) || !isAble(link.to.deviceId)) return [];
  const wanted = { bitsPerSecond: link.bitsPerSecond };
  const portFrom = freePort(plan, link.from.deviceId, wanted);
  const portTo = freePort(plan, link.to.deviceId, wanted);
  if (portFrom === null || portTo === null) return [];
  const joinedAs = link.joinedAs ?? link.id;
  let n = 2;
  while (plan.links.has(`${link.id}-${n}`)) n += 1;
  const second: Link = {
    ...link,
    id: `${link.id}-${n}`,
    from: { ...link.from, port: portFrom },
    to: { ...link.to, port: portTo },
    joinedAs,
  };
  const commands = [put({ ...link, joinedAs }), put(second)];
  return [{ does: 'join-cable', linkId: link.id, portFrom, portTo, commands }];
}

/** Moves the far plug of a device's cable to another socket. */
export function moved(link: Link, deviceId: string, switchId: string, port: string): Link {
  const isFromDevice = link.from.deviceId === deviceId;
  return isFromDevice ? { ...link, to: { deviceId: switchId, port } } : { ...link, from: { deviceId: switchId, port } };
}

export function plugElsewhere(
  plan: PlanOf<'models' | 'devices' | 'links' | 'interfaces'>,
  linkId: string,
  deviceId: string,
  notSwitchId: string,
): NetworkFix[] {
  const link = plan.links.get(linkId);
  if (!link) return [];
  // Only where others of the same leg are plugged in: another switch may not carry the subnet.
  const role = modelOf(plan, deviceId)?.ports.find((p) => p.name === endAt(link, deviceId).port)?.role;
  const subnetId = role === undefined ? null : (interfacesOf(plan, deviceId).get(role)?.subnetId ?? null);
  return switchesOfSubnet(plan, subnetId, deviceId)
    .filter((id) => id !== notSwitchId)
    .flatMap((switchId) => {
      const port = freePort(plan, switchId, { bitsPerSecond: link.bitsPerSecond });
      if (port === null) return [];
      const commands = [put(moved(link, deviceId, switchId, port))];
      return [{ does: 'plug-elsewhere' as const, linkId, deviceId, switchId, port, commands }];
    })
    .slice(0, 2);
}

export const endAt = (link: Link, deviceId: string) => (link.from.deviceId === deviceId ? link.from : link.to);

/** The switches into which other devices of a subnet are plugged, those with the most first; all where none is known. */
export function switchesOfSubnet(
  plan: PlanOf<'models' | 'devices' | 'links' | 'interfaces'>,
  subnetId: string | null,
  exceptDeviceId: string,
): string[] {
  if (subnetId === null) return [...plan.devices.keys()].filter((id) => modelOf(plan, id)?.switching).sort();
  const counts = new Map<string, number>();
  for (const link of plan.links.values()) {
    for (const [own, far] of [
      [link.from, link.to],
      [link.to, link.from],
    ] as const) {
      if (own.deviceId === exceptDeviceId || !modelOf(plan, far.deviceId)?.switching) continue;
      const model = modelOf(plan, own.deviceId);
      if (model === undefined || model.switching) continue;
      const role = model.ports.find((p) => p.name === own.port)?.role;
      if (role === undefined || interfacesOf(plan, own.deviceId).get(role)?.subnetId !== subnetId) continue;
      counts.set(far.deviceId, (counts.get(far.deviceId) ?? 0) + 1);
    }
  }
  return [...counts].sort(([x, n], [y, m]) => m - n || (x < y ? -1 : 1)).map(([id]) => id);
}

/** Takes leg B of a sender away from a switch (or from wherever it is, when null). */
export function plugSenderElsewhere(
  plan: PlanOf<'models' | 'devices' | 'links' | 'interfaces'>,
  senderId: string,
  switchId: string | null,
): NetworkFix[] {
  const port = modelOf(plan, senderId)?.ports.find((p) => p.role === 'B')?.name ?? '';
  const link = cablesOf(plan, senderId).get(port)?.[0];
  if (!link) return [];
  const far = link.from.deviceId === senderId ? link.to.deviceId : link.from.deviceId;
  if (switchId !== null && far !== switchId) return [];
  return plugElsewhere(plan, link.id, senderId, far);
}

export function plugOnSame(plan: PlanOf<'models' | 'devices' | 'links'>, link: Link, deviceId: string): NetworkFix[] {
  const port = freePort(plan, deviceId, { bitsPerSecond: link.bitsPerSecond });
  if (port === null) return [];
  const isFrom = link.from.deviceId === deviceId;
  const after = isFrom ? { ...link, from: { deviceId, port } } : { ...link, to: { deviceId, port } };
  const other = isFrom ? link.to.deviceId : link.from.deviceId;
  return [
    { does: 'plug-elsewhere', linkId: link.id, deviceId: other, switchId: deviceId, port, commands: [put(after)] },
  ];
}
