import type { Command } from '../plan/commands';
import { freeAddressIn } from '../plan/free';
import { interfacesOf, modelOf, type Plan } from '../plan/plan';
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
import type { Finding, NetworkSubject } from './finding';
import { dropChoice, senderOf, takeNewGroup } from './group-fixes';
import type { LanesOfStream, NetworkFix } from './network-fix';
import { plugWhereFed, powerFixes } from './power-fixes';
import { dropDhcp, gatewayFixes, narrowed, querierCandidates, routeFixes, setQuerier, widened } from './subnet-fixes';
import { betterModels, setSwitch } from './switch-fixes';

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
