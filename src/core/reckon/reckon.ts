import { linkOffset, offsetInForce, type LinkOffset } from '../delay/link-offset';
import { deviceFindings } from '../findings/devices';
import type { Finding } from '../findings/finding';
import { cableFindings } from '../findings/cables';
import { groupFindings, loadFindings } from '../findings/loads';
import { laneFindings } from '../findings/lanes';
import { doLegsMeet, pathFindings, type HeardWay } from '../findings/paths';
import { subnetFindings } from '../findings/subnets';
import { switchFindings } from '../findings/switches';
import {
  busiestOf,
  endsOf,
  loadFrameOf,
  sumLoads,
  totalBitsPerSecond,
  treesOf,
  type LoadFrame,
  type Loads,
  type StreamTree,
} from '../network/loads';
import { reachOf } from '../network/reach';
import { topologyOf, type Topology } from '../network/topology';
import { sentStreamsOf, type Plan } from '../plan/plan';
import type { Subscription } from '../plan/records';
import { allocateGroups, type StreamGroups } from '../streams/groups';
import {
  isSameStream,
  packSender,
  packUnicast,
  placementFor,
  type Packing,
  type Stream,
  type Want,
} from '../streams/pack';
import { streamSum, wireBytesOf } from '../streams/wire';
import type { Way } from '../network/topology';
import { endOf, pairOf, profileOf, type DeviceProfile, type Pair, type PairFits } from './profile';
import type { DeviceBudget, Hearing, Lane, LaneCaution, LaneReason, Reckoning, ReckonMemo, Totals } from './reckoning';

interface Memo extends ReckonMemo {
  readonly structure: Structure;
  readonly profiles: ReadonlyMap<string, DeviceProfile>;
  /** By receiver and sender: the subscriptions between the two, in the order of receiver channels. */
  readonly runs: ReadonlyMap<string, ReadonlyMap<string, readonly Subscription[]>>;
  /** By sender: who hears it. */
  readonly hearers: ReadonlyMap<string, ReadonlySet<string>>;
  readonly packings: ReadonlyMap<string, Packing>;
  readonly laneFindingsByReceiver: ReadonlyMap<string, readonly Finding[]>;
  readonly deviceFindings: readonly Finding[];
  readonly deviceIds: readonly string[];
  /** By sender. */
  readonly trees: ReadonlyMap<string, readonly StreamTree[]>;
  /** By receiver: what it hears, with the ways. */
  readonly heard: ReadonlyMap<string, readonly HeardWay[]>;
}

/** What follows from the parts of a plan that a subscription edit does not touch. */
interface Structure {
  readonly topology: Topology;
  readonly reach: ReturnType<typeof reachOf>;
  readonly frame: LoadFrame;
  readonly doLegsMeet: boolean;
  readonly findings: readonly Finding[];
  /** By sender and receiver. Started anew when any device changes, so that it cannot grow without end. */
  readonly pairs: Map<DeviceProfile, Map<DeviceProfile, Pair>>;
}

const NO_PACKING: Packing = { streams: [], placementByFormat: new Map(), others: [] };
const NO_RUNS: ReadonlyMap<string, readonly Subscription[]> = new Map();

/**
 * Works out everything that follows from a plan. Pure and deterministic. Given the reckoning of an earlier version of the
 * plan, only what can have changed is worked out anew, and what came out the same keeps its identity; the result is equal
 * to a full reckoning (a property test holds it to that).
 */
export function reckon(plan: Plan, previous?: Reckoning): Reckoning {
  if (previous !== undefined && previous.plan === plan) return previous;
  const kept = previous !== undefined && hasSameStructure(previous.plan, plan) ? previous : undefined;
  const old = kept?.memo as Memo | undefined;
  const structure = structureFor(plan, kept);
  const profiles = profilesOf(plan, structure, kept);
  const deviceIds = kept && kept.plan.devices === plan.devices ? (old as Memo).deviceIds : [...profiles.keys()].sort();

  // Which receivers' subscriptions changed, and which senders that touches.
  const isNewProfile = (id: string) => old?.profiles.get(id) !== profiles.get(id);
  const touchedReceivers = new Set<string>();
  const touchedSenders = new Set<string>();
  const runs = new Map(old?.runs);
  const hearers = new Map<string, Set<string>>(old?.hearers as Map<string, Set<string>> | undefined);
  const openHearers = new Set<string>();
  const hearersOf = (senderId: string): Set<string> => {
    let set = hearers.get(senderId);
    if (set === undefined || !openHearers.has(senderId)) {
      set = new Set(set);
      hearers.set(senderId, set);
      openHearers.add(senderId);
    }
    return set;
  };
  for (const receiverId of receiversToVisit(plan, kept)) {
    const feeds = plan.subscriptions.get(receiverId);
    const before = runs.get(receiverId) ?? NO_RUNS;
    const after = feeds === undefined ? NO_RUNS : runsOf(feeds);
    touchedReceivers.add(receiverId);
    for (const senderId of before.keys()) {
      touchedSenders.add(senderId);
      if (!after.has(senderId)) hearersOf(senderId).delete(receiverId);
    }
    for (const senderId of after.keys()) {
      touchedSenders.add(senderId);
      hearersOf(senderId).add(receiverId);
    }
    if (after.size === 0) runs.delete(receiverId);
    else runs.set(receiverId, after);
  }
  for (const id of deviceIds) {
    if (old === undefined) {
      touchedSenders.add(id);
      touchedReceivers.add(id);
    } else if (isNewProfile(id)) {
      touchedSenders.add(id);
      touchedReceivers.add(id);
      for (const senderId of runs.get(id)?.keys() ?? []) touchedSenders.add(senderId);
      for (const receiverId of hearers.get(id) ?? []) touchedReceivers.add(receiverId);
    } else if (kept && kept.plan.sentStreams.get(id) !== plan.sentStreams.get(id)) {
      touchedSenders.add(id);
    }
  }

  // Streams, sender by sender.
  const pairFor = (sender: DeviceProfile, receiver: DeviceProfile): Pair => {
    let row = structure.pairs.get(sender);
    if (row === undefined) structure.pairs.set(sender, (row = new Map()));
    let pair = row.get(receiver);
    if (pair === undefined) row.set(receiver, (pair = pairOf(sender, receiver, structure.topology, plan.settings)));
    return pair;
  };
  const packings = new Map(old?.packings);
  const streamsBySender = new Map(kept?.streamsBySender);
  let streamsChanged = kept === undefined;
  for (const senderId of touchedSenders) {
    const before = packings.get(senderId) ?? NO_PACKING;
    const after = packOne(plan, senderId, profiles, hearers.get(senderId), runs, pairFor);
    if (sameStreams(before, after)) continue;
    streamsChanged = true;
    touchedReceivers.add(senderId); // what it sends counts against a pool that both directions share
    if (old !== undefined) {
      for (const stream of [...before.streams, ...after.streams]) {
        for (const receiverId of stream.receiverDeviceIds) touchedReceivers.add(receiverId);
      }
    }
    if (after.streams.length === 0) {
      packings.delete(senderId);
      streamsBySender.delete(senderId);
    } else {
      packings.set(senderId, after);
      streamsBySender.set(senderId, after.streams);
    }
  }

  // Lanes and budgets, receiver by receiver.
  const lanesByReceiver = new Map(kept?.lanesByReceiver);
  const laneFindingsByReceiver = new Map(old?.laneFindingsByReceiver);
  const budgetByDevice = new Map(kept?.budgetByDevice);
  for (const id of touchedReceivers) {
    const profile = profiles.get(id);
    const lanes =
      profile === undefined ? new Map<number, Lane>() : lanesOf(profile, runs.get(id), profiles, packings, pairFor);
    if (lanes.size === 0) {
      lanesByReceiver.delete(id);
      laneFindingsByReceiver.delete(id);
    } else {
      lanesByReceiver.set(id, lanes);
      laneFindingsByReceiver.set(id, laneFindings(id, lanes));
    }
  }
  for (const id of new Set([...touchedReceivers, ...touchedSenders])) {
    const profile = profiles.get(id);
    if (profile === undefined) budgetByDevice.delete(id);
    else budgetByDevice.set(id, budgetOf(profile, lanesByReceiver.get(id), packings.get(id) ?? NO_PACKING));
  }

  const groupsByStream =
    kept && !streamsChanged && kept.plan.groupChoices === plan.groupChoices
      ? kept.groupsByStream
      : allocateGroups(orderedStreams(deviceIds, streamsBySender), plan.settings, plan.groupChoices);
  const ownFindings =
    kept && kept.plan.devices === plan.devices ? (old as Memo).deviceFindings : deviceFindings(plan, structure.reach);
  const { topology, frame } = structure;
  const trees = treesBySenderOf(plan, structure, profiles, streamsBySender, kept);
  const loads = kept && old?.trees === trees ? kept.loads : sumLoads(topology, trees);
  const heard = heardByReceiverOf(plan, profiles, lanesByReceiver, pairFor, kept);
  const paths = pathFindings(plan, topology, loads, heard.values(), structure.doLegsMeet);
  const findings = [
    ...ownFindings,
    ...structure.findings.filter((f) => !isSaidByStreams(f, paths)),
    ...loadFindings(plan, topology, frame, loads),
    ...groupFindings([...streamsBySender.values()].flat(), groupsByStream),
    ...paths,
    ...withoutGroup(groupsByStream, streamsBySender),
    ...deviceIds.flatMap((id) => laneFindingsByReceiver.get(id) ?? []),
  ];
  const memo: Memo = {
    brand: 'reckon-memo',
    structure,
    profiles,
    runs,
    hearers,
    packings,
    laneFindingsByReceiver,
    deviceFindings: ownFindings,
    deviceIds,
    trees,
    heard,
  };
  const totals = {
    ...totalsOf(plan, streamsBySender, lanesByReceiver, budgetByDevice, findings),
    busiest: busiestLink(structure, loads),
  };
  return {
    plan,
    streamsBySender,
    groupsByStream,
    lanesByReceiver,
    budgetByDevice,
    topology,
    loadFrame: frame,
    loads,
    findings,
    totals,
    memo,
  };
}

/** Both plugs of a device in one switch, where the streams it sends say the same with more detail. */
function isSaidByStreams(finding: Finding, paths: readonly Finding[]): boolean {
  return (
    finding.about === 'legs-at-one-switch' &&
    paths.some(
      (p) =>
        p.about === 'legs-share-switch' &&
        p.switchId === finding.switchId &&
        p.deviceIds.includes(finding.deviceIds[0] ?? ''),
    )
  );
}

/** Where every sender's streams go. Senders whose streams stayed the same keep their trees. */
function treesBySenderOf(
  plan: Plan,
  structure: Structure,
  profiles: ReadonlyMap<string, DeviceProfile>,
  streamsBySender: ReadonlyMap<string, readonly Stream[]>,
  kept: Reckoning | undefined,
): ReadonlyMap<string, readonly StreamTree[]> {
  const old = (kept?.memo as Memo | undefined)?.trees;
  const endFor = (deviceId: string, leg: 'A' | 'B') => {
    const profile = profiles.get(deviceId);
    return profile === undefined ? null : endOf(profile, leg);
  };
  let isSame = old !== undefined && old.size === streamsBySender.size;
  const trees = new Map<string, readonly StreamTree[]>();
  for (const [senderId, streams] of streamsBySender) {
    const known = kept?.streamsBySender.get(senderId) === streams ? old?.get(senderId) : undefined;
    if (known === undefined) isSame = false;
    trees.set(senderId, known ?? treesOf(streams, endFor, structure.topology, structure.frame, plan.settings));
  }
  return isSame && old ? old : trees;
}

/** Every stream as every receiver hears it, once. Receivers whose lanes stayed the same keep their list. */
function heardByReceiverOf(
  plan: Plan,
  profiles: ReadonlyMap<string, DeviceProfile>,
  lanesByReceiver: ReadonlyMap<string, ReadonlyMap<number, Lane>>,
  pairFor: PairFor,
  kept: Reckoning | undefined,
): ReadonlyMap<string, readonly HeardWay[]> {
  const old = (kept?.memo as Memo | undefined)?.heard;
  const heard = new Map<string, readonly HeardWay[]>();
  for (const [receiverId, lanes] of lanesByReceiver) {
    const known = kept?.lanesByReceiver.get(receiverId) === lanes ? old?.get(receiverId) : undefined;
    const receiver = profiles.get(receiverId);
    if (known !== undefined) heard.set(receiverId, known);
    else if (receiver !== undefined) heard.set(receiverId, heardWays(plan, profiles, receiver, lanes, pairFor));
  }
  return heard;
}

function heardWays(
  plan: Plan,
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

function busiestLink(structure: Structure, loads: Loads): Totals['busiest'] {
  const busiest = busiestOf(loads, structure.frame);
  if (busiest === null) return null;
  const { link, sends } = endsOf(structure.topology.links, busiest.directed);
  const bitsPerSecond = totalBitsPerSecond(loads, structure.frame, busiest.directed);
  return { linkId: link.id, senderId: sends.deviceId, bitsPerSecond, share: busiest.share };
}

/** Streams in the order in which they are given their groups: by sender id, then slot. */
export function orderedStreams(
  deviceIds: readonly string[],
  streamsBySender: ReadonlyMap<string, readonly Stream[]>,
): Stream[] {
  return deviceIds.flatMap((id) => streamsBySender.get(id) ?? []);
}

function structureFor(plan: Plan, kept: Reckoning | undefined): Structure {
  const old = (kept?.memo as Memo | undefined)?.structure;
  if (old === undefined) {
    const topology = topologyOf(plan);
    const reach = reachOf(plan, topology.routes);
    const findings = [
      ...subnetFindings(plan, reach, topology),
      ...cableFindings(plan, topology),
      ...switchFindings(plan, topology),
    ];
    return {
      topology,
      reach,
      frame: loadFrameOf(plan, topology),
      doLegsMeet: doLegsMeet(plan, topology),
      findings,
      pairs: new Map(),
    };
  }
  return kept?.plan.devices === plan.devices ? old : { ...old, pairs: new Map() };
}

function hasSameStructure(a: Plan, b: Plan): boolean {
  return (
    a.models === b.models &&
    a.subnets === b.subnets &&
    a.links === b.links &&
    a.switches === b.switches &&
    a.interfaces === b.interfaces &&
    a.settings === b.settings &&
    (a.devices === b.devices || hasSameModels(a, b))
  );
}

/** Sockets, power and paths follow from models, so a device that comes, goes or changes its model is a change of structure. */
function hasSameModels(a: Plan, b: Plan): boolean {
  if (a.devices.size !== b.devices.size) return false;
  for (const [id, device] of b.devices) {
    const was = a.devices.get(id);
    if (was !== device && was?.modelId !== device.modelId) return false;
  }
  return true;
}

function profilesOf(plan: Plan, structure: Structure, kept: Reckoning | undefined): ReadonlyMap<string, DeviceProfile> {
  const old = kept?.memo as Memo | undefined;
  if (kept && old && kept.plan.devices === plan.devices) return old.profiles;
  const profiles = new Map<string, DeviceProfile>();
  for (const device of plan.devices.values()) {
    const known = old?.profiles.get(device.id);
    const model = plan.models.get(device.modelId);
    if (model === undefined) continue;
    profiles.set(
      device.id,
      known?.device === device ? known : profileOf(plan, structure.reach, structure.topology, device, model),
    );
  }
  return profiles;
}

function* receiversToVisit(plan: Plan, kept: Reckoning | undefined): Iterable<string> {
  if (kept === undefined) {
    yield* plan.subscriptions.keys();
    return;
  }
  if (kept.plan.subscriptions === plan.subscriptions) return;
  for (const [id, feeds] of plan.subscriptions) if (kept.plan.subscriptions.get(id) !== feeds) yield id;
  for (const id of kept.plan.subscriptions.keys()) if (!plan.subscriptions.has(id)) yield id;
}

function runsOf(feeds: ReadonlyMap<number, Subscription>): Map<string, Subscription[]> {
  const bySender = new Map<string, Subscription[]>();
  for (const s of feeds.values()) {
    const run = bySender.get(s.senderDeviceId);
    if (run === undefined) bySender.set(s.senderDeviceId, [s]);
    else run.push(s);
  }
  for (const run of bySender.values()) {
    const isInOrder = run.every((s, i) => i === 0 || (run[i - 1] as Subscription).receiverChannel < s.receiverChannel);
    if (!isInOrder) run.sort((a, b) => a.receiverChannel - b.receiverChannel);
  }
  return bySender;
}

type PairFor = (sender: DeviceProfile, receiver: DeviceProfile) => Pair;
type Runs = ReadonlyMap<string, ReadonlyMap<string, readonly Subscription[]>>;

function packOne(
  plan: Plan,
  senderId: string,
  profiles: ReadonlyMap<string, DeviceProfile>,
  hearers: ReadonlySet<string> | undefined,
  runs: Runs,
  pairFor: PairFor,
): Packing {
  const sender = profiles.get(senderId);
  if (sender === undefined || hearers === undefined || hearers.size === 0) return NO_PACKING;
  const wants: Want[] = [];
  for (const receiverDeviceId of hearers) {
    const receiver = profiles.get(receiverDeviceId);
    const run = runs.get(receiverDeviceId)?.get(senderId);
    if (receiver === undefined || run === undefined) continue;
    const pair = pairFor(sender, receiver);
    if (!pair.fits) continue;
    const senderChannels: number[] = [];
    for (const s of run) {
      if (s.senderChannel <= sender.model.channelsSend && s.receiverChannel <= receiver.model.channelsReceive) {
        senderChannels.push(s.senderChannel);
      }
    }
    const { format, formatKey, channelsMax, legs } = pair;
    if (senderChannels.length > 0)
      wants.push({ receiverDeviceId, format, formatKey, channelsMax, legs, senderChannels });
  }
  if (wants.length === 0) return NO_PACKING;
  const sent = sentStreamsOf(plan, senderId).values();
  if (!sender.device.sendsUnicast) return packSender(senderId, wants, sent, sender.model.streamsSend);
  return packUnicast(senderId, wants, sent, (receiverId, leg) => {
    const state = profiles.get(receiverId)?.legs[leg];
    return state?.ok ? state.at.address : null;
  });
}

function sameStreams(a: Packing, b: Packing): boolean {
  return a.streams.length === b.streams.length && a.streams.every((s, i) => isSameStream(s, b.streams[i] as Stream));
}

/** A hearing while its place among the receiver's streams is still open. */
interface OpenHearing extends Hearing {
  readonly sender: DeviceProfile;
  receiverSlot: number;
}

function lanesOf(
  receiver: DeviceProfile,
  runs: ReadonlyMap<string, readonly Subscription[]> | undefined,
  profiles: ReadonlyMap<string, DeviceProfile>,
  packings: ReadonlyMap<string, Packing>,
  pairFor: PairFor,
): Map<number, Lane> {
  const lanes = new Map<number, Lane>();
  if (runs === undefined) return lanes;
  const receiverId = receiver.device.id;
  const hearings = new Map<Stream, OpenHearing>();
  for (const senderId of [...runs.keys()].sort()) {
    const sender = profiles.get(senderId);
    const pair = sender && pairFor(sender, receiver);
    const packing = packings.get(senderId) ?? NO_PACKING;
    for (const subscription of runs.get(senderId) as readonly Subscription[]) {
      const missing = sender === undefined ? MISSING_SENDER : channelReason(sender, receiver, subscription);
      if (missing !== null || sender === undefined || pair === undefined || !pair.fits) {
        const reason = missing ?? (pair && !pair.fits ? pair.reason : MISSING_SENDER);
        lanes.set(subscription.receiverChannel, { verdict: 'refused', subscription, reason, hearing: null });
        continue;
      }
      const placement = placementFor(packing, pair.formatKey, subscription.senderChannel, receiverId);
      if (placement === null)
        throw new Error(`no place for ${senderId} ${subscription.senderChannel} at ${receiverId}`);
      const { stream, position } = placement;
      let hearing = hearings.get(stream);
      if (hearing === undefined) {
        const offset = offsetFor(receiver, stream, pair);
        hearing = { stream, sender, receiverSlot: 0, legs: pair.legs, offset, caution: cautionOf(pair) };
        hearings.set(stream, hearing);
      }
      const verdict = hearing.caution?.code === 'one-leg' ? 'caution' : 'fits';
      lanes.set(subscription.receiverChannel, { verdict, subscription, hearing, position });
    }
  }
  assignSlots(receiverId, [...hearings.values()]);
  refuseBeyondBudgets(receiver, lanes, [...hearings.values()], packings);
  return lanes;
}

/** Refuses the lanes of streams that have no place at either end or come too late, then those beyond a shared pool. */
function refuseBeyondBudgets(
  receiver: DeviceProfile,
  lanes: Map<number, Lane>,
  hearings: readonly OpenHearing[],
  packings: ReadonlyMap<string, Packing>,
): void {
  const { streamsReceive, channelPool: pool } = receiver.model;
  for (const hearing of hearings) {
    const { stream, sender, receiverSlot, offset } = hearing;
    let reason: LaneReason | null = null;
    if (stream.slot > sender.model.streamsSend) {
      const wanted = (packings.get(stream.senderDeviceId) as Packing).streams.length;
      reason = { code: 'stream-budget', end: 'sender', wanted, limit: sender.model.streamsSend };
    } else if (receiverSlot > streamsReceive) {
      reason = { code: 'stream-budget', end: 'receiver', wanted: hearings.length, limit: streamsReceive };
    } else if (offset.marginNs < 0) {
      reason = { code: 'link-offset', neededNs: offset.neededNs, offsetNs: offset.offsetNs };
    }
    if (reason === null) continue;
    for (const [channel, lane] of lanes) {
      if (lane.hearing !== hearing) continue;
      lanes.set(channel, { verdict: 'refused', subscription: lane.subscription, reason, hearing });
    }
  }
  if (pool === null) return;
  const sent = channelsSent(packings.get(receiver.device.id) ?? NO_PACKING);
  const carried = [...lanes.values()].filter((l) => l.verdict !== 'refused');
  const wanted = sent + carried.length;
  if (wanted <= pool) return;
  carried.sort((a, b) => a.subscription.receiverChannel - b.subscription.receiverChannel);
  for (const { subscription, hearing } of carried.slice(Math.max(0, pool - sent))) {
    const reason: LaneReason = { code: 'channel-pool', end: 'receiver', wanted, limit: pool };
    lanes.set(subscription.receiverChannel, { verdict: 'refused', subscription, reason, hearing });
  }
}

const MISSING_SENDER: LaneReason = { code: 'no-address', end: 'sender' };

function channelReason(sender: DeviceProfile, receiver: DeviceProfile, s: Subscription): LaneReason | null {
  if (s.senderChannel > sender.model.channelsSend) {
    return { code: 'channel-missing', end: 'sender', channel: s.senderChannel, count: sender.model.channelsSend };
  }
  if (s.receiverChannel > receiver.model.channelsReceive) {
    return {
      code: 'channel-missing',
      end: 'receiver',
      channel: s.receiverChannel,
      count: receiver.model.channelsReceive,
    };
  }
  return null;
}

const PATH_UNKNOWN: LaneCaution = { code: 'path-unknown' };

function cautionOf(pair: PairFits): LaneCaution | null {
  if (pair.missingLeg !== null) {
    const { leg, because } = pair.missingLeg;
    return { code: 'one-leg', missing: leg, because };
  }
  const isKnown = (leg: 'A' | 'B', way: Way | null) => way !== null || !pair.legs.includes(leg);
  return isKnown('A', pair.wayA) && isKnown('B', pair.wayB) ? null : PATH_UNKNOWN;
}

/** Which of the receiver's streams hears which: streams that were sent keep their slot, the others fill the gaps in order. */
function assignSlots(receiverId: string, heard: readonly OpenHearing[]): void {
  const taken = new Set<number>();
  for (const h of heard) {
    const slot = h.stream.sent?.receivers.find((r) => r.deviceId === receiverId)?.slot ?? 0;
    if (slot === 0 || taken.has(slot)) continue;
    h.receiverSlot = slot;
    taken.add(slot);
  }
  let next = 1;
  for (const h of heard) {
    if (h.receiverSlot !== 0) continue;
    while (taken.has(next)) next += 1;
    h.receiverSlot = next;
    taken.add(next);
  }
}

function offsetFor(receiver: DeviceProfile, stream: Stream, pair: PairFits): LinkOffset {
  const offsetNs = offsetInForce(stream.format, receiver.model.linkOffsetMinNs, receiver.device.linkOffsetNs);
  return linkOffset(stream.format, offsetNs, wireBytesOf(stream.width, stream.format), [pair.wayA, pair.wayB]);
}

function channelsSent(packing: Packing): number {
  const [only, ...more] = packing.placementByFormat.values();
  if (only === undefined) return 0;
  return more.length === 0 ? only.size : new Set(packing.streams.flatMap((s) => s.channels)).size;
}

function budgetOf(
  profile: DeviceProfile,
  lanes: ReadonlyMap<number, Lane> | undefined,
  packing: Packing,
): DeviceBudget {
  const { model } = profile;
  const streamIds = new Set<string>();
  for (const lane of lanes?.values() ?? []) if (lane.hearing !== null) streamIds.add(lane.hearing.stream.id);
  const sent = channelsSent(packing);
  const received = lanes?.size ?? 0;
  return {
    channelsReceive: { used: received, limit: model.channelsReceive },
    channelsSend: { used: sent, limit: model.channelsSend },
    channelPool: model.channelPool === null ? null : { used: received + sent, limit: model.channelPool },
    streamsReceive: { used: streamIds.size, limit: model.streamsReceive },
    streamsSend: { used: packing.streams.length, limit: model.streamsSend },
  };
}

function withoutGroup(
  groups: ReadonlyMap<string, StreamGroups>,
  streamsBySender: ReadonlyMap<string, readonly Stream[]>,
): Finding[] {
  const without: Stream[] = [];
  for (const streams of streamsBySender.values()) {
    for (const stream of streams) {
      const found = groups.get(stream.id);
      if (stream.legs.some((leg) => (found?.[leg] ?? null) === null)) without.push(stream);
    }
  }
  if (without.length === 0) return [];
  const streamIds = without.map((s) => s.id).sort();
  const deviceIds = [...new Set(without.map((s) => s.senderDeviceId))].sort();
  return [{ id: 'no-group-left', severity: 'refusal', stage: 'lanes', deviceIds, about: 'no-group-left', streamIds }];
}

function totalsOf(
  plan: Plan,
  streamsBySender: ReadonlyMap<string, readonly Stream[]>,
  lanesByReceiver: ReadonlyMap<string, ReadonlyMap<number, Lane>>,
  budgetByDevice: ReadonlyMap<string, DeviceBudget>,
  findings: readonly Finding[],
): Omit<Totals, 'busiest'> {
  let streams = 0;
  let sentBitsPerSecond = 0;
  const bitsByShape = new Map<string, number>();
  for (const list of streamsBySender.values()) {
    streams += list.length;
    for (const stream of list) {
      const shape = `${stream.formatKey}/${stream.width}`;
      let bits = bitsByShape.get(shape);
      if (bits === undefined) {
        bits = streamSum(stream.width, stream.format, plan.settings.vlanTagged).bitsPerSecond;
        bitsByShape.set(shape, bits);
      }
      sentBitsPerSecond += bits * stream.legs.length;
    }
  }
  let refusedLanes = 0;
  let longestOffsetNs = 0;
  for (const lanes of lanesByReceiver.values()) {
    for (const lane of lanes.values()) {
      if (lane.verdict === 'refused') refusedLanes += 1;
      else if (lane.hearing.offset.offsetNs > longestOffsetNs) longestOffsetNs = lane.hearing.offset.offsetNs;
    }
  }
  let used = 0;
  let limit = 0;
  for (const budget of budgetByDevice.values()) {
    used += budget.channelsReceive.used;
    limit += budget.channelsReceive.limit;
  }
  let refusals = 0;
  let cautions = 0;
  for (const finding of findings) {
    if (finding.severity === 'refusal') refusals += 1;
    else if (finding.severity === 'caution') cautions += 1;
  }
  return {
    devices: plan.devices.size,
    streams,
    channels: { used, limit },
    sentBitsPerSecond,
    longestOffsetNs,
    refusedLanes,
    refusals,
    cautions,
  };
}
