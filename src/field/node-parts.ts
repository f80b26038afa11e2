import { devicesApart, labelOfDevice } from '../core/formats/node-devices';
import { onceFor } from '../core/plan/once-for';
import type { FieldNode } from './field-resources';

/** Devices of a node that are planned each by itself, as nodes that have just them. */

const partsSoFar = onceFor((_: FieldNode) => new Map<string, FieldNode>());

/** One device of a node, as a node that has it alone; the same object for the same node. Undefined: the node has no such device any more. */
export function partOf(found: FieldNode, nodeDeviceId: string): FieldNode | undefined {
  const parts = partsSoFar(found);
  let part = parts.get(nodeDeviceId);
  const device = found.devices.find((d) => d.id === nodeDeviceId);
  if (part === undefined && device !== undefined) {
    part = {
      node: { ...found.node, label: labelOfDevice(found.node.label, found.devices, nodeDeviceId) },
      device,
      devices: [device],
      senders: found.senders.filter((end) => end.deviceId === nodeDeviceId),
      receivers: found.receivers.filter((end) => end.deviceId === nodeDeviceId),
      others: found.others,
    };
    parts.set(nodeDeviceId, part);
  }
  return part;
}

/** Those of a node that are planned by themselves; none: it is planned as a whole. */
export function partsOf(found: FieldNode): readonly FieldNode[] {
  const ends = [...found.senders, ...found.receivers];
  const apart = devicesApart(found.devices, (id) => ends.some((end) => end.deviceId === id));
  return apart.flatMap((d) => partOf(found, d.id) ?? []);
}
