import { clocksOf, type Clocks } from '../clocks/clocks';
import { mediaClocks } from '../clocks/media-clock';
import { referenceStates } from '../clocks/reference-state';
import { cableFindings } from '../findings/cables';
import { clockFindings } from '../findings/clocks';
import { deviceFindings } from '../findings/devices';
import type { Finding } from '../findings/finding';
import { nameFindings } from '../findings/names';
import { throughFindings } from '../findings/through';
import { laneFindings } from '../findings/lanes';
import { groupFindings, groupsMissing, loadFindings } from '../findings/loads';
import { freeRunningFindings, rateFindings } from '../findings/paces';
import { doLegsMeet, isSaidByStreams, pathFindings } from '../findings/paths';
import { slotFindings } from '../findings/slots';
import { subnetFindings } from '../findings/subnets';
import { switchFindings } from '../findings/switches';
import { loadFrameOf, sumLoads, type LoadFrame } from '../network/loads';
import { reachOf } from '../network/reach';
import { topologyOf, type Topology } from '../network/topology';
import { layoutsOf, sentStreamsOf, type Plan, type PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';
import { allocateGroups } from '../streams/groups';
import {
  isSameStream,
  keptStreams,
  packSender,
  packUnicast,
  type Packing,
  type Stream,
  type Want,
} from '../streams/pack';
import { runsOf as runsInOrder } from '../streams/map-limits';
import { pairOf, profileOf, type DeviceProfile, type Pair } from './profile';
import { budgetOf, lanesOf, NO_PACKING, type PairFor } from './receiver-lanes';
import type { Lane, Reckoning, ReckonMemo } from './reckoning';
import { busiestLink, heardByReceiverOf, treesBySenderOf, type HeardByReceiver, type TreesBySender } from './spread';
import { totalsOf } from './totals';

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
  readonly nameFindings: readonly Finding[];
  readonly slotFindings: readonly Finding[];
  readonly timeFindings: readonly Finding[];
  readonly rateFindings: readonly Finding[];
  /** By sender. */
  readonly trees: TreesBySender;
  /** By receiver: what it hears, with the ways. */
  readonly heard: HeardByReceiver;
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
    } else if (
      kept &&
      (kept.plan.sentStreams.get(id) !== plan.sentStreams.get(id) || kept.plan.layouts.get(id) !== plan.layouts.get(id))
    ) {
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
  const areNamesSame = kept?.plan.labels === plan.labels && kept.plan.devices === plan.devices;
  const names = areNamesSame ? (old as Memo).nameFindings : nameFindings(plan);
  const areSlotsSame =
    kept?.plan.slotUnits === plan.slotUnits &&
    kept.plan.slotBuses === plan.slotBuses &&
    kept.plan.devices === plan.devices;
  const slots = areSlotsSame ? (old as Memo).slotFindings : slotFindings(plan);
  const { topology, frame } = structure;
  const before = kept && old ? { streamsBySender: kept.streamsBySender, trees: old.trees } : null;
  const trees = treesBySenderOf(plan, topology, frame, profiles, streamsBySender, before);
  const loads = kept && old?.trees === trees ? kept.loads : sumLoads(topology, trees);
  const heardBefore = kept && old ? { lanesByReceiver: kept.lanesByReceiver, heard: old.heard } : null;
  const heard = heardByReceiverOf(plan, profiles, lanesByReceiver, pairFor, heardBefore);
  const paths = pathFindings(plan, topology, loads, heard.values(), structure.doLegsMeet);
  const { clocks, timeFindings, rates } = clocksFor(plan, topology, kept);
  const findings = [
    ...ownFindings,
    ...structure.findings.filter((f) => !isSaidByStreams(f, paths)),
    ...loadFindings(plan, topology, frame, loads),
    ...groupFindings([...streamsBySender.values()].flat(), groupsByStream),
    ...paths,
    ...groupsMissing(groupsByStream, streamsBySender),
    ...timeFindings,
    ...rates,
    ...freeRunningFindings(plan, clocks, runs),
    ...names,
    ...throughFindings(plan),
    ...slots,
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
    nameFindings: names,
    slotFindings: slots,
    deviceIds,
    timeFindings,
    rateFindings: rates,
    trees,
    heard,
  };
  const totals = {
    ...totalsOf(plan, streamsBySender, lanesByReceiver, budgetByDevice, findings),
    grandmasterId: clocks.time.grandmasterIds[0] ?? null,
    grandmasters: clocks.time.grandmasterIds.length,
    busiest: busiestLink(topology, frame, loads),
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
    clocks,
    findings,
    totals,
    memo,
  };
}

/** Streams in the order in which they are given their groups: by sender id, then slot. */
export function orderedStreams(
  deviceIds: readonly string[],
  streamsBySender: ReadonlyMap<string, readonly Stream[]>,
): Stream[] {
  return deviceIds.flatMap((id) => streamsBySender.get(id) ?? []);
}

/**
 * Who keeps time follows from cables, addresses, models and clock settings; what samples are paced by also from the rates
 * of devices, so that a change of rate leaves the tree as it is.
 */
function clocksFor(
  plan: Plan,
  topology: Topology,
  kept: Reckoning | undefined,
): { clocks: Clocks; timeFindings: readonly Finding[]; rates: readonly Finding[] } {
  const old = kept?.memo as Memo | undefined;
  if (kept && old && kept.plan.clocks === plan.clocks && kept.plan.references === plan.references) {
    const { clocks } = kept;
    const areDevicesSame = kept.plan.devices === plan.devices;
    if (areDevicesSame && kept.plan.clockGroups === plan.clockGroups) {
      return { clocks, timeFindings: old.timeFindings, rates: old.rateFindings };
    }
    const none: ReadonlySet<string> = new Set();
    const media = areDevicesSame
      ? clocks.media
      : mediaClocks(plan, clocks.time, referenceStates(plan, none, none), none);
    const now = { ...clocks, media };
    return { clocks: now, timeFindings: old.timeFindings, rates: rateFindings(plan, now) };
  }
  const clocks = clocksOf(plan, topology);
  return { clocks, timeFindings: clockFindings(plan, topology, clocks), rates: rateFindings(plan, clocks) };
}

function structureFor(
  plan: PlanOf<'settings' | 'models' | 'subnets' | 'devices' | 'links' | 'switches' | 'interfaces'>,
  kept: Reckoning | undefined,
): Structure {
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

function hasSameStructure(
  a: PlanOf<'settings' | 'models' | 'subnets' | 'devices' | 'links' | 'switches' | 'interfaces'>,
  b: PlanOf<'settings' | 'models' | 'subnets' | 'devices' | 'links' | 'switches' | 'interfaces'>,
): boolean {
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
function hasSameModels(a: PlanOf<'devices'>, b: PlanOf<'devices'>): boolean {
  if (a.devices.size !== b.devices.size) return false;
  for (const [id, device] of b.devices) {
    const was = a.devices.get(id);
    if (was !== device && was?.modelId !== device.modelId) return false;
  }
  return true;
}

function profilesOf(
  plan: PlanOf<'settings' | 'models' | 'devices'>,
  structure: Structure,
  kept: Reckoning | undefined,
): ReadonlyMap<string, DeviceProfile> {
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

function* receiversToVisit(plan: PlanOf<'subscriptions'>, kept: Reckoning | undefined): Iterable<string> {
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

type Runs = ReadonlyMap<string, ReadonlyMap<string, readonly Subscription[]>>;

/** What everyone wants of a sender, but for lanes that cannot be. */
function wantsOf(
  sender: DeviceProfile,
  profiles: ReadonlyMap<string, DeviceProfile>,
  hearers: Iterable<string>,
  runs: Runs,
  pairFor: PairFor,
): Want[] {
  const wants: Want[] = [];
  for (const receiverDeviceId of hearers) {
    const receiver = profiles.get(receiverDeviceId);
    const run = runs.get(receiverDeviceId)?.get(sender.device.id);
    if (receiver === undefined || run === undefined) continue;
    const pair = pairFor(sender, receiver);
    if (!pair.fits) continue;
    const there = run.filter(
      (s) => s.senderChannel <= sender.model.channelsSend && s.receiverChannel <= receiver.model.channelsReceive,
    );
    if (there.length === 0) continue;
    const { format, formatKey, channelsMax, legs } = pair;
    const want = { receiverDeviceId, format, formatKey, channelsMax, legs };
    const limits = receiver.model.receiveMap;
    if (limits === null || sender.device.sendsUnicast) {
      wants.push({ ...want, senderChannels: there.map((s) => s.senderChannel) });
      continue;
    }
    const { runs: inOrder, loose } = runsInOrder(limits, there, channelsMax);
    if (loose.length > 0) wants.push({ ...want, senderChannels: loose });
    if (inOrder.length > 0) {
      wants.push({ ...want, senderChannels: inOrder.flatMap((o) => o.channels), runs: inOrder });
    }
  }
  return wants;
}

/** What everyone wants of each sender whose streams can be packed otherwise: not where each receiver gets a copy, not where its patch is never written. */
export function wantsBySender(reckoning: Reckoning): Map<string, Want[]> {
  const { structure, profiles, hearers, runs, deviceIds } = reckoning.memo as Memo;
  const bySender = new Map<string, Want[]>();
  for (const id of deviceIds) {
    const sender = profiles.get(id);
    const own = hearers.get(id);
    if (sender === undefined || own === undefined || own.size === 0) continue;
    if (sender.device.sendsUnicast || sender.device.isPatchForeign) continue;
    const pairFor: PairFor = (s, receiver) =>
      structure.pairs.get(s)?.get(receiver) ?? pairOf(s, receiver, structure.topology, reckoning.plan.settings);
    const wants = wantsOf(sender, profiles, own, runs, pairFor);
    if (wants.length > 0) bySender.set(id, wants);
  }
  return bySender;
}

function packOne(
  plan: PlanOf<'sentStreams' | 'layouts'>,
  senderId: string,
  profiles: ReadonlyMap<string, DeviceProfile>,
  hearers: ReadonlySet<string> | undefined,
  runs: Runs,
  pairFor: PairFor,
): Packing {
  const sender = profiles.get(senderId);
  if (sender === undefined || hearers === undefined || hearers.size === 0) return NO_PACKING;
  const wants = wantsOf(sender, profiles, hearers, runs, pairFor);
  if (wants.length === 0) return NO_PACKING;
  const stay = keptStreams(layoutsOf(plan, senderId).values(), sentStreamsOf(plan, senderId));
  if (!sender.device.sendsUnicast) return packSender(senderId, wants, stay, sender.model.streamsSend);
  return packUnicast(senderId, wants, stay, (receiverId, leg) => {
    const state = profiles.get(receiverId)?.legs[leg];
    return state?.ok ? state.at.address : null;
  });
}

function sameStreams(a: Packing, b: Packing): boolean {
  return a.streams.length === b.streams.length && a.streams.every((s, i) => isSameStream(s, b.streams[i] as Stream));
}
