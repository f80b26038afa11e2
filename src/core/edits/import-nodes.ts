import { PLAIN_MODEL, type Model } from '../models/models-table';
import { isInBlock, parseAddress, parseCidr } from '../network/address';
import type { RateHz } from '../streams/format';
import type { Command } from '../plan/commands';
import { freeName } from './free';
import type { PlanOf } from '../plan/plan';
import { freeId } from './propose-devices';
import { PLAIN_DEVICE } from '../plan/devices-table';

/** What is known of a node that is not in the plan: from the field, or from a file of NMOS resources. */
export interface FoundNode {
  readonly nodeId: string;
  readonly label: string;
  readonly serial: string | null;
  /** As the plan would write them. */
  readonly addresses: readonly string[];
  readonly channelsReceive: number;
  readonly channelsSend: number;
  readonly streamsReceive: number;
  readonly streamsSend: number;
  /** Null, or not there: not told. */
  readonly rateHz?: RateHz | null;
}

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
  for (const { id, nodeId, serial } of plan.devices.values()) {
    if (nodeId !== null) byNode.set(nodeId, id);
    if (serial !== null) bySerial.set(serial, id);
    for (const { address } of plan.interfaces.get(id)?.values() ?? []) if (address !== null) byAddress.set(address, id);
  }
  const taken = { ids: new Set(plan.devices.keys()), models: new Set(plan.models.keys()), names: new Set<string>() };
  const commands: Command[] = [];
  const items = nodes.map((node): NodeItem => {
    const holder = node.addresses.map((a) => byAddress.get(a)).find((id) => id !== undefined);
    const known =
      (byNode.has(node.nodeId) && (['node', byNode.get(node.nodeId)] as const)) ||
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

/** A device with a model made from what the node tells: channels and streams; formats are those every device must have. */
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
  const address = node.addresses.find((a) => parseAddress(a) !== null) ?? null;
  const subnet = [...plan.subnets.values()].find((s) => {
    const block = parseCidr(s.cidr);
    const parsed = address === null ? null : parseAddress(address);
    return block !== null && parsed !== null && isInBlock(parsed, block);
  });
  const rateHz = node.rateHz ?? 48_000;
  const model: Model = {
    ...PLAIN_MODEL,
    id: modelId,
    name: `${node.label.slice(0, 180)}, as found`,
    kind: 'endpoint',
    channelsReceive: Math.min(4096, node.channelsReceive),
    channelsSend: Math.min(4096, node.channelsSend),
    streamsReceive: Math.min(4096, node.streamsReceive),
    streamsSend: Math.min(4096, node.streamsSend),
    channelsPerStreamMax: 8,
    // AES67 makes 48 kHz at 1 ms mandatory; a receiver of level A takes up to eight channels of it.
    sends: { formats: [{ encodings: ['L24'], ratesHz: [rateHz], packetTimesUs: [1000], channelsMax: 8 }], levels: [] },
    receives:
      rateHz === 48_000
        ? { formats: [], levels: ['A'] }
        : { formats: [{ encodings: ['L24'], ratesHz: [rateHz], packetTimesUs: [1000], channelsMax: 8 }], levels: [] },
    ratesHz: [rateHz],
    ports: [{ name: 'Media', role: 'A', bitsPerSecond: 1_000_000_000 }],
    linkOffsetMinNs: 1_000_000,
  };
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
      },
    },
    { kind: 'put-interface', interface: { deviceId, name: 'A', subnetId: subnet?.id ?? null, address } },
  ];
  return { name, commands };
}
