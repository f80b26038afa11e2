import type { Clocks } from '../clocks/clocks';
import type { Topology } from '../network/topology';
import { switchSettingsOf } from '../network/switch-settings';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { FindingAbout } from './finding';
import { rule } from './rule';

const FINDS = ['time-through-switch'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/**
 * Time by way of a switch that knows nothing of PTP: the message waits there behind whatever is sent, and the follower takes the
 * wait for distance (IEEE 1588-2008, 6.5.4). With a queue of its own and links that do not sleep that is little.
 */
function clockWayFindings(
  plan: ModelledDevices & PlanOf<'settings' | 'switches'>,
  topology: Topology,
  { time }: Clocks,
): Found[] {
  const whyBySwitch = plainSwitches(plan, topology);
  if (whyBySwitch.size === 0) return [];
  const followersBySwitch = new Map<number, string[]>();
  const switchAt = (deviceId: string, segment: string | null): number => {
    const own = topology.network.indexOfSwitch.get(deviceId);
    if (own !== undefined) return own;
    const role = time.byDevice.get(deviceId)?.ports.find((p) => p.segment === segment)?.interface;
    const port = modelOf(plan, deviceId)?.ports.find((p) => p.role === role)?.name;
    return (port === undefined ? null : topology.portLinkOf(deviceId, port))?.switchIndex ?? -1;
  };
  for (const { deviceId, parentId, segment } of time.byDevice.values()) {
    const subnetId = time.segments.get(segment ?? '')?.subnetId;
    if (parentId === null || subnetId == null) continue;
    const [from, to] = [switchAt(parentId, segment), switchAt(deviceId, segment)];
    if (from < 0 || to < 0) continue;
    const path = topology.pathBetween(topology.standOf(from, subnetId), topology.standOf(to, subnetId), 'multicast');
    for (const index of new Set([from, ...(path?.switches ?? [])])) {
      if (!whyBySwitch.has(index)) continue;
      const followers = followersBySwitch.get(index);
      if (followers === undefined) followersBySwitch.set(index, [deviceId]);
      else followers.push(deviceId);
    }
  }
  return [...followersBySwitch].map(([index, deviceIds]) => {
    const switchId = topology.network.bridges[index]?.deviceId as string;
    return {
      id: `time-through|${switchId}`,
      severity: 'caution',
      deviceIds: [switchId, ...deviceIds],
      about: 'time-through-switch',
      switchId,
      devices: deviceIds.length,
      ...(whyBySwitch.get(index) as Why),
    };
  });
}

interface Why {
  readonly sharesQueue: boolean;
  readonly savesEnergy: boolean;
}

function plainSwitches(
  plan: ModelledDevices & PlanOf<'settings' | 'switches'>,
  { network }: Topology,
): ReadonlyMap<number, Why> {
  const found = new Map<number, Why>();
  network.bridges.forEach(({ deviceId }, index) => {
    const can = modelOf(plan, deviceId)?.switching;
    const settings = switchSettingsOf(plan, deviceId);
    if (!can || settings === null || can.timestamping !== 'none') return;
    const why = {
      sharesQueue: can.queues < 2 || !can.dscpTrust || !settings.trustsDscp,
      savesEnergy: settings.energySaving || can.energySaving === 'fixed',
    };
    if (why.sharesQueue || why.savesEnergy) found.set(index, why);
  });
  return found;
}

export const clockWayRule = rule({
  finds: FINDS,
  reads: ['modelled', 'settings', 'switches', 'topology', 'clockwork'],
  find: ({ modelled, topology, clockwork, ...plan }) => clockWayFindings({ ...modelled, ...plan }, topology, clockwork),
});
