import type { EndResource } from '../core/formats/is04';
import type { EndState } from '../core/formats/is05';
import type { Leg } from '../core/models/models-table';
import type { Link } from '../core/network/links-table';
import { modelOf, type Plan } from '../core/plan/plan';
import type { Stream } from '../core/streams/stream';
import { destinationText, fieldAddress } from './binding';
import type { LegTarget } from './device-reader';
import type { FieldNode } from './field-resources';
import type { SendContext } from './send-report';

/**
 * Where each leg of a stream goes, in the order in which a device has its legs: by the address that the device has on each, as the plan knows it;
 * where that says nothing by the interface that the end is bound to there (`interface_bindings` of IS-04), by its name or by the socket of the switch
 * that it receives at its other end; where that says nothing either leg A is the first and leg B the second. What a device has no leg for is left out.
 * @param deviceId the device that it is sent to @param own its legs as it reports them @param end which of its ends it is
 * @param sender the sender's parameters, where receivers are sent the source to listen to
 */
export function placedLegs(
  stream: Stream,
  deviceId: string,
  own: EndState['legs'],
  { reckoning, bindings: { translation } }: Pick<SendContext, 'reckoning' | 'bindings'>,
  sender: EndState | null = null,
  end: { readonly node: FieldNode; readonly end: EndResource } | null = null,
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
  for (const [leg, index] of end === null ? [] : boundLegs(reckoning.plan, deviceId, end.node, end.end)) {
    if (!known.has(leg) && index < own.length && ![...known.values()].includes(index)) known.set(leg, index);
  }
  const isFree = (index: number) => index < own.length && ![...known.values()].includes(index);
  for (const leg of wanted) {
    const group = groups?.[leg] ?? null;
    const usual = leg === 'A' ? 0 : 1;
    const left = [usual, 1 - usual].find(isFree);
    const index = known.get(leg) ?? left ?? null;
    if (group === null || index === null) continue;
    const text = destinationText(group, translation);
    const sourceIp = sender?.legs.find((l) => l.destinationIp === text)?.sourceIp ?? null;
    placed[index] = { group: text, port: reckoning.plan.settings.rtpPort, sourceIp };
  }
  return placed;
}

/** Which leg of an end is which, by the interfaces that it is bound to. */
function boundLegs(plan: Plan, deviceId: string, { node }: FieldNode, end: EndResource): Map<Leg, number> {
  const ports = modelOf(plan, deviceId)?.ports ?? [];
  const found = new Map<Leg, number>();
  end.interfaceBindings.forEach((name, index) => {
    const port = ports.find((p) => [p.name, p.role].some((n) => n.toLowerCase() === name.toLowerCase()));
    const attached = node.interfaces.find((i) => i.name === name)?.attached ?? null;
    const role = port?.role ?? (attached === null ? undefined : roleAt(plan, deviceId, attached));
    if ((role === 'A' || role === 'B') && !found.has(role)) found.set(role, index);
  });
  return found;
}

/** The role of the device's port whose cable ends in a socket of a switch. */
function roleAt(plan: Plan, deviceId: string, { chassisId, portId }: { chassisId: string; portId: string }) {
  const isFar = ({ deviceId: id, port }: Link['from']) =>
    port === portId && (plan.devices.get(id)?.serial === chassisId || id === chassisId);
  for (const { from, to } of plan.links.values()) {
    const own = from.deviceId === deviceId && isFar(to) ? from : to.deviceId === deviceId && isFar(from) ? to : null;
    if (own !== null) return modelOf(plan, deviceId)?.ports.find((p) => p.name === own.port)?.role;
  }
  return undefined;
}
