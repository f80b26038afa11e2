import type { HeardByReceiver, HeardWay } from './heard-way';
import {
  busiestOf,
  endsOf,
  totalBitsPerSecond,
  treesOf,
  type LoadFrame,
  type Loads,
  type StreamTree,
} from '../network/loads';
import type { End, Topology } from '../network/topology';
import { wireBytesOf } from '../streams/wire';
import type { Facts } from './facts';
import type { Hearing } from './lane';
import type { LaneTable } from './lane-table';
import { pairFor } from './pair';
import { changedKeys } from './packings';
import { endOf, type DeviceProfile } from './profile';
import type { BusiestLink } from './reckoning';
import type { Before } from './step';

/** Where streams go once they are packed, and who hears them by which ways. */

type TreeReads = Pick<Facts, 'profiles' | 'streamsBySender' | 'topology' | 'loadFrame' | 'settings'>;
type Trees = Facts['trees'];

/** Where every sender's streams go. Senders whose streams, and all who hear them, stayed the same keep their trees. */
export function treesBySenderOf(now: TreeReads, before: Before<TreeReads, Trees> | undefined): Trees {
  const { profiles, streamsBySender, topology, loadFrame, settings } = now;
  const was = before?.now;
  const isKept = was?.topology === topology && was.loadFrame === loadFrame && was.settings === settings;
  // Of a device trees ask where it is plugged in and in which subnet.
  const moved = new Set<string>();
  if (isKept) {
    for (const id of changedKeys(profiles, was.profiles))
      if (!isAtSameEnds(profiles.get(id), was.profiles.get(id))) moved.add(id);
  }
  const ends = new Map<DeviceProfile, { A: End | null; B: End | null }>();
  const endFor = (deviceId: string, leg: 'A' | 'B') => {
    const profile = profiles.get(deviceId);
    if (profile === undefined) return null;
    let own = ends.get(profile);
    if (own === undefined) ends.set(profile, (own = { A: endOf(profile, 'A'), B: endOf(profile, 'B') }));
    return own[leg];
  };
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
    trees.set(senderId, known ?? treesOf(streams, endFor, topology, loadFrame, settings));
  }
  return isSame && before ? before.made : trees;
}

function isAtSameEnds(a: DeviceProfile | undefined, b: DeviceProfile | undefined): boolean {
  if (a === undefined || b === undefined) return false;
  return (['A', 'B'] as const).every((leg) => {
    const from = endOf(a, leg);
    const to = endOf(b, leg);
    return from?.at === to?.at && from?.subnetId === to?.subnetId;
  });
}

type HeardReads = Pick<Facts, 'profiles' | 'lanesByReceiver' | 'settings'>;

/** Every stream as every receiver hears it, once. Receivers whose lanes stayed the same keep their list. */
export function heardByReceiverOf(
  now: HeardReads,
  before: Before<HeardReads, HeardByReceiver> | undefined,
): HeardByReceiver {
  const { profiles, lanesByReceiver, settings } = now;
  // Lanes are made anew when a device at either end changes, so that they stand for the profiles too.
  const isKept = before?.now.settings === settings;
  const heard = new Map<string, readonly HeardWay[]>();
  for (const [receiverId, lanes] of lanesByReceiver) {
    const known =
      isKept && before.now.lanesByReceiver.get(receiverId) === lanes ? before.made.get(receiverId) : undefined;
    const receiver = profiles.get(receiverId);
    if (known !== undefined) heard.set(receiverId, known);
    else if (receiver !== undefined) heard.set(receiverId, heardWays(settings.vlanTagged, profiles, receiver, lanes));
  }
  return heard;
}

function heardWays(
  vlanTagged: boolean,
  profiles: ReadonlyMap<string, DeviceProfile>,
  receiver: DeviceProfile,
  lanes: LaneTable,
): HeardWay[] {
  const ways: HeardWay[] = [];
  for (let h = 0; h < lanes.hearings.length; h += 1) {
    const count = lanes.carriedBy[h] as number;
    if (count === 0) continue;
    const { stream, offset } = lanes.hearings[h] as Hearing;
    const sender = profiles.get(stream.senderDeviceId);
    const pair = sender && pairFor(sender, receiver);
    if (!sender || !pair?.fits) continue;
    const leg = pair.legs[0] as 'A' | 'B';
    const s = sender.legs[leg];
    const r = receiver.legs[leg];
    ways.push({
      streamId: stream.id,
      senderDeviceId: stream.senderDeviceId,
      receiverDeviceId: receiver.device.id,
      wayA: pair.wayA,
      wayB: pair.wayB,
      crossing: pair.routed && s.ok && r.ok ? [s.at.subnetId, r.at.subnetId] : null,
      packetBits: wireBytesOf(stream.width, stream.format, vlanTagged) * 8,
      offsetNs: offset.offsetNs,
      neededNs: offset.neededNs,
      lanes: count,
    });
  }
  return ways;
}

/** The direction of a link that is nearest to full. */
export function busiestLink(topology: Topology, frame: LoadFrame, loads: Loads): BusiestLink | null {
  const busiest = busiestOf(loads, frame);
  if (busiest === null) return null;
  const { link, sends } = endsOf(topology.links, busiest.directed);
  const bitsPerSecond = totalBitsPerSecond(loads, frame, busiest.directed);
  return { linkId: link.id, senderId: sends.deviceId, bitsPerSecond, share: busiest.share };
}
