import { NOBODY } from './device-part';
import { channelAt, fedBy, nodeOf, type SignalGraph } from './graph';
import type { SideTraffic } from './side-traffic-table';
import type { SignalEnd } from './signal-end';

/** Whether side traffic gets where it has to: it does along a way of sound on which every terminal carries it. */
type SideWay =
  | { readonly is: 'carried' }
  /** On the shortest way that there is it ends here. */
  | { readonly is: 'ends'; readonly at: SignalEnd }
  /** No sound goes from the one to the other. */
  | { readonly is: 'no-way' };

type SideEnd = SideTraffic['from'];

export function sideWay(graph: SignalGraph, { kind, from, to }: SideTraffic): SideWay {
  if (wayBetween(graph, from, to, kind) !== null) return { is: 'carried' };
  const way = wayBetween(graph, from, to, null);
  if (way === null) return { is: 'no-way' };
  const first = way.map((node) => channelAt(graph, node)).find((at) => !at.terminal.carries.includes(kind));
  if (first === undefined) return { is: 'carried' };
  const { deviceId, terminalId, channel } = first;
  return { is: 'ends', at: { deviceId, terminalId, channel } };
}

/** The nodes of a shortest way from any channel of one terminal to any of another; null: there is none. With a kind only over terminals that carry it. */
function wayBetween(
  graph: SignalGraph,
  from: SideEnd,
  to: SideEnd,
  kind: SideTraffic['kind'] | null,
): readonly number[] | null {
  const cameFrom = new Map<number, number>();
  let edge: number[] = [];
  const size = graph.parts.get(from.deviceId)?.terminals.find((t) => t.id === from.terminalId)?.channels ?? 0;
  for (let channel = 1; channel <= size; channel += 1) {
    const node = nodeOf(graph, { ...from, channel });
    if (node === NOBODY) continue;
    cameFrom.set(node, NOBODY);
    edge.push(node);
  }
  while (edge.length > 0) {
    const next: number[] = [];
    for (const node of edge) {
      const { deviceId, terminalId, terminal } = channelAt(graph, node);
      if (kind !== null && !terminal.carries.includes(kind)) continue;
      if (deviceId === to.deviceId && terminalId === to.terminalId) {
        const way = [node];
        for (let at = cameFrom.get(node) as number; at !== NOBODY; at = cameFrom.get(at) as number) way.unshift(at);
        return way;
      }
      for (const fed of fedBy(graph, node)) {
        if (cameFrom.has(fed)) continue;
        cameFrom.set(fed, node);
        next.push(fed);
      }
    }
    edge = next;
  }
  return null;
}
