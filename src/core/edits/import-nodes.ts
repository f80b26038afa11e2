import type { InterfaceRole } from '../models/models-table';
import { isInBlock, parseAddress, parseCidr } from '../network/address';
import type { Command } from '../plan/commands';
import { freeName } from './free';
import { foundKey, type FoundNode } from './found-node';
import { modelOfNode } from './model-of-node';
import type { PlanOf } from '../plan/plan';
import { freeId } from './propose-devices';
import { PLAIN_DEVICE } from '../plan/devices-table';

export interface NodeItem {
  readonly node: FoundNode;
  readonly verdict: 'new' | 'known';
  /** The device that it is, or would become. */
  readonly device: string;
  /** By what it is known. */
  readonly knownBy: 'node' | 'serial' | 'address' | null;
}

/** Nodes held against the plan: those that it does not know become devices as they are found. */
export function importNodes(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  nodes: readonly FoundNode[],
): { items: NodeItem[]; commands: Command[] } {
  const byNode = new Map<string, string>();
  const bySerial = new Map<string, string>();
  const byAddress = new Map<string, string>();
  for (const { id, nodeId, nodeDeviceId, serial } of plan.devices.values()) {
    if (nodeId !== null) byNode.set(nodeDeviceId === null ? nodeId : `${nodeId}/${nodeDeviceId}`, id);
    // A device of a node has its serial and addresses in common with the others.
    if (nodeDeviceId !== null) continue;
    if (serial !== null) bySerial.set(serial, id);
    for (const { address } of plan.interfaces.get(id)?.values() ?? []) if (address !== null) byAddress.set(address, id);
  }
  const taken = { ids: new Set(plan.devices.keys()), models: new Set(plan.models.keys()), names: new Set<string>() };
  const commands: Command[] = [];
  const items = nodes.map((node): NodeItem => {
    const holder = node.addresses.map((a) => byAddress.get(a)).find((id) => id !== undefined);
    const bound = byNode.get(foundKey(node)) ?? byNode.get(node.nodeId);
    const known =
      (bound !== undefined && (['node', bound] as const)) ||
      (node.serial !== null && bySerial.has(node.serial) && (['serial', bySerial.get(node.serial)] as const)) ||
      (holder !== undefined && (['address', holder] as const));
    if (known) {
      const device = plan.devices.get(known[1] as string)?.name ?? '';
      return { node, verdict: 'known', device, knownBy: known[0] };
    }
    const made = commandsForNode(plan, node, taken);
    commands.push(...made.commands);
    return { node, verdict: 'new', device: made.name, knownBy: null };
  });
  return { items, commands };
}

interface Taken {
  readonly ids: Set<string>;
  readonly models: Set<string>;
  readonly names: Set<string>;
}

/** A device with a model made from what the node tells, and its addresses where the plan has their subnets. */
export function commandsForNode(
  plan: PlanOf<'models' | 'subnets' | 'devices'>,
  node: FoundNode,
  taken?: Taken,
): { name: string; commands: Command[] } {
  const name = freeName(plan, node.label.slice(0, 200), taken?.names);
  const deviceId = freeId(node.label, taken?.ids ?? plan.devices);
  const modelId = freeId(`found-${node.label}`, taken?.models ?? plan.models);
  taken?.names.add(name);
  taken?.ids.add(deviceId);
  taken?.models.add(modelId);
  const placed = placesOf(plan, node.addresses);
  const rateHz = node.rateHz ?? 48_000;
  const model = modelOfNode(modelId, `${node.label.slice(0, 180)}, as found`, node, [...placed.keys()]);
  const commands: Command[] = [
    { kind: 'put-model', model },
    {
      kind: 'add-device',
      device: {
        ...PLAIN_DEVICE,
        id: deviceId,
        name,
        modelId,
        rateHz,
        serial: node.serial?.slice(0, 80) ?? null,
        nodeId: node.nodeId.slice(0, 80),
        nodeDeviceId: node.nodeDeviceId?.slice(0, 80) ?? null,
      },
    },
    ...[...placed].map(([name, place]): Command => ({
      kind: 'put-interface',
      interface: { deviceId, name, ...place },
    })),
  ];
  return { name, commands };
}

/** Which interface each address is: the one of its subnet's role. Without a subnet to tell, the first is leg A. */
function placesOf(
  plan: PlanOf<'subnets'>,
  addresses: readonly string[],
): Map<InterfaceRole, { readonly subnetId: string | null; readonly address: string | null }> {
  const placed = new Map<InterfaceRole, { subnetId: string | null; address: string | null }>();
  let homeless: string | null = null;
  for (const address of addresses) {
    const parsed = parseAddress(address);
    if (parsed === null) continue;
    const subnet = [...plan.subnets.values()].find((s) => {
      const block = parseCidr(s.cidr);
      return block !== null && isInBlock(parsed, block);
    });
    if (subnet === undefined || subnet.role === 'other') homeless ??= address;
    else if (!placed.has(subnet.role)) placed.set(subnet.role, { subnetId: subnet.id, address });
  }
  if (!placed.has('A')) placed.set('A', { subnetId: null, address: homeless });
  return placed;
}
