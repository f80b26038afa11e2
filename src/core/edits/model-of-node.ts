import { newModel } from '../models/new-model';
import type { InterfaceRole, Model, ModelPort } from '../models/models-table';
import { PLAIN_CLOCK } from '../clocks/clock-ability';
import type { FoundNode } from './found-node';

/**
 * A model made from what a node tells of itself: its channels and streams, its interfaces, whether it keeps PTP time, and what its receivers
 * say that they take. What nodes do not tell stays unknown; formats that are not told are those that every AES67 device must have.
 */
export function modelOfNode(
  id: string,
  name: string,
  node: FoundNode,
  /** What its addresses show that it has, beyond what its interfaces are called. */
  roles: readonly InterfaceRole[] = [],
): Model {
  const rateHz = node.rateHz ?? 48_000;
  const must = { encodings: ['L24'], ratesHz: [rateHz], packetTimesUs: [1000], channelsMax: 8 } as const;
  const told = node.receives ?? [];
  const ranges = told.filter((r) => r.ratesHz.includes(rateHz));
  const levels = ranges.length === 0 && rateHz === 48_000 ? (['A'] as const) : [];
  const receives = ranges.length > 0 ? ranges : levels.length > 0 ? [] : [must];
  return {
    ...newModel(id, name, 'endpoint'),
    channelsReceive: Math.min(4096, node.channelsReceive),
    channelsSend: Math.min(4096, node.channelsSend),
    streamsReceive: Math.min(4096, node.streamsReceive),
    streamsSend: Math.min(4096, node.streamsSend),
    channelsPerStreamMax: told.length === 0 ? null : Math.max(...told.map((r) => r.channelsMax)),
    sends: { formats: [must], levels: [] },
    receives: { formats: receives, levels },
    ratesHz: [rateHz],
    ports: portsOf(node.interfaces ?? [], roles),
    // A node without a PTP clock may still follow one: IS-04 asks only for clocks that it tells of.
    clock: node.hasPtp === true ? PLAIN_CLOCK : null,
    receiveMap: node.receiveMap ?? null,
    sendMap: node.sendMap ?? null,
    sendOrder: node.sendOrder ?? null,
    receiveOrder: node.receiveOrder ?? null,
  };
}

const UNNAMED: Readonly<Record<InterfaceRole, string>> = { A: 'Media A', B: 'Media B', control: 'Control' };

/**
 * The media ports, named as the node names its interfaces: the first is leg A, the second leg B, one that says so control. How fast they are is
 * not told: a gigabit, as most are.
 */
function portsOf(interfaces: readonly string[], roles: readonly InterfaceRole[]): ModelPort[] {
  const bitsPerSecond = 1_000_000_000;
  const named = [...new Set(interfaces.map((name) => name.slice(0, 80)).filter((name) => name !== ''))];
  const control = named.find((name) => /control|mgmt|manage/i.test(name));
  const media = named.filter((name) => name !== control).slice(0, 2);
  const ports = media.map((name, n): ModelPort => ({ name, role: n === 0 ? 'A' : 'B', bitsPerSecond }));
  if (control !== undefined) ports.push({ name: control, role: 'control', bitsPerSecond });
  for (const role of new Set<InterfaceRole>(['A', ...roles])) {
    if (!ports.some((p) => p.role === role)) ports.push({ name: UNNAMED[role], role, bitsPerSecond });
  }
  return ports;
}
