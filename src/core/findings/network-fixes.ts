import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import type { Link } from '../network/links-table';
import { cablesOf } from '../plan/sockets';
import { freeAddressIn } from '../edits/free';
import { isRouted } from '../network/interfaces-table';
import { switchSettingsOf } from '../network/switch-settings';
import { interfacesOf, modelOf } from '../plan/plan';
import {
  cableFixes,
  overloadFixes,
  plugElsewhere,
  plugOnSame,
  plugSenderElsewhere,
  put,
  removeLink,
  setSpeed,
} from './cable-fixes';
import type { NetworkSubject } from './network-subject';
import { likelySwitches, proposeCables } from '../edits/propose-cables';
import { freeVlan } from '../edits/propose-addresses';
import { tried, untried, type WaysOut } from './rule';
import { addressFix } from './address-fixes';
import { dropChoice, senderOf, takeNewGroup } from './group-fixes';
import type { NetworkFix } from './network-fix';

import { plugWhereFed, powerFixes } from './power-fixes';
import { dropDhcp, gatewayFixes, narrowed, querierCandidates, routeFixes, setQuerier, widened } from './subnet-fixes';
import { betterModels, ownAddressOf, setSwitch } from './switch-fixes';

/** The fixes for a finding about the network, the gentlest first. */
/** How long a cable is taken to be that nobody has measured. */
const CONTROL_METRES = 10;

const otherEnd = ({ from, to }: Link, deviceId: string) => (from.deviceId === deviceId ? to.deviceId : from.deviceId);

export const NETWORK_WAYS: WaysOut<NetworkSubject['about']> = {
  'address-in-dhcp-range': untried((plan, finding) => {
    const subnet = plan.subnets.get(finding.subnetId);
    const own = interfacesOf(plan, finding.deviceIds[0] ?? '').get(finding.interface);
    return [...addressFix(plan, own), ...(subnet ? [dropDhcp(subnet)] : [])];
  }),
  'answers-elsewhere': untried((plan, { deviceIds: [deviceId = ''], subnetId, address }) => {
    // Which of several interfaces it is that answers there nobody can tell from here.
    const own = [...interfacesOf(plan, deviceId).values()].filter((i) => !isRouted(i));
    const [only] = own;
    if (subnetId === null || only === undefined || own.length > 1) return [];
    const commands = [{ kind: 'put-interface' as const, interface: { ...only, subnetId, address } }];
    return [{ does: 'give-address', deviceId, interface: only.name, address, commands }];
  }),
  'subnet-full': untried((plan, finding) => widened(plan, finding.subnetId)),
  'subnets-overlap': untried((plan, finding) =>
    finding.subnetIds.flatMap((id) => narrowed(plan, id, finding.subnetIds)),
  ),
  'legs-on-one-vlan': untried((plan, { subnetIds: [, legB], vlan: shared }) => {
    const subnet = plan.subnets.get(legB);
    const vlan = freeVlan(plan, shared);
    if (subnet === undefined || vlan === null) return [];
    return [
      { does: 'set-vlan', subnetId: legB, vlan, commands: [{ kind: 'put-subnet', subnet: { ...subnet, vlan } }] },
    ];
  }),
  // Each into the switch of its first leg, or the nearest like it that has ports left.
  'control-unplugged': tried((plan, { deviceIds }) => {
    const commands: Command[] = [];
    let now = plan;
    for (const deviceId of deviceIds) {
      const own = [...cablesOf(now, deviceId).values()].flat().map((link) => otherEnd(link, deviceId));
      const switches = [...own, likelySwitches(now, [deviceId]).control, ...now.devices.keys()];
      for (const switchId of switches) {
        if (switchId === null || modelOf(now, switchId)?.switching == null) continue;
        const wish = { deviceIds: [deviceId], switchByRole: { control: switchId }, metres: CONTROL_METRES };
        const cabled = proposeCables(now, wish);
        const applied = cabled.links.length === 0 ? null : applyCommands(now, cabled.commands);
        if (applied?.ok !== true) continue;
        now = applied.plan;
        commands.push(...cabled.commands);
        break;
      }
    }
    return commands.length === 0 ? [] : [{ does: 'cable-control', cables: deviceIds.length, commands }];
  }),
  // Which cables are to carry it is a design of its own.
  'management-apart': untried(() => []),
  'no-querier': untried((plan, finding) =>
    querierCandidates(plan, finding.subnetId).map((id) => setQuerier(plan, finding.subnetId, id)),
  ),
  'two-queriers': untried((plan, finding) =>
    [finding.winnerId, ...finding.switchIds]
      .filter((id, n, all): id is string => id !== null && all.indexOf(id) === n)
      .map((id) => setQuerier(plan, finding.subnetId, id)),
  ),
  'gateway-nobody': untried((plan, finding) => {
    const subnet = plan.subnets.get(finding.subnetId);
    return subnet ? gatewayFixes(plan, subnet) : [];
  }),
  'control-apart': tried((plan, finding) =>
    [
      ...routeFixes(plan, finding.mediaSubnetId, finding.controlSubnetId),
      ...routeFixes(plan, finding.controlSubnetId, finding.mediaSubnetId),
    ].slice(0, 2),
  ),
  'legs-in-one-network': untried((plan, finding) => {
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
  }),
  'legs-at-one-switch': tried((plan, finding) =>
    plugElsewhere(plan, finding.linkIds[1], finding.deviceIds[0] ?? '', finding.switchId),
  ),
  // Whoever has both legs there, a sender or a receiver.
  'legs-share-switch': tried((plan, finding) =>
    finding.deviceIds
      .filter((id) => id !== finding.switchId)
      .flatMap((id) => plugSenderElsewhere(plan, id, finding.switchId)),
  ),
  'legs-share-cable': tried((plan, finding) =>
    finding.streamIds.slice(0, 1).flatMap((id) => plugSenderElsewhere(plan, senderOf(id), null)),
  ),
  'link-unfit': untried((plan, finding) => {
    const link = plan.links.get(finding.linkId);
    if (!link) return [];
    if (finding.why === 'half-duplex') {
      return [{ does: 'set-duplex', linkId: link.id, duplex: 'full', commands: [put({ ...link, duplex: 'full' })] }];
    }
    return cableFixes(link);
  }),
  'energy-saving': untried((plan, finding) =>
    finding.isFixed
      ? betterModels(plan, finding.switchId, (s) => s.energySaving !== 'fixed')
      : [setSwitch(plan, finding.switchId, 'energy-saving-off')],
  ),
  'snooping-off': untried((plan, finding) =>
    finding.canSnoop
      ? [setSwitch(plan, finding.switchId, 'snooping-on')]
      : betterModels(plan, finding.switchId, (s) => s.snooping),
  ),
  'dscp-untrusted': untried((plan, finding) =>
    finding.canTrust
      ? [setSwitch(plan, finding.switchId, 'trust-dscp')]
      : betterModels(plan, finding.switchId, (s) => s.dscpTrust),
  ),
  'queue-mapping': untried((plan, finding) =>
    finding.queues >= 2
      ? [setSwitch(plan, finding.switchId, 'usual-queues')]
      : betterModels(plan, finding.switchId, (s) => s.queues >= 3),
  ),
  'group-table-full': untried((plan, finding) =>
    betterModels(plan, finding.switchId, (s) => s.groupTableSize !== null && s.groupTableSize >= finding.wanted),
  ),
  'group-collision': tried((plan, finding) =>
    finding.groups.flatMap((g) => [...dropChoice(plan, g.streamId), ...takeNewGroup(plan, g.streamId, g.leg, g.group)]),
  ),
  'group-reserved': tried((plan, finding) => [
    ...dropChoice(plan, finding.streamId),
    ...takeNewGroup(plan, finding.streamId, finding.leg, finding.group),
  ]),
  overload: tried((plan, finding, lanesOf) => overloadFixes(plan, finding, lanesOf)),
  loop: untried((plan, finding) => [
    ...finding.switchIds.flatMap((id) =>
      modelOf(plan, id)?.switching?.spanningTree ? [setSwitch(plan, id, 'spanning-tree-on')] : [],
    ),
    ...finding.linkIds.map((id): NetworkFix => removeLink(id)),
  ]),
  'igmp-without-sources': untried((plan, finding) => [setSwitch(plan, finding.switchId, 'igmp-3')]),
  'igmp-versions-differ': untried((plan, finding) => finding.switchIds.map((id) => setSwitch(plan, id, 'igmp-3'))),
  'pim-any-source': untried((plan, finding) =>
    ownAddressOf(plan, finding.switchId) === null ? [] : [setSwitch(plan, finding.switchId, 'pim-sparse')],
  ),
  'pim-no-rendezvous': untried((plan, finding) =>
    ownAddressOf(plan, finding.switchId) === null ? [] : [setSwitch(plan, finding.switchId, 'pim-sparse')],
  ),
  'pim-differs': untried((plan, finding) => {
    const [first, ...others] = finding.deviceIds.flatMap((id) => switchSettingsOf(plan, id) ?? []);
    if (first === undefined) return [];
    const { pimMode, rendezvousPoint } = first;
    const commands = others.map((s): Command => ({ kind: 'put-switch', settings: { ...s, pimMode, rendezvousPoint } }));
    return [{ does: 'pim-alike', deviceId: first.id, switchIds: others.map((s) => s.id), commands }];
  }),
  'vlan-cut': untried((plan, finding) => [
    {
      does: 'carry-too',
      subnetIds: finding.subnetIds,
      linkIds: finding.openLinkIds,
      commands: finding.openLinkIds.flatMap((id): Command[] => {
        const link = plan.links.get(id);
        if (link === undefined || link.carries === null) return [];
        const carries = [...new Set([...link.carries, ...finding.subnetIds])];
        return [{ kind: 'put-link', link: { ...link, carries } }];
      }),
    },
    {
      does: 'tree-per-vlan',
      switchIds: finding.oneTreeIds,
      commands: finding.oneTreeIds.flatMap((id): Command[] => {
        const settings = switchSettingsOf(plan, id);
        return settings === null ? [] : [{ kind: 'put-switch', settings: { ...settings, spanningTrees: 'per-vlan' } }];
      }),
    },
  ]),
  'poe-budget': tried((plan, finding) => powerFixes(plan, finding.switchId)),
  'poe-class': tried((plan, finding) => {
    const link = plan.links.get(finding.linkId);
    const deviceId = finding.deviceIds[0] ?? '';
    const switchId = finding.deviceIds[1] ?? '';
    return link ? plugWhereFed(plan, link, deviceId, switchId).slice(0, 2) : [];
  }),
  'port-twice': untried((plan, finding) => {
    return finding.linkIds.slice(1).flatMap((linkId) => {
      const link = plan.links.get(linkId);
      const deviceId = finding.deviceIds[0] ?? '';
      return [...(link ? plugOnSame(plan, link, deviceId) : []), removeLink(linkId)];
    });
  }),
  'cable-too-long': untried((plan, finding) => {
    const link = plan.links.get(finding.linkId);
    return link ? cableFixes(link) : [];
  }),
  'link-too-fast': untried((plan, finding) => setSpeed(plan, finding.linkId, finding.portBitsPerSecond)),
  'discovery-local': untried(() => [
    { does: 'use-registry', commands: [{ kind: 'change-settings', settings: { discovery: 'registry' } }] },
  ]),
  'late-by-queueing': untried((plan, finding) => {
    const offsetNs = Math.ceil((finding.neededNs + finding.queueNs) / 250_000) * 250_000;
    const deviceId = finding.receiverDeviceId;
    const commands: Command[] = [{ kind: 'change-device', deviceId, change: { linkOffsetNs: offsetNs } }];
    return [{ does: 'link-offset', deviceId, offsetNs, commands }];
  }),
  'link-slower': untried((plan, finding) => setSpeed(plan, finding.linkId, finding.foundBitsPerSecond)),
  'link-half-duplex-found': untried((plan, finding) => {
    const link = plan.links.get(finding.linkId);
    if (!link) return [];
    return [{ does: 'set-duplex', linkId: link.id, duplex: 'half', commands: [put({ ...link, duplex: 'half' })] }];
  }),
};
