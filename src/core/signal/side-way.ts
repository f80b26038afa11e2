import { fedBy } from './fed-by';
import { channelAt, nodeOf, type SignalGraph } from './graph';
import type { SideTraffic } from './side-traffic-table';
import type { SignalEnd } from './signal-end';
import { nearestFirst, wayTo } from './walk';

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
  const channels = graph.parts.get(from.deviceId)?.terminals.find((t) => t.id === from.terminalId)?.channels ?? 0;
  const starts = Array.from({ length: channels }, (_, n) => nodeOf(graph, { ...from, channel: n + 1 }));
  const doesCarry = (node: number) => kind === null || channelAt(graph, node).terminal.carries.includes(kind);
  const leadsOn = ({ node }: { node: number }) => (doesCarry(node) ? fedBy(graph, node) : []);
  for (const reached of nearestFirst(starts, leadsOn)) {
    const { deviceId, terminalId } = channelAt(graph, reached.node);
    if (deviceId === to.deviceId && terminalId === to.terminalId && doesCarry(reached.node)) return wayTo(reached);
  }
  return null;
}
