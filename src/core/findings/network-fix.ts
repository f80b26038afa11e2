import type { Command } from '../plan/commands';
import type { Cable, Link } from '../network/links-table';

/** A way out of a finding about the network. */
export type NetworkFix = { readonly commands: readonly Command[] } & (
  | { readonly does: 'set-switch'; readonly deviceId: string; readonly what: SwitchChange }
  | { readonly does: 'set-querier'; readonly deviceId: string; readonly subnetId: string }
  | { readonly does: 'resize-subnet'; readonly subnetId: string; readonly cidr: string }
  | { readonly does: 'set-vlan'; readonly subnetId: string; readonly vlan: number }
  | { readonly does: 'cable-control'; readonly cables: number }
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
  /** Lets the VLANs of these subnets pass these cables too. */
  | { readonly does: 'carry-too'; readonly subnetIds: readonly string[]; readonly linkIds: readonly string[] }
  /** Sets other routers as this one is. */
  | { readonly does: 'pim-alike'; readonly deviceId: string; readonly switchIds: readonly string[] }
  | { readonly does: 'tree-per-vlan'; readonly switchIds: readonly string[] }
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
  | 'energy-saving-off'
  | 'trust-dscp'
  | 'usual-queues'
  | 'spanning-tree-on'
  | 'snooping-on'
  | 'multicast-routing-on'
  | 'igmp-3'
  | 'pim-sparse';

/** Lanes of a stream, so that a fix can clear them; given by who asks, as the core's findings hold only ids. */
export type LanesOfStream = (streamId: string) => readonly { readonly deviceId: string; readonly channel: number }[];
