import { endsOf, shareOf, totalBitsPerSecond } from '../network/loads';
import type { StreamTree } from '../network/stream-trees';
import type { Reckoning } from './reckoning';

/** The heaviest direction of a link while devices already take up new streams and have not left the old ones. */
export interface Overlap {
  readonly linkId: string;
  readonly senderId: string;
  readonly bitsPerSecond: number;
  readonly share: number;
}

/**
 * While a change is made, receivers join new streams before the network has forgotten the old ones: for the leave delay
 * links carry both. Returns the worst direction that is over the ceiling then, though neither before nor
 * afterwards.
 */
export function overlapOf(before: Reckoning, after: Reckoning): Overlap | null {
  if (before.loads === after.loads) return null;
  const { topology, loads, loadFrame, plan } = after;
  const both = new Map<number, number>();
  for (const [senderId, trees] of before.loads.treesBySender) {
    const now = after.loads.treesBySender.get(senderId) ?? [];
    if (now === trees) continue;
    const kept = new Set(now.flatMap((t) => t.directed.map((d) => `${t.stream.id} ${t.leg} ${nameOf(after, d)}`)));
    for (const tree of trees) {
      for (const d of tree.directed) {
        const name = nameOf(before, d);
        if (kept.has(`${tree.stream.id} ${tree.leg} ${name}`) && isSameFlow(tree, now)) continue;
        const index = topology.indexOfLink.get(before.topology.links[d >> 1]?.id ?? '');
        if (index === undefined) continue;
        const directed = 2 * index + (d & 1);
        both.set(directed, (both.get(directed) ?? 0) + tree.bitsPerSecond);
      }
    }
  }
  let worst: Overlap | null = null;
  const ceiling = plan.settings.loadCeilingPercent / 100;
  for (const [directed, old] of both) {
    const usable = loadFrame.usableBitsPerSecond[directed >> 1] as number;
    const total = totalBitsPerSecond(loads, loadFrame, directed);
    const share = shareOf(total + old, usable);
    const known = before.topology.indexOfLink.get(topology.links[directed >> 1]?.id ?? '');
    const was =
      known === undefined
        ? 0
        : shareOf(
            totalBitsPerSecond(before.loads, before.loadFrame, 2 * known + (directed & 1)),
            before.loadFrame.usableBitsPerSecond[known] as number,
          );
    const isOnlyBetween = share > ceiling && shareOf(total, usable) <= ceiling && was <= ceiling;
    if (!isOnlyBetween || (worst && worst.share >= share)) continue;
    const { link, sends } = endsOf(topology.links, directed);
    worst = { linkId: link.id, senderId: sends.deviceId, bitsPerSecond: total + old, share };
  }
  return worst;
}

const nameOf = (r: Reckoning, directed: number) => `${r.topology.links[directed >> 1]?.id} ${directed & 1}`;

/** The same stream with the same channels is the same flow: devices need not join it again. */
function isSameFlow(tree: StreamTree, now: readonly StreamTree[]): boolean {
  return now.some((t) => t.stream.id === tree.stream.id && t.stream.channels.join() === tree.stream.channels.join());
}
