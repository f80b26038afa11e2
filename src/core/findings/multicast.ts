import { formatAddress } from '../network/address';
import { switchesInUse } from '../network/delivery';
import type { StreamTree } from '../network/stream-trees';
import { queriersOf } from '../network/queriers';
import { switchSettingsOf } from '../network/switch-settings';
import type { SwitchSettings } from '../network/switches-table';
import type { Topology } from '../network/topology';
import type { ModelledDevices, PlanOf } from '../plan/plan';
import type { StreamGroups } from '../streams/stream-groups';
import type { FindingAbout } from './finding';
import { rule } from './rule';
import { MULTICAST_KINDS } from './areas';

type Found = FindingAbout<(typeof MULTICAST_KINDS)[number]>;

/** How switches and routers are set to pass groups on, held against the groups that streams are sent to. */

/** 232.0.0.0/8: groups that are joined together with their source (RFC 4607). */
const isSourceSpecific = (group: number) => group >>> 24 === 232;

type SwitchesOfPlan = ModelledDevices & PlanOf<'settings' | 'subnets' | 'switches' | 'interfaces'>;

function multicastFindings(
  plan: SwitchesOfPlan,
  topology: Topology,
  trees: ReadonlyMap<string, readonly StreamTree[]>,
  groups: ReadonlyMap<string, StreamGroups>,
): Found[] {
  const settings = topology.network.bridges.map(({ deviceId }) => switchSettingsOf(plan, deviceId));
  // Nearly always nothing is stated but the usual.
  if (settings.every((s) => s === null || (s.igmpVersion === 3 && s.pimMode === null))) return [];
  const use = groupsBySwitch(trees, groups, settings.length);
  return [
    ...igmpFindings(plan, topology, settings, use.learned),
    ...settings.flatMap((own, index) => pimFindings(own, use.routed[index] ?? [])),
    ...routersThatDiffer(settings, use.routed),
  ];
}

interface GroupOfStream {
  readonly streamId: string;
  readonly group: number;
}

/** By switch: the groups that it learns, and those that it routes. */
function groupsBySwitch(
  trees: ReadonlyMap<string, readonly StreamTree[]>,
  groups: ReadonlyMap<string, StreamGroups>,
  count: number,
) {
  const learned = Array.from({ length: count }, (): GroupOfStream[] => []);
  const routed = Array.from({ length: count }, (): GroupOfStream[] => []);
  for (const { stream, leg, switches, routers } of [...trees.values()].flat()) {
    const group = groups.get(stream.id)?.[leg] ?? null;
    if (stream.unicastTo !== null || group === null) continue;
    for (const s of switches) learned[s]?.push({ streamId: stream.id, group });
    for (const s of routers) routed[s]?.push({ streamId: stream.id, group });
  }
  return { learned, routed };
}

const textsOf = (all: readonly GroupOfStream[]) => [...new Set(all.map((g) => formatAddress(g.group)))].sort();

function igmpFindings(
  plan: SwitchesOfPlan,
  topology: Topology,
  settings: readonly (SwitchSettings | null)[],
  learned: readonly (readonly GroupOfStream[])[],
): Found[] {
  const findings: Found[] = [];
  settings.forEach((own, index) => {
    const specific = (learned[index] ?? []).filter((g) => isSourceSpecific(g.group));
    if (own === null || own.igmpVersion === 3 || specific.length === 0) return;
    findings.push({
      id: `igmp-sources|${own.id}`,
      severity: 'refusal',
      deviceIds: [own.id],
      about: 'igmp-without-sources',
      switchId: own.id,
      groups: textsOf(specific),
    });
  });
  for (const [subnetId, switches] of [...switchesInUse(plan, topology)].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const subnet = plan.subnets.get(subnetId);
    if (subnet === undefined) continue;
    for (const { id } of queriersOf(plan, subnet)) switches.add(topology.network.indexOfSwitch.get(id) ?? -1);
    const there = [...switches].sort((a, b) => a - b).flatMap((index) => settings[index] ?? []);
    const older = there.filter((s) => s.igmpVersion === 2).map((s) => s.id);
    if (older.length === 0 || older.length === there.length) continue;
    const deviceIds = older;
    const base = { id: `igmp-versions|${subnetId}`, severity: 'caution', deviceIds } as const;
    findings.push({ ...base, about: 'igmp-versions-differ', subnetId, switchIds: older, count: there.length });
  }
  return findings;
}

function pimFindings(own: SwitchSettings | null, routed: readonly GroupOfStream[]): Found[] {
  if (own === null || own.pimMode === null) return [];
  const anySource = routed.filter((g) => !isSourceSpecific(g.group));
  if (anySource.length === 0 || own.pimMode === 'dense') return [];
  const base = { severity: 'refusal', deviceIds: [own.id], switchId: own.id } as const;
  const groups = textsOf(anySource);
  if (own.pimMode === 'source-specific') {
    return [{ ...base, id: `pim-any|${own.id}`, about: 'pim-any-source', groups }];
  }
  return own.rendezvousPoint === null ? [{ ...base, id: `pim-rp|${own.id}`, about: 'pim-no-rendezvous', groups }] : [];
}

/** Routers on the ways of streams that are not set alike: each would look for the sender elsewhere. */
function routersThatDiffer(
  settings: readonly (SwitchSettings | null)[],
  routed: readonly (readonly GroupOfStream[])[],
): Found[] {
  const routers = settings.filter((s, index) => s?.pimMode != null && (routed[index] ?? []).length > 0);
  const setAs = (s: SwitchSettings | null) => `${s?.pimMode} ${s?.rendezvousPoint}`;
  const [first] = routers;
  if (routers.every((r) => setAs(r) === setAs(first ?? null))) return [];
  const deviceIds = routers.flatMap((r) => r?.id ?? []);
  return [{ id: 'pim-differs', severity: 'caution', deviceIds, about: 'pim-differs' }];
}

export const multicastRule = rule({
  finds: MULTICAST_KINDS,
  reads: ['modelled', 'settings', 'subnets', 'switches', 'interfaces', 'topology', 'trees', 'groups'],
  find: ({ modelled, topology, trees, groups, ...plan }) =>
    multicastFindings({ ...modelled, ...plan }, topology, trees, groups.byStream),
});
