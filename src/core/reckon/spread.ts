import type { HeardWay } from '../findings/paths';
import {
  endsOf,
  busiestOf,
  totalBitsPerSecond,
  treesOf,
  type LoadFrame,
  type Loads,
  type StreamTree,
} from '../network/loads';
import type { Topology } from '../network/topology';
import type { PlanOf } from '../plan/plan';
import type { Stream } from '../streams/pack';
import { wireBytesOf } from '../streams/wire';
import { endOf, type DeviceProfile } from './profile';
import type { PairFor } from './receiver-lanes';
import type { Hearing, Lane, Totals } from './reckoning';

/** Where streams go once they are packed, and who hears them by which ways. */

type StreamsBySender = ReadonlyMap<string, readonly Stream[]>;
export type TreesBySender = ReadonlyMap<string, readonly StreamTree[]>;
type LanesByReceiver = ReadonlyMap<string, ReadonlyMap<number, Lane>>;
export type HeardByReceiver = ReadonlyMap<string, readonly HeardWay[]>;

/** Where every sender's streams go. Senders whose streams stayed the same keep their trees. */
export function treesBySenderOf(
  plan: PlanOf<'settings'>,
  topology: Topology,
  frame: LoadFrame,
  profiles: ReadonlyMap<string, DeviceProfile>,
  streamsBySender: StreamsBySender,
  before: { readonly streamsBySender: StreamsBySender; readonly trees: TreesBySender } | null,
): TreesBySender {
  const old = before?.trees;
  const endFor = (deviceId: string, leg: 'A' | 'B') => {
    const profile = profiles.get(deviceId);
    return profile === undefined ? null : endOf(profile, leg);
  };
  let isSame = old !== undefined && old.size === streamsBySender.size;
  const trees = new Map<string, readonly StreamTree[]>();
  for (const [senderId, streams] of streamsBySender) {
    const known = before?.streamsBySender.get(senderId) === streams ? old?.get(senderId) : undefined;
    if (known === undefined) isSame = false;
    trees.set(senderId, known ?? treesOf(streams, endFor, topology, frame, plan.settings));
  }
  return isSame && old ? old : trees;
}

/** Every stream as every receiver hears it, once. Receivers whose lanes stayed the same keep their list. */
export function heardByReceiverOf(
  plan: PlanOf<'settings'>,
  profiles: ReadonlyMap<string, DeviceProfile>,
  lanesByReceiver: LanesByReceiver,
  pairFor: PairFor,
  before: { readonly lanesByReceiver: LanesByReceiver; readonly heard: HeardByReceiver } | null,
): HeardByReceiver {
  const heard = new Map<string, readonly HeardWay[]>();
  for (const [receiverId, lanes] of lanesByReceiver) {
    const known = before?.lanesByReceiver.get(receiverId) === lanes ? before.heard.get(receiverId) : undefined;
    const receiver = profiles.get(receiverId);
    if (known !== undefined) heard.set(receiverId, known);
    else if (receiver !== undefined) heard.set(receiverId, heardWays(plan, profiles, receiver, lanes, pairFor));
  }
  return heard;
}

function heardWays(
  plan: PlanOf<'settings'>,
  profiles: ReadonlyMap<string, DeviceProfile>,
  receiver: DeviceProfile,
  lanes: ReadonlyMap<number, Lane>,
  pairFor: PairFor,
): HeardWay[] {
  const lanesByHearing = new Map<Hearing, number>();
  for (const lane of lanes.values()) {
    if (lane.verdict !== 'refused') lanesByHearing.set(lane.hearing, (lanesByHearing.get(lane.hearing) ?? 0) + 1);
  }
  const ways: HeardWay[] = [];
  for (const [{ stream, offset }, count] of lanesByHearing) {
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
      packetBits: wireBytesOf(stream.width, stream.format, plan.settings.vlanTagged) * 8,
      offsetNs: offset.offsetNs,
      neededNs: offset.neededNs,
      lanes: count,
    });
  }
  return ways;
}

/** The direction of a link that is nearest to full. */
export function busiestLink(topology: Topology, frame: LoadFrame, loads: Loads): Totals['busiest'] {
  const busiest = busiestOf(loads, frame);
  if (busiest === null) return null;
  const { link, sends } = endsOf(topology.links, busiest.directed);
  const bitsPerSecond = totalBitsPerSecond(loads, frame, busiest.directed);
  return { linkId: link.id, senderId: sends.deviceId, bitsPerSecond, share: busiest.share };
}
