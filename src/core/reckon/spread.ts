import { busiestOf, endsOf, totalBitsPerSecond, type LoadFrame, type Loads } from '../network/loads';
import { treesOf, type StreamTree } from '../network/stream-trees';
import type { Topology } from '../network/topology';
import type { Facts } from './facts';
import { changedKeys } from '../plan/changed-keys';
import type { DeviceProfile } from './profile';
import type { BusiestLink } from './reckoning';
import type { Before } from './step';

/** Where streams go once they are packed, and who receives them by which ways. */

type TreeReads = Pick<Facts, 'profiles' | 'streamsBySender' | 'topology' | 'delivery' | 'settings'>;
type Trees = Facts['trees'];

/** Where every sender's streams go. Senders whose streams, and all who receive them, stayed the same keep their trees. */
export function treesBySenderOf(now: TreeReads, before: Before<TreeReads, Trees> | undefined): Trees {
  const { profiles, streamsBySender, topology, delivery, settings } = now;
  const was = before?.now;
  const isKept = was?.topology === topology && was.delivery === delivery && was.settings === settings;
  // Of a device trees ask where it is plugged in and in which subnet.
  const moved = new Set<string>();
  if (isKept) {
    for (const id of changedKeys(profiles, was.profiles))
      if (!isAtSameEnds(profiles.get(id), was.profiles.get(id))) moved.add(id);
  }
  const endsFor = (deviceId: string) => profiles.get(deviceId)?.ends ?? null;
  let isSame = isKept && before?.made.size === streamsBySender.size;
  const trees = new Map<string, readonly StreamTree[]>();
  for (const [senderId, streams] of streamsBySender) {
    const isOld =
      isKept &&
      was.streamsBySender.get(senderId) === streams &&
      (moved.size === 0 ||
        (!moved.has(senderId) && !streams.some((s) => s.receiverDeviceIds.some((id) => moved.has(id)))));
    const known = isOld ? before?.made.get(senderId) : undefined;
    if (known === undefined) isSame = false;
    trees.set(senderId, known ?? treesOf(streams, endsFor, topology, delivery, settings));
  }
  return isSame && before ? before.made : trees;
}

function isAtSameEnds(a: DeviceProfile | undefined, b: DeviceProfile | undefined): boolean {
  if (a === undefined || b === undefined) return false;
  return (['A', 'B'] as const).every((leg) => {
    const now = a.ends[leg];
    const was = b.ends[leg];
    return now?.at === was?.at && now?.subnetId === was?.subnetId;
  });
}

/** The direction of a link that is nearest to full. */
export function busiestLink(topology: Topology, frame: LoadFrame, loads: Loads): BusiestLink | null {
  const busiest = busiestOf(loads, frame);
  if (busiest === null) return null;
  const { link, sends } = endsOf(topology.links, busiest.directed);
  const bitsPerSecond = totalBitsPerSecond(loads, frame, busiest.directed);
  return { linkId: link.id, senderId: sends.deviceId, bitsPerSecond, share: busiest.share };
}
