import { timeOf } from '../clocks/clocks';
import { clockFrameOf } from '../clocks/network-clocks';
import { mediaClocks } from '../clocks/media-clock';
import { doLegsMeet, pathFindings } from '../findings/paths';
import { deliveryOf } from '../network/delivery';
import { loadFrameOf, sumLoads } from '../network/loads';
import { reachOf } from '../network/reach';
import { topologyOf } from '../network/topology';
import type { Device } from '../plan/devices-table';
import type { Gear, ModelledDevices } from '../plan/plan';
import { allocateGroups } from '../streams/groups';
import { signalFlowInSteps } from '../signal/flow';
import { devicePartsOf } from '../signal/device-part';
import { signalGraphOf } from '../signal/make-graph';
import { slotEdgesOf } from '../signal/slot-edges';
import type { Stream } from '../streams/stream';
import type { Facts, FactName, Results } from './facts';
import type { LaneTable } from './lane-table';
import { changedKeys } from '../plan/changed-keys';
import { packingsOf } from './packings';
import { pairsOf } from './pairs';
import { profileOf, type DeviceProfile } from './profile';
import { budgetOf, lanesOf, NO_PACKING } from './receiver-lanes';
import { slipsOf } from './slips';
import { treesBySenderOf } from './spread';
import type { Before, LongStep, Step, StepTo } from './step';
import { wishesOf } from './wishes';

/** A step is given what it reads and no more: whatever else it used would not compile. */
const step = <const R extends FactName, Made>(
  reads: readonly R[],
  make: (now: Pick<Facts, R>, before: Before<Pick<Facts, R>, Made> | undefined) => Made,
): Step<Facts, R, Made> => ({ reads, make });

const longStep = <const R extends FactName, Made>(
  reads: readonly R[],
  makeInSteps: LongStep<Facts, R, Made>['makeInSteps'],
): LongStep<Facts, R, Made> => ({ reads, makeInSteps });

const CALLED_BY = {
  name: true,
  notes: true,
  placeId: true,
  serial: true,
  nodeId: true,
  nodeDeviceId: true,
} as const satisfies Record<Exclude<keyof Device, keyof Gear>, true>;

function isSameGear(a: Gear, b: Gear): boolean {
  if (a === b) return true;
  return Object.keys(b).every((key) => key in CALLED_BY || a[key as keyof Gear] === b[key as keyof Gear]);
}

const NOBODY: ReadonlySet<string> = new Set();

function isSameModelled(a: ModelledDevices, b: ModelledDevices): boolean {
  if (a.models !== b.models || a.devices.size !== b.devices.size) return false;
  for (const [id, device] of b.devices) {
    const was = a.devices.get(id);
    if (was !== device && was?.modelId !== device.modelId) return false;
  }
  return true;
}

/** How each result is worked out. One that is missing here does not compile. */
export const RESULTS: { readonly [N in keyof Results]: StepTo<Facts, Results[N]> } = {
  modelled: step(['devices', 'models'], ({ devices, models }, before) => {
    const now: ModelledDevices = { devices, models };
    return before && isSameModelled(before.made, now) ? before.made : now;
  }),
  gear: step(['devices'], ({ devices }, before) => {
    const gear = new Map<string, Gear>();
    let isSame = before?.made.size === devices.size;
    for (const [id, device] of devices) {
      const was = before?.made.get(id);
      const kept = was !== undefined && isSameGear(was, device) ? was : device;
      if (kept !== was) isSame = false;
      gear.set(id, kept);
    }
    return isSame && before !== undefined ? before.made : (gear as ReadonlyMap<string, Gear>);
  }),
  deviceIds: step(['modelled'], ({ modelled: { devices, models } }) =>
    [...devices.values()]
      .filter((d) => models.has(d.modelId))
      .map((d) => d.id)
      .sort(),
  ),
  topology: step(['modelled', 'links', 'switches', 'subnets', 'interfaces', 'settings'], ({ modelled, ...plan }) =>
    topologyOf({ ...modelled, ...plan }),
  ),
  reach: step(['subnets', 'interfaces', 'topology'], ({ topology, ...plan }) => reachOf(plan, topology.routes)),
  delivery: step(['modelled', 'subnets', 'interfaces', 'topology'], ({ modelled, topology, ...plan }) =>
    deliveryOf({ ...modelled, ...plan }, topology),
  ),
  loadFrame: step(
    ['modelled', 'settings', 'interfaces', 'topology', 'delivery', 'timekeeping'],
    ({ modelled, topology, delivery, timekeeping, ...plan }) =>
      loadFrameOf({ ...modelled, ...plan }, topology, delivery, timekeeping),
  ),
  profiles: step(['gear', 'models', 'settings', 'reach', 'topology'], (now, before) => {
    const { gear, models, settings, reach, topology } = now;
    // What a device is and where it is plugged in stays as long as all that it was made from stays.
    const was = before?.now;
    const isKept =
      was?.models === models && was.settings === settings && was.reach === reach && was.topology === topology;
    const profiles = new Map<string, DeviceProfile>();
    for (const device of gear.values()) {
      const model = models.get(device.modelId);
      if (model === undefined) continue;
      const known = isKept ? before?.made.get(device.id) : undefined;
      profiles.set(device.id, known?.device === device ? known : profileOf(settings, reach, topology, device, model));
    }
    return profiles as ReadonlyMap<string, DeviceProfile>;
  }),
  wishes: step(['subscriptions'], (now, before) => wishesOf(now, before?.made)),
  pairs: step(['profiles', 'wishes'], pairsOf),
  packings: step(['profiles', 'wishes', 'pairs', 'layouts', 'sentStreams'], packingsOf),
  streamsBySender: step(['packings'], ({ packings }) => {
    const streams = new Map<string, readonly Stream[]>();
    for (const [id, packing] of packings) streams.set(id, packing.streams);
    return streams as ReadonlyMap<string, readonly Stream[]>;
  }),
  groups: step(['deviceIds', 'streamsBySender', 'settings', 'groupChoices'], allocateGroups),
  lanesByReceiver: step(['profiles', 'wishes', 'pairs', 'packings'], (now, before) => {
    const { profiles, wishes, pairs, packings } = now;
    const lanes = new Map<string, LaneTable>(before?.made);
    const touched = new Set<string>(before === undefined ? wishes.byReceiver.keys() : []);
    if (before !== undefined) {
      for (const id of changedKeys(wishes.byReceiver, before.now.wishes.byReceiver)) touched.add(id);
      for (const id of changedKeys(profiles, before.now.profiles)) {
        touched.add(id);
        for (const { wish } of wishes.receiversBySender.get(id) ?? []) touched.add(wish.receiverId);
      }
      for (const id of changedKeys(packings, before.now.packings)) {
        touched.add(id); // what it sends counts against a pool that both directions share
        for (const { wish } of wishes.receiversBySender.get(id) ?? []) touched.add(wish.receiverId);
      }
    }
    for (const id of touched) {
      const profile = profiles.get(id);
      const wish = wishes.byReceiver.get(id);
      const joined = pairs.get(id);
      if (profile === undefined || wish === undefined || joined === undefined) lanes.delete(id);
      else lanes.set(id, lanesOf(profile, wish, joined, profiles, packings));
    }
    return lanes as ReadonlyMap<string, LaneTable>;
  }),
  budgetByDevice: step(['profiles', 'lanesByReceiver', 'packings'], (now, before) => {
    const { profiles, lanesByReceiver, packings } = now;
    const budgets = new Map(before?.made);
    const touched = new Set<string>(before === undefined ? profiles.keys() : []);
    if (before !== undefined) {
      for (const id of changedKeys(profiles, before.now.profiles)) touched.add(id);
      for (const id of changedKeys(lanesByReceiver, before.now.lanesByReceiver)) touched.add(id);
      for (const id of changedKeys(packings, before.now.packings)) touched.add(id);
    }
    for (const id of touched) {
      const profile = profiles.get(id);
      if (profile === undefined) budgets.delete(id);
      else budgets.set(id, budgetOf(profile, lanesByReceiver.get(id), packings.get(id) ?? NO_PACKING));
    }
    return budgets as Results['budgetByDevice'];
  }),
  trees: step(['profiles', 'streamsBySender', 'topology', 'delivery', 'settings'], treesBySenderOf),
  loads: step(['topology', 'trees'], ({ topology, trees }) => sumLoads(topology, trees)),
  doLegsMeet: step(['modelled', 'topology'], ({ modelled, topology }) => doLegsMeet(modelled, topology)),
  pathFindings: step(['settings', 'topology', 'loads', 'lanesByReceiver', 'doLegsMeet'], (now, before) => {
    const found = pathFindings(now);
    return found.length === 0 && before?.made.length === 0 ? before.made : found;
  }),
  clockFrame: step(
    ['modelled', 'settings', 'switches', 'clocks', 'interfaces', 'topology'],
    ({ modelled, topology, ...plan }) => clockFrameOf({ ...modelled, ...plan }, topology, NOBODY),
  ),
  timekeeping: step(
    ['modelled', 'settings', 'switches', 'references', 'clocks', 'interfaces', 'topology', 'clockFrame'],
    ({ modelled, topology, clockFrame, ...plan }) => timeOf({ ...modelled, ...plan }, topology, undefined, clockFrame),
  ),
  pace: step(['gear', 'models', 'clocks', 'timekeeping'], ({ gear, timekeeping, ...plan }) =>
    mediaClocks({ ...plan, devices: gear }, timekeeping.time, timekeeping.references, NOBODY),
  ),
  signalParts: step(['modelled', 'patches', 'busSends'], ({ modelled, ...plan }, before) =>
    devicePartsOf({ ...modelled, ...plan }, before?.made),
  ),
  slotEdges: step(['devices', 'models', 'slotBuses', 'slotUnits'], (now, before) => slotEdgesOf(now, before?.made)),
  signal: step(['signalParts', 'wishes', 'lanesByReceiver', 'audioCables', 'slotEdges'], signalGraphOf),
  signalFlow: longStep(['signal', 'pluggedIn'], signalFlowInSteps),
  slips: step(['modelled', 'clocks', 'clockwork', 'wishes'], slipsOf),
  clockwork: step(['timekeeping', 'pace'], ({ timekeeping, pace }) => ({ ...timekeeping, media: pace })),
};
