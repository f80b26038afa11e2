import type { ModelPort, PoeClass } from '../models/models-table';
import { feeds } from '../network/power';
import { modelOf, type Plan, type PlanOf, type ModelledDevices } from './plan';
import type { Link, LinkEnd } from '../network/links-table';
import { onceFor } from './once-for';

type LinksBySocket = ReadonlyMap<string, ReadonlyMap<string, readonly Link[]>>;
const NOTHING: ReadonlyMap<string, readonly Link[]> = new Map();

/** The cables in each socket of a device, by the socket's name; more than one in a socket is a finding. */
export const cablesOf = ({ links }: PlanOf<'links'>, deviceId: string): ReadonlyMap<string, readonly Link[]> =>
  linksBySocket(links).get(deviceId) ?? NOTHING;

const linksBySocket = onceFor((all: Plan['links']): LinksBySocket => {
  const byDevice = new Map<string, Map<string, Link[]>>();
  for (const link of all.values()) {
    for (const { deviceId, port } of [link.from, link.to]) {
      let sockets = byDevice.get(deviceId);
      if (sockets === undefined) byDevice.set(deviceId, (sockets = new Map()));
      const links = sockets.get(port);
      if (links === undefined) sockets.set(port, [link]);
      else links.push(link);
    }
  }
  return byDevice;
});

/** The end of a cable that is not at this socket. */
export function farEnd(link: Link, deviceId: string, port: string): LinkEnd {
  return link.from.deviceId === deviceId && link.from.port === port ? link.to : link.from;
}

/** The sockets of a device with nothing in them. */
export function freeSockets(plan: ModelledDevices & PlanOf<'links'>, deviceId: string): ModelPort[] {
  const used = cablesOf(plan, deviceId);
  return (modelOf(plan, deviceId)?.ports ?? []).filter((p) => !used.has(p.name));
}

/** The first free socket of a switch that is fast enough and, where asked for, gives that much power. */
export function freePort(
  plan: ModelledDevices & PlanOf<'links'>,
  switchId: string,
  wanted: { readonly bitsPerSecond: number; readonly poeClass?: PoeClass | null },
): string | null {
  const { bitsPerSecond, poeClass = null } = wanted;
  const port = freeSockets(plan, switchId).find(
    (p) =>
      p.role === 'switched' &&
      p.bitsPerSecond >= bitsPerSecond &&
      (poeClass === null || feeds(p.givesPoeClass ?? null, poeClass)),
  );
  return port?.name ?? null;
}
