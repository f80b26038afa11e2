import type { Plan } from '../plan/plan';
import type { Link } from '../plan/records';

/** The graph of switches and cables. Ways are the shortest in hops; ties go to the lower link id. */
export interface Topology {
  /** Where a socket is plugged in, or null where the drawing has no cable on it. */
  attachmentOf(deviceId: string, port: string): Attachment | null;
  /** The way between two attached sockets, or null where the cables do not join them. */
  wayBetween(from: Attachment, to: Attachment): Way | null;
}

export interface Attachment {
  readonly link: Link;
  /** Index of the switch at the other end of the cable, or -1 when that is no switch. */
  readonly switchIndex: number;
}

/** What a way costs any packet, in two figures, and the way itself when asked for. */
export interface Way {
  /** Forwarding in switches, cable, and one largest lower-class frame waited for at each egress. */
  readonly fixedNs: number;
  /** Nanoseconds per bit of the packet, summed over the links (store and forward). */
  readonly nsPerBit: number;
  hops(): Hops;
}

export interface Hops {
  readonly links: readonly Link[];
  /** The switches between the links: one fewer than links. */
  readonly switchIds: readonly string[];
}

/** One largest lower-class frame with preamble and gap, in octets: 12.3 us at 1 Gb/s. */
export const LARGEST_FRAME_ON_WIRE_BYTES = 1538;
/** Propagation in cable. */
export const CABLE_NS_PER_METRE = 5;

/** Waiting behind one frame of a lower class that has just begun to leave by the same port. */
export function waitBehindFrameNs(bitsPerSecond: number, tagged = false): number {
  return ((LARGEST_FRAME_ON_WIRE_BYTES + (tagged ? 4 : 0)) * 8 * 1e9) / bitsPerSecond;
}

function linkCostNs(link: Link): number {
  return waitBehindFrameNs(link.bitsPerSecond) + link.metres * CABLE_NS_PER_METRE;
}

interface Edge {
  readonly link: Link;
  readonly from: number;
  readonly to: number;
}

/** How every switch is reached from one of them. */
interface Tree {
  readonly stepTo: readonly (Edge | undefined)[];
  readonly fixedNs: Float64Array;
  readonly nsPerBit: Float64Array;
}

export function topologyOf(plan: Plan): Topology {
  const switchIds: string[] = [];
  const forwardingNs: number[] = [];
  const indexOfSwitch = new Map<string, number>();
  for (const id of [...plan.devices.keys()].sort()) {
    const switching = plan.models.get(plan.devices.get(id)?.modelId ?? '')?.switching;
    if (!switching) continue;
    indexOfSwitch.set(id, switchIds.length);
    switchIds.push(id);
    forwardingNs.push(switching.forwardingNs);
  }
  const edges: Edge[][] = switchIds.map(() => []);
  const attachments = new Map<string, Map<string, Attachment>>();
  const attach = (deviceId: string, port: string, link: Link, switchIndex: number) => {
    let ports = attachments.get(deviceId);
    if (ports === undefined) attachments.set(deviceId, (ports = new Map()));
    if (!ports.has(port)) ports.set(port, { link, switchIndex });
  };
  for (const link of [...plan.links.values()].sort((a, b) => (a.id < b.id ? -1 : 1))) {
    const from = indexOfSwitch.get(link.from.deviceId) ?? -1;
    const to = indexOfSwitch.get(link.to.deviceId) ?? -1;
    if (from >= 0 && to >= 0) {
      edges[from]?.push({ link, from, to });
      edges[to]?.push({ link, from: to, to: from });
    } else {
      if (from < 0) attach(link.from.deviceId, link.from.port, link, to);
      if (to < 0) attach(link.to.deviceId, link.to.port, link, from);
    }
  }

  const trees: (Tree | undefined)[] = [];
  /** Breadth-first over the switches, with the cost summed up on the way. */
  const treeFrom = (start: number): Tree => {
    let tree = trees[start];
    if (tree !== undefined) return tree;
    const stepTo: (Edge | undefined)[] = new Array<Edge | undefined>(switchIds.length).fill(undefined);
    const fixedNs = new Float64Array(switchIds.length);
    const nsPerBit = new Float64Array(switchIds.length);
    fixedNs[start] = forwardingNs[start] ?? 0;
    const queue = [start];
    for (let head = 0; head < queue.length; head += 1) {
      const at = queue[head] as number;
      for (const edge of edges[at] as Edge[]) {
        if (edge.to === start || stepTo[edge.to] !== undefined) continue;
        stepTo[edge.to] = edge;
        fixedNs[edge.to] = (fixedNs[at] ?? 0) + linkCostNs(edge.link) + (forwardingNs[edge.to] ?? 0);
        nsPerBit[edge.to] = (nsPerBit[at] ?? 0) + 1e9 / edge.link.bitsPerSecond;
        queue.push(edge.to);
      }
    }
    trees[start] = tree = { stepTo, fixedNs, nsPerBit };
    return tree;
  };

  return {
    attachmentOf: (deviceId, port) => attachments.get(deviceId)?.get(port) ?? null,
    wayBetween(from, to) {
      const ends = (link: Link) => 1e9 / link.bitsPerSecond;
      if (from.link === to.link) {
        const hops = () => ({ links: [from.link], switchIds: [] });
        return { fixedNs: linkCostNs(from.link), nsPerBit: ends(from.link), hops };
      }
      const start = from.switchIndex;
      const end = to.switchIndex;
      if (start < 0 || end < 0) return null;
      const tree = treeFrom(start);
      if (start !== end && tree.stepTo[end] === undefined) return null;
      return {
        fixedNs: linkCostNs(from.link) + (tree.fixedNs[end] as number) + linkCostNs(to.link),
        nsPerBit: ends(from.link) + (tree.nsPerBit[end] as number) + ends(to.link),
        hops() {
          const links = [to.link];
          const ids = [switchIds[end] as string];
          for (let at = end; at !== start;) {
            const step = tree.stepTo[at] as Edge;
            links.unshift(step.link);
            ids.unshift(switchIds[step.from] as string);
            at = step.from;
          }
          links.unshift(from.link);
          return { links, switchIds: ids };
        },
      };
    },
  };
}
