import type { EndState } from '../core/formats/is05';
import type { Stream } from '../core/streams/stream';
import { destinationText, fieldAddress } from './binding';
import type { LegTarget } from './device-reader';
import type { SendContext } from './send-report';

/** Whether legs are just as they are to be: where each goes or listens, and off where it is not used. */
export function isOnLegs(own: EndState['legs'], wanted: readonly (LegTarget | null)[]): boolean {
  return own.every((leg, n) => {
    const to = wanted[n] ?? null;
    if (to === null) return !leg.isEnabled;
    const isFrom = to.sourceIp === null || leg.sourceIp === null || leg.sourceIp === to.sourceIp;
    return leg.isEnabled && isFrom && leg.destinationIp === to.group && (leg.port === null || leg.port === to.port);
  });
}

/**
 * Where each leg of a stream goes, in the order in which a device has its legs: by the address that the device has on each, as the plan knows it;
 * where that says nothing leg A is the first and leg B the second. What a device has no leg for is left out.
 * @param deviceId the device that is told @param own its legs as it reports them
 * @param sender the sender's parameters, where receivers are told whom to listen to
 */
export function placedLegs(
  stream: Stream,
  deviceId: string,
  own: EndState['legs'],
  { reckoning, bindings: { translation } }: Pick<SendContext, 'reckoning' | 'bindings'>,
  sender: EndState | null = null,
): (LegTarget | null)[] {
  const groups = reckoning.groupsByStream.get(stream.id);
  const interfaces = reckoning.plan.interfaces.get(deviceId);
  const placed: (LegTarget | null)[] = own.map(() => null);
  const wanted = (['A', 'B'] as const).filter((leg) => stream.legs.includes(leg));
  const known = new Map<'A' | 'B', number>();
  for (const leg of ['A', 'B'] as const) {
    const address = interfaces?.get(leg)?.address ?? null;
    const index = address === null ? -1 : own.findIndex((o) => o.ownIp === fieldAddress(address, translation));
    if (index >= 0) known.set(leg, index);
  }
  const isFree = (index: number) => index < own.length && ![...known.values()].includes(index);
  for (const leg of wanted) {
    const group = groups?.[leg] ?? null;
    const usual = leg === 'A' ? 0 : 1;
    const index = known.get(leg) ?? (isFree(usual) ? usual : null);
    if (group === null || index === null) continue;
    const text = destinationText(group, translation);
    const sourceIp = sender?.legs.find((l) => l.destinationIp === text)?.sourceIp ?? null;
    placed[index] = { group: text, port: reckoning.plan.settings.rtpPort, sourceIp };
  }
  return placed;
}
