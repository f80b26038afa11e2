import { cablesFor } from '../network/cable';
import {
  ethernetGroupBits,
  formatAddress,
  isInBlock,
  isReservedGroup,
  parseAddress,
  parseCidr,
} from '../network/address';
import { feeds, powerOf } from '../network/power';
import { cidrText, doubled } from '../network/subnets';
import { switchSettingsOf, usualQueues, usualSwitchSettings } from '../network/switch-settings';
import { CATALOGUE } from '../models/catalogue';
import type { Leg } from '../models/model';
import type { Command } from '../plan/commands';
import { freeAddressIn, freePort } from '../plan/free';
import { interfacesOf, modelOf, type Plan } from '../plan/plan';
import { overlapping } from '../plan/propose-addresses';
import type { Cable, Link, Subnet, SwitchSettings } from '../plan/records';
import type { Finding, NetworkSubject } from './finding';

/** A way out of a finding about the network. */
export type NetworkFix = { readonly commands: readonly Command[] } & (
  | { readonly does: 'set-switch'; readonly deviceId: string; readonly what: SwitchChange }
  | { readonly does: 'set-querier'; readonly deviceId: string; readonly subnetId: string }
  | { readonly does: 'resize-subnet'; readonly subnetId: string; readonly cidr: string }
  | { readonly does: 'drop-dhcp'; readonly subnetId: string }
  | { readonly does: 'set-gateway'; readonly subnetId: string; readonly gateway: string | null }
  | {
      readonly does: 'route-subnet';
      readonly deviceId: string;
      readonly subnetId: string;
      readonly address: string;
    }
  | { readonly does: 'drop-group-choice'; readonly streamId: string }
  | { readonly does: 'set-ttl'; readonly ttl: number }
  | { readonly does: 'use-registry' }
  | { readonly does: 'send-unicast'; readonly deviceId: string }
  | { readonly does: 'change-model'; readonly deviceId: string; readonly modelName: string }
  | {
      readonly does: 'plug-elsewhere';
      readonly linkId: string;
      readonly deviceId: string;
      readonly switchId: string;
      readonly port: string;
    }
  | { readonly does: 'remove-link'; readonly linkId: string }
  | { readonly does: 'set-link-speed'; readonly linkId: string; readonly bitsPerSecond: number }
  | { readonly does: 'set-cable'; readonly linkId: string; readonly cable: Cable }
  | { readonly does: 'set-duplex'; readonly linkId: string; readonly duplex: Link['duplex'] }
  | {
      readonly does: 'move-leg';
      readonly deviceId: string;
      readonly interface: string;
      readonly subnetId: string;
      readonly address: string;
    }
  | { readonly does: 'choose-group'; readonly streamId: string; readonly group: string }
  | { readonly does: 'join-cable'; readonly linkId: string; readonly portFrom: string; readonly portTo: string }
  | { readonly does: 'clear-streams'; readonly streamIds: readonly string[]; readonly lanes: number }
  | { readonly does: 'lower-set-aside'; readonly linkId: string; readonly percent: number }
  | { readonly does: 'link-offset'; readonly deviceId: string; readonly offsetNs: number }
);

export type SwitchChange =
  'energy-saving-off' | 'trust-dscp' | 'usual-queues' | 'spanning-tree-on' | 'snooping-on' | 'multicast-routing-on';

/** Lanes of a stream, so that a fix can clear them; given by who asks, as the core's findings hold only ids. */
export type LanesOfStream = (streamId: string) => readonly { readonly deviceId: string; readonly channel: number }[];

/** The fixes for a finding about the network, the gentlest first. */
export function networkFixes(plan: Plan, finding: Finding & NetworkSubject, lanesOf: LanesOfStream): NetworkFix[] {
  switch (finding.about) {
    case 'address-in-dhcp-range': {
      const subnet = plan.subnets.get(finding.subnetId);
      return subnet ? [dropDhcp(subnet)] : [];
    }
    case 'subnet-full':
      return widened(plan, finding.subnetId);
    case 'subnets-overlap':
      return finding.subnetIds.flatMap((id) => narrowed(plan, id, finding.subnetIds));
    case 'no-querier':
      return querierCandidates(plan, finding.subnetId).map((id) => setQuerier(plan, finding.subnetId, id));
    case 'two-queriers':
      return [finding.winnerId, ...finding.switchIds]
        .filter((id, n, all): id is string => id !== null && all.indexOf(id) === n)
        .map((id) => setQuerier(plan, finding.subnetId, id));
    case 'gateway-nobody': {
      const subnet = plan.subnets.get(finding.subnetId);
      return subnet ? gatewayFixes(plan, subnet) : [];
    }
    case 'control-apart':
      return [
        ...routeFixes(plan, finding.mediaSubnetId, finding.controlSubnetId),
        ...routeFixes(plan, finding.controlSubnetId, finding.mediaSubnetId),
      ].slice(0, 2);
    case 'legs-in-one-network': {
      const deviceId = finding.deviceIds[0] ?? '';
      const own = interfacesOf(plan, deviceId).get('B');
      const other = [...plan.subnets.values()].find((s) => s.role === 'B' && !finding.subnetIds.includes(s.id));
      const address = other ? freeAddressIn(plan, other.id) : null;
      if (!own || !other || address === null) return [];
      return [
        {
          does: 'move-leg',
          deviceId,
          interface: 'B',
          subnetId: other.id,
          address,
          commands: [{ kind: 'put-interface', interface: { ...own, subnetId: other.id, address } }],
        },
      ];
    }
    case 'legs-at-one-switch':
      return plugElsewhere(plan, finding.linkIds[1], finding.deviceIds[0] ?? '', finding.switchId);
    case 'legs-share-switch':
      return finding.streamIds.slice(0, 1).flatMap((id) => plugSenderElsewhere(plan, senderOf(id), finding.switchId));
    case 'legs-share-cable':
      return finding.streamIds.slice(0, 1).flatMap((id) => plugSenderElsewhere(plan, senderOf(id), null));
    case 'link-unfit': {
      const link = plan.links.get(finding.linkId);
      if (!link) return [];
      if (finding.why === 'half-duplex') {
        return [{ does: 'set-duplex', linkId: link.id, duplex: 'full', commands: [put({ ...link, duplex: 'full' })] }];
      }
      return cableFixes(link);
    }
    case 'energy-saving':
      return finding.isFixed
        ? betterModels(plan, finding.switchId, (s) => s.energySaving !== 'fixed')
        : [setSwitch(plan, finding.switchId, 'energy-saving-off')];
    case 'snooping-off':
      return finding.canSnoop
        ? [setSwitch(plan, finding.switchId, 'snooping-on')]
        : betterModels(plan, finding.switchId, (s) => s.snooping);
    case 'dscp-untrusted':
      return finding.canTrust
        ? [setSwitch(plan, finding.switchId, 'trust-dscp')]
        : betterModels(plan, finding.switchId, (s) => s.dscpTrust);
    case 'queue-mapping':
      return finding.queues >= 2
        ? [setSwitch(plan, finding.switchId, 'usual-queues')]
        : betterModels(plan, finding.switchId, (s) => s.queues >= 3);
    case 'group-table-full':
      return betterModels(plan, finding.switchId, (s) => s.groupTableSize >= finding.wanted);
    case 'group-collision':
      return finding.groups.flatMap((g) => [
        ...dropChoice(plan, g.streamId),
        ...takeNewGroup(plan, g.streamId, g.leg, g.group),
      ]);
    case 'group-reserved':
      return [
        ...dropChoice(plan, finding.streamId),
        ...takeNewGroup(plan, finding.streamId, finding.leg, finding.group),
      ];
    case 'overload':
      return overloadFixes(plan, finding, lanesOf);
    case 'loop':
      return [
        ...finding.switchIds.flatMap((id) =>
          modelOf(plan, id)?.switching?.spanningTree ? [setSwitch(plan, id, 'spanning-tree-on')] : [],
        ),
        ...finding.linkIds.map((id): NetworkFix => removeLink(id)),
      ];
    case 'poe-budget':
      return powerFixes(plan, finding.switchId);
    case 'poe-class': {
      const link = plan.links.get(finding.linkId);
      const deviceId = finding.deviceIds[0] ?? '';
      const switchId = finding.deviceIds[1] ?? '';
      return link ? plugWhereFed(plan, link, deviceId, switchId).slice(0, 2) : [];
    }
    case 'port-twice':
      return finding.linkIds.slice(1).flatMap((linkId) => {
        const link = plan.links.get(linkId);
        const deviceId = finding.deviceIds[0] ?? '';
        return [...(link ? plugOnSame(plan, link, deviceId) : []), removeLink(linkId)];
      });
    case 'cable-too-long': {
      const link = plan.links.get(finding.linkId);
      return link ? cableFixes(link) : [];
    }
    case 'link-too-fast':
      return setSpeed(plan, finding.linkId, finding.portBitsPerSecond);
    case 'discovery-local':
      return [{ does: 'use-registry', commands: [{ kind: 'change-settings', settings: { discovery: 'registry' } }] }];
    case 'late-by-queueing': {
      const offsetNs = Math.ceil((finding.neededNs + finding.queueNs) / 250_000) * 250_000;
      const deviceId = finding.receiverDeviceId;
      const commands: Command[] = [{ kind: 'change-device', deviceId, change: { linkOffsetNs: offsetNs } }];
      return [{ does: 'link-offset', deviceId, offsetNs, commands }];
    }
    case 'link-slower':
      return setSpeed(plan, finding.linkId, finding.foundBitsPerSecond);
    case 'link-half-duplex-found': {
      const link = plan.links.get(finding.linkId);
      if (!link) return [];
      return [{ does: 'set-duplex', linkId: link.id, duplex: 'half', commands: [put({ ...link, duplex: 'half' })] }];
    }
  }
}

const senderOf = (streamId: string) => streamId.slice(0, streamId.lastIndexOf('/'));
const put = (link: Link): Command => ({ kind: 'put-link', link });
const removeLink = (linkId: string): NetworkFix => ({
  does: 'remove-link',
  linkId,
  commands: [{ kind: 'remove-link', linkId }],
});

const SWITCH_CHANGES: Readonly<Record<Exclude<SwitchChange, 'usual-queues'>, Partial<SwitchSettings>>> = {
  'energy-saving-off': { energySaving: false },
  'trust-dscp': { trustsDscp: true },
  'spanning-tree-on': { spanningTree: true },
  'snooping-on': { snooping: true },
  'multicast-routing-on': { multicastRouting: true },
};

export function setSwitch(plan: Plan, deviceId: string, what: SwitchChange): NetworkFix {
  const settings = switchSettingsOf(plan, deviceId) as SwitchSettings;
  const queues = modelOf(plan, deviceId)?.switching?.queues ?? 1;
  const change = what === 'usual-queues' ? { queueByDscp: usualQueues(queues, plan.settings) } : SWITCH_CHANGES[what];
  return {
    does: 'set-switch',
    deviceId,
    what,
    commands: [{ kind: 'put-switch', settings: { ...settings, ...change } }],
  };
}

function setQuerier(plan: Plan, subnetId: string, deviceId: string): NetworkFix {
  const subnet = plan.subnets.get(subnetId) as Subnet;
  const commands: Command[] = [{ kind: 'put-subnet', subnet: { ...subnet, querierIds: [deviceId] } }];
  return { does: 'set-querier', subnetId, deviceId, commands };
}

/** Routers of the subnet first, then the switches that its devices are plugged into. */
function querierCandidates(plan: Plan, subnetId: string): string[] {
  const canAsk = (id: string) => modelOf(plan, id)?.switching?.querier === true;
  const routers: string[] = [];
  const members = new Set<string>();
  for (const [deviceId, owned] of plan.interfaces) {
    for (const i of owned.values()) {
      if (i.subnetId !== subnetId) continue;
      if (i.name.startsWith('routed:')) routers.push(deviceId);
      else members.add(deviceId);
    }
  }
  const near = new Map<string, number>();
  for (const link of plan.links.values()) {
    for (const [a, b] of [
      [link.from, link.to],
      [link.to, link.from],
    ] as const) {
      if (members.has(a.deviceId) && modelOf(plan, b.deviceId)?.switching) {
        near.set(b.deviceId, (near.get(b.deviceId) ?? 0) + 1);
      }
    }
  }
  const byMembers = [...near].sort(([x, n], [y, m]) => m - n || (x < y ? -1 : 1)).map(([id]) => id);
  return [...new Set([...routers.sort(), ...byMembers])].filter(canAsk).slice(0, 2);
}

const dropDhcp = (subnet: Subnet): NetworkFix => ({
  does: 'drop-dhcp',
  subnetId: subnet.id,
  commands: [{ kind: 'put-subnet', subnet: { ...subnet, dhcp: null } }],
});

function widened(plan: Plan, subnetId: string): NetworkFix[] {
  const subnet = plan.subnets.get(subnetId);
  const block = parseCidr(subnet?.cidr ?? '');
  const wider = block === null ? null : doubled(block);
  if (!subnet || wider === null) return [];
  const fixes: NetworkFix[] = [];
  if (overlapping(plan, wider, [subnetId]).length === 0) {
    const cidr = cidrText(wider);
    fixes.push({
      does: 'resize-subnet',
      subnetId,
      cidr,
      commands: [{ kind: 'put-subnet', subnet: { ...subnet, cidr } }],
    });
  }
  return subnet.dhcp === null ? fixes : [...fixes, dropDhcp(subnet)];
}

/** The largest block within a subnet that holds all its addresses and overlaps none of the others. */
function narrowed(plan: Plan, subnetId: string, among: readonly string[]): NetworkFix[] {
  const subnet = plan.subnets.get(subnetId);
  const block = parseCidr(subnet?.cidr ?? '');
  if (!subnet || block === null) return [];
  const held = [...plan.interfaces.values()].flatMap((owned) =>
    [...owned.values()].flatMap((i) => (i.subnetId === subnetId && i.address ? [parseAddress(i.address)] : [])),
  );
  for (let prefix = block.prefix + 1; prefix <= 30; prefix += 1) {
    const mask = (0xffffffff << (32 - prefix)) >>> 0;
    // Where addresses are held the block must hold them; an empty subnet may move to any part of what it was.
    const parts = held.length > 0 ? 1 : Math.min(256, 2 ** (prefix - block.prefix));
    for (let part = 0; part < parts; part += 1) {
      const anchor = held[0] ?? block.base + part * 2 ** (32 - prefix);
      const smaller = { base: (anchor & mask) >>> 0, mask, prefix };
      if (held.some((a) => a === null || (a & mask) >>> 0 !== smaller.base)) return [];
      if (overlapping(plan, smaller, [subnetId]).some((id) => among.includes(id))) continue;
      const cidr = cidrText(smaller);
      return [
        { does: 'resize-subnet', subnetId, cidr, commands: [{ kind: 'put-subnet', subnet: { ...subnet, cidr } }] },
      ];
    }
  }
  return [];
}

function gatewayFixes(plan: Plan, subnet: Subnet): NetworkFix[] {
  const held = [...plan.interfaces.values()].flatMap((owned) =>
    [...owned.values()].filter((i) => i.subnetId === subnet.id && i.name.startsWith('routed:') && i.address !== null),
  );
  const gateways = [...held.map((i) => i.address as string), null];
  return gateways.map((gateway) => ({
    does: 'set-gateway',
    subnetId: subnet.id,
    gateway,
    commands: [{ kind: 'put-subnet', subnet: { ...subnet, gateway } }],
  }));
}

/** A router of one subnet gets an address in the other, so that the two are joined. */
export function routeFixes(plan: Plan, fromSubnetId: string, toSubnetId: string): NetworkFix[] {
  const routers = [...plan.interfaces]
    .filter(([id, owned]) => {
      const routing = modelOf(plan, id)?.switching?.routing ?? 'none';
      return routing !== 'none' && [...owned.values()].some((i) => i.subnetId === fromSubnetId && i.address !== null);
    })
    .map(([id]) => id)
    .sort();
  const address = freeAddressIn(plan, toSubnetId);
  if (address === null) return [];
  return routers.slice(0, 1).map((deviceId) => ({
    does: 'route-subnet',
    deviceId,
    subnetId: toSubnetId,
    address,
    commands: [
      {
        kind: 'put-interface',
        interface: { deviceId, name: `routed:${toSubnetId}`, subnetId: toSubnetId, address },
      },
    ],
  }));
}

function dropChoice(plan: Plan, streamId: string): NetworkFix[] {
  const slot = Number(streamId.slice(streamId.lastIndexOf('/') + 1));
  const senderDeviceId = senderOf(streamId);
  if (!plan.groupChoices.get(senderDeviceId)?.has(slot) || plan.sentStreams.get(senderDeviceId)?.has(slot)) return [];
  return [
    {
      does: 'drop-group-choice',
      streamId,
      commands: [{ kind: 'remove-group-choice', senderDeviceId, slot }],
    },
  ];
}

/** A stream that was sent keeps its groups: it gets the next one that no other stream was given by hand or was sent to. */
function takeNewGroup(plan: Plan, streamId: string, leg: Leg, group: string): NetworkFix[] {
  const slot = Number(streamId.slice(streamId.lastIndexOf('/') + 1));
  const senderDeviceId = senderOf(streamId);
  const pool = parseCidr(leg === 'A' ? plan.settings.poolA : plan.settings.poolB);
  const now = parseAddress(group);
  if (pool === null || now === null || !plan.sentStreams.get(senderDeviceId)?.has(slot)) return [];
  const choice = plan.groupChoices.get(senderDeviceId)?.get(slot);
  const used = new Set<number>();
  for (const table of [plan.groupChoices, plan.sentStreams]) {
    for (const owned of table.values()) {
      for (const record of owned.values()) {
        for (const text of [record.groupA, record.groupB]) {
          const parsed = text === null ? null : parseAddress(text);
          if (parsed !== null) used.add(ethernetGroupBits(parsed));
        }
      }
    }
  }
  const size = 2 ** (32 - pool.prefix);
  const start = isInBlock(now, pool) ? now - pool.base : 0;
  for (let step = 1; step < Math.min(size, 4096); step += 1) {
    const candidate = pool.base + ((start + step) % size);
    if (used.has(ethernetGroupBits(candidate)) || isReservedGroup(candidate)) continue;
    const text = formatAddress(candidate);
    const kept = { groupA: choice?.groupA ?? null, groupB: choice?.groupB ?? null };
    const groups = leg === 'A' ? { ...kept, groupA: text } : { ...kept, groupB: text };
    const commands: Command[] = [{ kind: 'put-group-choice', choice: { senderDeviceId, slot, ...groups } }];
    return [{ does: 'choose-group', streamId, group: text, commands }];
  }
  return [];
}

function setSpeed(plan: Plan, linkId: string, bitsPerSecond: number): NetworkFix[] {
  const link = plan.links.get(linkId);
  if (!link) return [];
  return [{ does: 'set-link-speed', linkId, bitsPerSecond, commands: [put({ ...link, bitsPerSecond })] }];
}

function cableFixes(link: Link): NetworkFix[] {
  return cablesFor(link.metres, link.bitsPerSecond)
    .filter((cable) => cable !== link.cable)
    .slice(0, 2)
    .map((cable) => ({ does: 'set-cable', linkId: link.id, cable, commands: [put({ ...link, cable })] }));
}

function overloadFixes(
  plan: Plan,
  finding: Extract<NetworkSubject, { about: 'overload' }>,
  lanesOf: LanesOfStream,
): NetworkFix[] {
  const link = plan.links.get(finding.linkId);
  if (!link) return [];
  const fixes: NetworkFix[] = [];
  const speedOf = (end: Link['from']) =>
    modelOf(plan, end.deviceId)?.ports.find((p) => p.name === end.port)?.bitsPerSecond ?? 0;
  const fastest = Math.min(speedOf(link.from), speedOf(link.to));
  if (fastest > link.bitsPerSecond) fixes.push(...setSpeed(plan, link.id, fastest));
  const needed = (finding.bitsPerSecond * 100) / finding.ceilingPercent;
  const percent = Math.floor(100 - (needed * 100) / link.bitsPerSecond);
  if (percent >= 0 && percent < link.setAsidePercent) {
    const commands = [put({ ...link, setAsidePercent: percent })];
    fixes.push({ does: 'lower-set-aside', linkId: link.id, percent, commands });
  }
  fixes.push(...joinFixes(plan, link));
  const channels = finding.topStreamIds.flatMap((id) => [...lanesOf(id)]);
  if (channels.length > 0) {
    const commands: Command[] = [{ kind: 'unsubscribe', channels }];
    fixes.push({ does: 'clear-streams', streamIds: finding.topStreamIds, lanes: channels.length, commands });
  }
  return fixes;
}

/** A second cable beside the first, as one link, where both switches can and have a socket free. */
function joinFixes(plan: Plan, link: Link): NetworkFix[] {
  const isAble = (id: string) => modelOf(plan, id)?.switching?.joinsLinks === true;
  if (!isAble(link.from.deviceId) || !isAble(link.to.deviceId)) return [];
  const wanted = { bitsPerSecond: link.bitsPerSecond };
  const portFrom = freePort(plan, link.from.deviceId, wanted);
  const portTo = freePort(plan, link.to.deviceId, wanted);
  if (portFrom === null || portTo === null) return [];
  const joinedAs = link.joinedAs ?? link.id;
  let n = 2;
  while (plan.links.has(`${link.id}-${n}`)) n += 1;
  const second: Link = {
    ...link,
    id: `${link.id}-${n}`,
    from: { ...link.from, port: portFrom },
    to: { ...link.to, port: portTo },
    joinedAs,
  };
  const commands = [put({ ...link, joinedAs }), put(second)];
  return [{ does: 'join-cable', linkId: link.id, portFrom, portTo, commands }];
}

/** Moves the far plug of a device's cable to another socket. */
function moved(link: Link, deviceId: string, switchId: string, port: string): Link {
  const isFromDevice = link.from.deviceId === deviceId;
  return isFromDevice ? { ...link, to: { deviceId: switchId, port } } : { ...link, from: { deviceId: switchId, port } };
}

function plugElsewhere(plan: Plan, linkId: string, deviceId: string, notSwitchId: string): NetworkFix[] {
  const link = plan.links.get(linkId);
  if (!link) return [];
  // Only where others of the same leg are plugged in: another switch may not carry the subnet.
  const role = modelOf(plan, deviceId)?.ports.find((p) => p.name === endAt(link, deviceId).port)?.role;
  const subnetId = role === undefined ? null : (interfacesOf(plan, deviceId).get(role)?.subnetId ?? null);
  return switchesOfSubnet(plan, subnetId, deviceId)
    .filter((id) => id !== notSwitchId)
    .flatMap((switchId) => {
      const port = freePort(plan, switchId, { bitsPerSecond: link.bitsPerSecond });
      if (port === null) return [];
      const commands = [put(moved(link, deviceId, switchId, port))];
      return [{ does: 'plug-elsewhere' as const, linkId, deviceId, switchId, port, commands }];
    })
    .slice(0, 2);
}

const endAt = (link: Link, deviceId: string) => (link.from.deviceId === deviceId ? link.from : link.to);

/** The switches into which other devices of a subnet are plugged, those with the most first; all where none is known. */
function switchesOfSubnet(plan: Plan, subnetId: string | null, exceptDeviceId: string): string[] {
  if (subnetId === null) return [...plan.devices.keys()].filter((id) => modelOf(plan, id)?.switching).sort();
  const counts = new Map<string, number>();
  for (const link of plan.links.values()) {
    for (const [own, far] of [
      [link.from, link.to],
      [link.to, link.from],
    ] as const) {
      if (own.deviceId === exceptDeviceId || !modelOf(plan, far.deviceId)?.switching) continue;
      const model = modelOf(plan, own.deviceId);
      if (model === undefined || model.switching) continue;
      const role = model.ports.find((p) => p.name === own.port)?.role;
      if (role === undefined || interfacesOf(plan, own.deviceId).get(role)?.subnetId !== subnetId) continue;
      counts.set(far.deviceId, (counts.get(far.deviceId) ?? 0) + 1);
    }
  }
  return [...counts].sort(([x, n], [y, m]) => m - n || (x < y ? -1 : 1)).map(([id]) => id);
}

/** Takes leg B of a sender away from a switch (or from wherever it is, when null). */
function plugSenderElsewhere(plan: Plan, senderId: string, switchId: string | null): NetworkFix[] {
  const port = modelOf(plan, senderId)?.ports.find((p) => p.role === 'B')?.name;
  const link = [...plan.links.values()].find(
    (l) => (l.from.deviceId === senderId && l.from.port === port) || (l.to.deviceId === senderId && l.to.port === port),
  );
  if (!link) return [];
  const far = link.from.deviceId === senderId ? link.to.deviceId : link.from.deviceId;
  if (switchId !== null && far !== switchId) return [];
  return plugElsewhere(plan, link.id, senderId, far);
}

function plugOnSame(plan: Plan, link: Link, deviceId: string): NetworkFix[] {
  const port = freePort(plan, deviceId, { bitsPerSecond: link.bitsPerSecond });
  if (port === null) return [];
  const isFrom = link.from.deviceId === deviceId;
  const after = isFrom ? { ...link, from: { deviceId, port } } : { ...link, to: { deviceId, port } };
  const other = isFrom ? link.to.deviceId : link.from.deviceId;
  return [
    { does: 'plug-elsewhere', linkId: link.id, deviceId: other, switchId: deviceId, port, commands: [put(after)] },
  ];
}

/** What would have to move so that the rest fits: the smallest device that makes enough room, else the hungriest. */
function powerFixes(plan: Plan, switchId: string): NetworkFix[] {
  const own = powerOf(plan).get(switchId);
  if (!own) return [];
  const over = own.reservedW - own.budgetW;
  const enough = own.ports.filter((p) => p.reservedW >= over).at(-1) ?? own.ports[0];
  const link = enough ? plan.links.get(enough.linkId) : undefined;
  const fixes: NetworkFix[] = [];
  if (enough && link) fixes.push(...plugWhereFed(plan, link, enough.deviceId, switchId).slice(0, 2));
  fixes.push(
    ...betterModels(plan, switchId, (s, ports) => {
      const used = own.ports.every((p) => {
        const port = ports.find((candidate) => candidate.name === p.port);
        return port !== undefined && feeds(port.givesPoeClass ?? null, p.takesClass);
      });
      return used && s.poeBudgetW >= own.reservedW;
    }),
  );
  return fixes;
}

/** Sockets of other switches that can feed the device and have power left, in the same subnet's neighbourhood first. */
function plugWhereFed(plan: Plan, link: Link, deviceId: string, notSwitchId: string): NetworkFix[] {
  const ownPort = endAt(link, deviceId).port;
  const port = modelOf(plan, deviceId)?.ports.find((p) => p.name === ownPort);
  const poeClass = port?.takesPoeClass ?? null;
  if (!port || poeClass === null) return [];
  const subnetId = interfacesOf(plan, deviceId).get(port.role)?.subnetId ?? null;
  const near = switchesOfSubnet(plan, subnetId, deviceId);
  const power = powerOf(plan);
  return near
    .filter((id) => id !== notSwitchId)
    .flatMap((switchId) => {
      const left = (power.get(switchId)?.budgetW ?? 0) - (power.get(switchId)?.reservedW ?? 0);
      const socket = freePort(plan, switchId, { bitsPerSecond: link.bitsPerSecond, poeClass });
      if (socket === null || left <= 0) return [];
      const commands = [put(moved(link, deviceId, switchId, socket))];
      return [{ does: 'plug-elsewhere' as const, linkId: link.id, deviceId, switchId, port: socket, commands }];
    });
}

/** Models of the plan or the catalogue that suit better and have every socket that is in use. */
function betterModels(
  plan: Plan,
  switchId: string,
  suits: (
    switching: NonNullable<(typeof CATALOGUE)[number]['switching']>,
    ports: (typeof CATALOGUE)[number]['ports'],
  ) => boolean,
): NetworkFix[] {
  const device = plan.devices.get(switchId);
  const current = modelOf(plan, switchId);
  if (!device || !current) return [];
  const used = new Set<string>();
  for (const link of plan.links.values()) {
    for (const end of [link.from, link.to]) if (end.deviceId === switchId) used.add(end.port);
  }
  const routes = [...interfacesOf(plan, switchId).keys()].some((name) => name.startsWith('routed:'));
  const models = new Map([...CATALOGUE, ...plan.models.values()].map((m) => [m.id, m]));
  return [...models.values()]
    .filter(({ id, switching, ports }) => {
      if (!switching || id === current.id || !suits(switching, ports)) return false;
      if (routes && switching.routing !== current.switching?.routing) return false;
      return [...used].every((name) => ports.some((p) => p.name === name));
    })
    .slice(0, 2)
    .map((model) => {
      const commands: Command[] = plan.models.has(model.id) ? [] : [{ kind: 'put-model', model }];
      commands.push({ kind: 'change-device', deviceId: switchId, change: { modelId: model.id } });
      if (plan.switches.has(switchId)) {
        commands.push({ kind: 'put-switch', settings: usualSwitchSettings(switchId, model, plan.settings) });
      }
      return { does: 'change-model' as const, deviceId: switchId, modelName: model.name, commands };
    });
}
