import { listNumberOf, NOBODY } from './device-part';
import { insOf } from './device-inside';
import { deviceIndexAt, type SignalGraph } from './graph';

/** What the channels of one device feed: of each, numbered within the device, from `starts` on in `fed`. */
interface Onward {
  readonly starts: Int32Array;
  readonly fed: Int32Array;
}

const known = new WeakMap<SignalGraph, (Onward | undefined)[]>();

/** What a node feeds, in the order of nodes. The first call for a channel of a device turns around what leads on from the device. */
export function fedBy(graph: SignalGraph, node: number): Int32Array {
  const index = deviceIndexAt(graph, node);
  let byDevice = known.get(graph);
  if (byDevice === undefined) known.set(graph, (byDevice = []));
  const { starts, fed } = (byDevice[index] ??= onwardOf(graph, index));
  const inner = node - (graph.firstNodes[index] as number);
  return fed.subarray(starts[inner], starts[inner + 1]);
}

function onwardOf(graph: SignalGraph, index: number): Onward {
  const first = graph.firstNodes[index] as number;
  const size = (graph.firstNodes[index + 1] ?? graph.size) - first;
  const sources: number[] = [];
  const nodes: number[] = [];
  const starts = new Int32Array(size + 1);
  eachFeedFrom(graph, graph.deviceIds[index] as string, first, size, (source, node) => {
    sources.push(source);
    nodes.push(node);
    starts[source + 1] = (starts[source + 1] as number) + 1;
  });
  for (let n = 0; n < size; n += 1) starts[n + 1] = (starts[n + 1] as number) + (starts[n] as number);
  const next = starts.slice();
  const fed = new Int32Array(nodes.length);
  for (const [k, source] of sources.entries()) {
    fed[next[source] as number] = nodes[k] as number;
    next[source] = (next[source] as number) + 1;
  }
  return { starts, fed };
}

/** Every feed from a device, in the order of what is fed. @param tell with the feeding channel, numbered within the device */
function eachFeedFrom(
  { feeders, lists, listBase, parts, firstNode, receiversByLane, receiversByCable }: SignalGraph,
  deviceId: string,
  first: number,
  size: number,
  tell: (source: number, node: number) => void,
): void {
  const tellIfFrom = (node: number) => {
    const source = (feeders[node] as number) - first;
    if (source >= 0 && source < size) tell(source, node);
  };
  const receivers = new Set([deviceId, ...(receiversByCable.get(deviceId) ?? [])]);
  for (const { wish } of receiversByLane.get(deviceId) ?? []) receivers.add(wish.receiverId);
  for (const id of [...receivers].sort()) {
    const begin = firstNode.get(id);
    const part = parts.get(id);
    if (begin === undefined || part === undefined) continue;
    if (id !== deviceId) {
      for (const inner of insOf(part)) tellIfFrom(begin + inner);
      continue;
    }
    for (let node = first; node < first + size; node += 1) {
      const from = feeders[node] as number;
      if (from >= NOBODY) tellIfFrom(node);
      else {
        const number = listNumberOf(from);
        for (const inner of lists[number] as readonly number[])
          tell((listBase[number] as number) + inner - first, node);
      }
    }
  }
}
