import type { NetworkFix, SwitchChange } from '@/core/findings/network-fix';
import type { NetworkSubject } from '@/core/findings/network-subject';
import type { FitnessCriterion, FitnessVerdict } from '@/core/network/fitness';
import type { Cable, Link, LinkEnd } from '@/core/network/links-table';
import type { SubnetRole } from '@/core/network/subnets-table';
import type { Plan } from '@/core/plan/plan';
import { bits, count, percent, time } from './units';
import { deviceName } from './names';

/** The words for what is wrong with a network, and for what would mend it. */

export const CABLE_WORDS: Readonly<Record<Cable, string>> = {
  cat5e: 'Cat 5e',
  cat6: 'Cat 6',
  cat6a: 'Cat 6A',
  om3: 'OM3 fibre',
  'single-mode': 'Single-mode fibre',
  wireless: 'Wireless',
};

export const ROLE_WORDS: Readonly<Record<SubnetRole, string>> = {
  A: 'Leg A',
  B: 'Leg B',
  control: 'Control',
  other: 'Other',
};

export const VERDICT_WORDS: Readonly<Record<FitnessVerdict, string>> = {
  fit: 'fit for media',
  limited: 'fit with limits',
  unfit: 'not fit for media',
};

export const CRITERION_WORDS: Readonly<Record<FitnessCriterion, string>> = {
  snooping: 'IGMP snooping',
  querier: 'Can be the querier',
  'group-table': 'Multicast groups in its table',
  queues: 'Queues',
  'dscp-trust': 'Trusts DiffServ marks',
  'energy-saving': 'Energy saving can be off',
  'spanning-tree': 'Spanning tree',
  timestamping: 'PTP time stamping',
};

export function subnetName(plan: Plan, id: string): string {
  return plan.subnets.get(id)?.name ?? id;
}

export function endName(plan: Plan, end: LinkEnd): string {
  return `${deviceName(plan, end.deviceId)} ${end.port}`;
}

/** The device with its own socket on a cable. */
function ownEndName(plan: Plan, linkId: string, deviceId: string): string {
  const link = plan.links.get(linkId);
  const end = link && [link.from, link.to].find((e) => e.deviceId === deviceId);
  return end ? endName(plan, end) : deviceName(plan, deviceId);
}

/** What of a link media may use: `50 Mb/s`, or `50 Mb/s free (1 Gb/s, 95 % reserved)`. */
export function usableOf({ bitsPerSecond, setAsidePercent }: Link): string {
  if (setAsidePercent === 0) return bits(bitsPerSecond);
  const usable = (bitsPerSecond * (100 - setAsidePercent)) / 100;
  return `${bits(usable)} free (${bits(bitsPerSecond)}, ${setAsidePercent} % reserved)`;
}

/** As usableOf, where a cable may have come up slower than it is planned: the figure that was reckoned with is given. */
export function usableWords(plan: Plan, linkId: string, usableBitsPerSecond: number): string {
  const link = plan.links.get(linkId);
  return link === undefined || link.setAsidePercent === 0 ? bits(usableBitsPerSecond) : usableOf(link);
}

export function linkName(plan: Plan, link: Link): string {
  return `${deviceName(plan, link.from.deviceId)} to ${deviceName(plan, link.to.deviceId)}`;
}

function linkById(plan: Plan, id: string): string {
  const link = plan.links.get(id);
  return link ? linkName(plan, link) : id;
}

/** `dome-renderer/1` as `Dome renderer S1`. */
export function streamName(plan: Plan, streamId: string): string {
  const slash = streamId.lastIndexOf('/');
  return `${deviceName(plan, streamId.slice(0, slash))} S${streamId.slice(slash + 1)}`;
}

const list = (items: readonly string[]) =>
  items.length < 2 ? (items[0] ?? '') : `${items.slice(0, -1).join(', ')} and ${items[items.length - 1]}`;

/** A few of many by name, and said to be that: ` (S1, S2)`, or ` (among them S1, S2 and S3)`. */
function amongThem(names: readonly string[]): string {
  return names.length <= 3 ? ` (${names.join(', ')})` : ` (among them ${list(names.slice(0, 3))})`;
}

export function networkTitle(plan: Plan, finding: NetworkSubject & { readonly deviceIds: readonly string[] }): string {
  const first = deviceName(plan, finding.deviceIds[0] ?? '');
  switch (finding.about) {
    case 'address-in-dhcp-range':
      return `${first}: ${finding.address} is in the DHCP range ${finding.range.first} to ${finding.range.last}`;
    case 'subnet-full':
      return `${subnetName(plan, finding.subnetId)} is full: ${finding.free} of ${finding.usable} addresses free`;
    case 'answers-elsewhere':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} answers at ${finding.address}${finding.subnetId === null ? '' : ` in ${subnetName(plan, finding.subnetId)}`}${finding.adapter === null ? '' : ` by ${finding.adapter} of the server`}; the plan has it in ${list(finding.planned.map((p) => `${subnetName(plan, p.subnetId)}${p.adapters.length === 0 ? '' : ` (${p.adapters.join(', ')})`}`))}`;
    case 'subnets-overlap':
      return `${list(finding.subnetIds.map((id) => subnetName(plan, id)))} overlap: ${finding.cidrs.join(' and ')}`;
    case 'control-unplugged':
      return `${count(finding.deviceIds.length, 'control port')} ${finding.deviceIds.length === 1 ? 'has' : 'have'} an address and no cable${amongThem(finding.deviceIds.map((id) => deviceName(plan, id)))}`;
    case 'management-apart':
      return `${list(finding.deviceIds.map((id) => deviceName(plan, id)))}: no path leads to the management address in ${subnetName(plan, finding.subnetId)}`;
    case 'legs-on-one-vlan':
      return `Leg A in ${subnetName(plan, finding.subnetIds[0])} and leg B in ${subnetName(plan, finding.subnetIds[1])} are both VLAN ${finding.vlan}: one network, not two`;
    case 'no-querier':
      return `${subnetName(plan, finding.subnetId)} has no IGMP querier: memberships of its ${count(finding.devices, 'device')} lapse after 260 s`;
    case 'two-queriers': {
      const wins =
        finding.winnerId === null ? '' : `; ${deviceName(plan, finding.winnerId)} has the lower address and wins`;
      return `${subnetName(plan, finding.subnetId)} has ${finding.switchIds.length} queriers: ${list(finding.switchIds.map((id) => deviceName(plan, id)))}${wins}`;
    }
    case 'gateway-nobody':
      return `${subnetName(plan, finding.subnetId)}: no router has its gateway address ${finding.gateway}`;
    case 'control-apart':
      return `${first}: nothing else in the plan can reach its control address in ${subnetName(plan, finding.controlSubnetId)}`;
    case 'legs-in-one-network':
      return finding.subnetIds[0] === finding.subnetIds[1]
        ? `${first}: leg A and leg B are both in ${subnetName(plan, finding.subnetIds[0])}`
        : `${first}: leg A in ${subnetName(plan, finding.subnetIds[0])} and leg B in ${subnetName(plan, finding.subnetIds[1])}, which a router joins`;
    case 'legs-at-one-switch':
      return `${first}: both legs are plugged into ${deviceName(plan, finding.switchId)}`;
    case 'legs-share-switch':
      return `Both legs of ${count(finding.streamIds.length, 'stream')} ${amongThem(finding.streamIds.map((id) => streamName(plan, id)))} run through ${deviceName(plan, finding.switchId)}`;
    case 'legs-share-cable':
      return `Both legs of ${count(finding.streamIds.length, 'stream')} run over one cable, ${linkById(plan, finding.linkId)}`;
    case 'link-unfit':
      return `${linkById(plan, finding.linkId)} is ${finding.why === 'wireless' ? 'wireless' : 'half duplex'} and carries ${count(finding.streams, 'stream')}`;
    case 'energy-saving':
      return `${first} saves energy on idle links${finding.isFixed ? ', and its model cannot turn that off' : ''}`;
    case 'snooping-off':
      return finding.canSnoop
        ? `${first} does not snoop IGMP: every stream goes to every port`
        : `${first} is a model that cannot snoop IGMP: every stream goes to every port`;
    case 'dscp-untrusted':
      return `${first} does not ${finding.canTrust ? '' : '(and cannot) '}trust DSCP: clock and media share a queue with everything else`;
    case 'queue-mapping':
      return `${first}: clock in queue ${finding.ptpQueue}, media in queue ${finding.mediaQueue} of ${finding.queues}; clock must be above media, media above the rest`;
    case 'group-table-full':
      return `${first} needs ${finding.wanted} multicast groups; its table holds ${finding.limit}`;
    case 'group-collision':
      return `${list(finding.groups.map((g) => `${g.group} (${streamName(plan, g.streamId)})`))} share one Ethernet address`;
    case 'group-reserved':
      return `${streamName(plan, finding.streamId)}: ${finding.group} shares its Ethernet address with a reserved group`;
    case 'overload': {
      const share = finding.usableBitsPerSecond > 0 ? finding.bitsPerSecond / finding.usableBitsPerSecond : Infinity;
      return `${linkById(plan, finding.linkId)}, out of ${deviceName(plan, finding.senderId)}: over the ceiling: uses ${bits(finding.bitsPerSecond)} of ${usableWords(plan, finding.linkId, finding.usableBitsPerSecond)}, ${percent(share)}; the ceiling is ${finding.ceilingPercent} %`;
    }
    case 'loop':
      return `A ring closed by ${list(finding.linkIds.map((id) => linkById(plan, id)))}, and ${list(finding.switchIds.map((id) => deviceName(plan, id)))} without spanning tree`;
    case 'igmp-without-sources':
      return `${first} speaks IGMPv2, which knows no sources: ${count(finding.groups.length, 'group')}${amongThem(finding.groups)} cannot be joined there`;
    case 'igmp-versions-differ':
      return `${subnetName(plan, finding.subnetId)}: ${list(finding.switchIds.map((id) => deviceName(plan, id)))} ${finding.switchIds.length === 1 ? 'speaks' : 'speak'} IGMPv2, the other ${count(finding.count - finding.switchIds.length, 'switch', 'switches')} IGMPv3`;
    case 'pim-any-source':
      return `${first} routes only groups that are joined with their source; ${count(finding.groups.length, 'group')} outside 232.0.0.0/8${amongThem(finding.groups)} would have to pass`;
    case 'pim-no-rendezvous':
      return `${first} routes in sparse mode and knows no rendezvous point: ${count(finding.groups.length, 'group')}${amongThem(finding.groups)} do not pass`;
    case 'pim-differs':
      return `${list(finding.deviceIds.map((id) => deviceName(plan, id)))} route multicast in different modes or by different rendezvous points`;
    case 'vlan-cut':
      return `${list(finding.subnetIds.map((id) => subnetName(plan, id)))}: only ${list(finding.linkIds.map((id) => linkById(plan, id)))} carries it, which the one spanning tree for all VLANs leaves idle`;
    case 'poe-budget':
      return `${first} needs ${finding.wantedW} W of PoE; its budget is ${finding.budgetW} W`;
    case 'poe-class':
      return `${first} asks for PoE class ${finding.takesClass}; its port offers ${finding.givesClass === null ? 'no power' : `class ${finding.givesClass}`}`;
    case 'port-twice':
      return `${first}, ${finding.port}: ${count(finding.linkIds.length, 'cable')} in one port`;
    case 'cable-too-long':
      return `${linkById(plan, finding.linkId)}: ${finding.metres} m of ${CABLE_WORDS[finding.cable]}; at this speed it carries ${finding.limitMetres === 0 ? 'nothing' : `${finding.limitMetres} m`}`;
    case 'link-too-fast':
      return `${linkById(plan, finding.linkId)} is planned at ${bits(finding.bitsPerSecond)}; its ports run at ${bits(finding.portBitsPerSecond)}`;
    case 'discovery-local':
      return `${count(finding.lanes, 'lane')} between ${list(finding.subnetIds.map((id) => subnetName(plan, id)))}: mDNS and SAP stay within a subnet, so the devices do not see each other`;
    case 'late-by-queueing':
      return `${first} from ${deviceName(plan, finding.senderDeviceId)}: behind all other streams packets may need ${time(finding.neededNs + finding.queueNs)}; the link offset is ${time(finding.offsetNs)}`;
    case 'link-slower':
      return `${linkById(plan, finding.linkId)} came up at ${bits(finding.foundBitsPerSecond)}; planned: ${bits(finding.plannedBitsPerSecond)}`;
    case 'link-half-duplex-found':
      return `${linkById(plan, finding.linkId)} came up in half duplex`;
  }
}

const SWITCH_CHANGE_WORDS: Readonly<Record<SwitchChange, (name: string) => string>> = {
  'energy-saving-off': (name) => `Turn energy saving off on ${name}`,
  'trust-dscp': (name) => `Trust DSCP on ${name}`,
  'usual-queues': (name) => `Clock in the highest queue of ${name}, media in the next`,
  'spanning-tree-on': (name) => `Turn spanning tree on in ${name}`,
  'snooping-on': (name) => `Turn IGMP snooping on in ${name}`,
  'multicast-routing-on': (name) => `Turn multicast routing on in ${name}`,
  'igmp-3': (name) => `Set ${name} to IGMPv3`,
  'pim-sparse': (name) => `Set ${name} to PIM sparse mode as rendezvous point`,
};

export function networkFixWords(plan: Plan, fix: NetworkFix): string {
  switch (fix.does) {
    case 'set-switch':
      return SWITCH_CHANGE_WORDS[fix.what](deviceName(plan, fix.deviceId));
    case 'set-querier':
      return `Make ${deviceName(plan, fix.deviceId)} the only querier of ${subnetName(plan, fix.subnetId)}`;
    case 'resize-subnet':
      return `Make ${subnetName(plan, fix.subnetId)} ${fix.cidr}`;
    case 'cable-control':
      return `Cable ${count(fix.cables, 'control port')}, each to the switch of its device`;
    case 'set-vlan':
      return `Give ${subnetName(plan, fix.subnetId)} VLAN ${fix.vlan}`;
    case 'drop-dhcp':
      return `Remove the DHCP range of ${subnetName(plan, fix.subnetId)}`;
    case 'set-gateway':
      return fix.gateway === null
        ? `Remove the gateway of ${subnetName(plan, fix.subnetId)}`
        : `Make ${fix.gateway} the gateway of ${subnetName(plan, fix.subnetId)}`;
    case 'route-subnet':
      return `Give router ${deviceName(plan, fix.deviceId)} the address ${fix.address} in ${subnetName(plan, fix.subnetId)}`;
    case 'drop-group-choice':
      return `Let ${streamName(plan, fix.streamId)} use a multicast address from the pool`;
    case 'choose-group':
      return `Give ${streamName(plan, fix.streamId)} the group ${fix.group}`;
    case 'set-ttl':
      return `Set the multicast TTL to ${fix.ttl}`;
    case 'use-registry':
      return 'Find devices through a registry';
    case 'send-unicast':
      return `Send unicast from ${deviceName(plan, fix.deviceId)}, one copy for each receiver`;
    case 'change-model':
      return `Replace ${deviceName(plan, fix.deviceId)} by ${fix.modelName}`;
    case 'plug-elsewhere':
      return `Plug ${ownEndName(plan, fix.linkId, fix.deviceId)} into ${deviceName(plan, fix.switchId)} ${fix.port}`;
    case 'carry-too':
      return `Carry ${list(fix.subnetIds.map((id) => subnetName(plan, id)))} on ${list(fix.linkIds.map((id) => linkById(plan, id)))} too`;
    case 'pim-alike':
      return `Set ${list(fix.switchIds.map((id) => deviceName(plan, id)))} like ${deviceName(plan, fix.deviceId)}`;
    case 'tree-per-vlan':
      return `Run one spanning tree for each VLAN on ${list(fix.switchIds.map((id) => deviceName(plan, id)))}`;
    case 'remove-link':
      return `Remove the cable ${linkById(plan, fix.linkId)}`;
    case 'set-link-speed':
      return `Plan ${linkById(plan, fix.linkId)} at ${bits(fix.bitsPerSecond)}`;
    case 'set-cable':
      return `Plan ${linkById(plan, fix.linkId)} as ${CABLE_WORDS[fix.cable]}`;
    case 'set-duplex':
      return `Plan ${linkById(plan, fix.linkId)} in ${fix.duplex} duplex`;
    case 'join-cable':
      return `Add a second cable (link aggregation) to ${linkById(plan, fix.linkId)} (${fix.portFrom}, ${fix.portTo})`;
    case 'clear-streams':
      return `Clear the ${count(fix.lanes, 'lane')} of ${list(fix.streamIds.map((id) => streamName(plan, id)))}`;
    case 'lower-set-aside':
      return `Reserve only ${fix.percent} % of ${linkById(plan, fix.linkId)}`;
    case 'link-offset':
      return `Set the link offset of ${deviceName(plan, fix.deviceId)} to ${time(fix.offsetNs)}`;
    case 'move-leg':
      return `Move leg ${fix.interface} of ${deviceName(plan, fix.deviceId)} to ${subnetName(plan, fix.subnetId)}, ${fix.address}`;
  }
}
