import { cablesOf, farEnd } from '../plan/sockets';
import { subnetOfPort } from '../network/delivery';
import { powerOf } from '../network/power';
import { switchSettingsOf } from '../network/switch-settings';
import { modelOf, interfacesOf, type Plan } from '../plan/plan';
import { isRouted } from '../network/interfaces-table';
import type { Subnet } from '../network/subnets-table';
import type { SwitchSettings } from '../network/switches-table';

/** How one socket of a switch is to be set. */
interface PortSetting {
  readonly port: string;
  readonly to: string | null;
  readonly bitsPerSecond: number;
  /** `access`: one VLAN, untagged; `trunk`: several, tagged; `unused`: off. */
  readonly mode: 'access' | 'trunk' | 'unused';
  /** VLAN numbers, or subnet names where a subnet has none. Empty on a trunk: all. */
  readonly vlans: readonly string[];
  readonly joinedAs: string | null;
  readonly poeWatts: number | null;
}

export interface SwitchSheet {
  readonly name: string;
  readonly model: string;
  readonly addresses: readonly { readonly subnet: string; readonly address: string; readonly isRouted: boolean }[];
  readonly settings: SwitchSettings;
  readonly vlans: readonly {
    readonly vlan: string;
    readonly name: string;
    readonly isQuerier: boolean;
    readonly querier: string | null;
  }[];
  readonly ports: readonly PortSetting[];
}

const vlanOf = (subnet: Subnet | undefined) => (subnet === undefined ? '' : String(subnet.vlan ?? subnet.name));

/** Everything that has to be set on one switch of the plan; null for what is no switch. */
export function switchSheetOf(plan: Plan, deviceId: string): SwitchSheet | null {
  const device = plan.devices.get(deviceId);
  const model = plan.models.get(device?.modelId ?? '');
  const settings = switchSettingsOf(plan, deviceId);
  if (device === undefined || model === undefined || settings === null) return null;
  const fed = new Map((powerOf(plan).get(deviceId)?.ports ?? []).map((p) => [p.port, p.reservedW]));
  const seen = new Set<string>();
  const ports = model.ports.map((port): PortSetting => {
    const link = cablesOf(plan, deviceId).get(port.name)?.[0];
    const base = { port: port.name, bitsPerSecond: link?.bitsPerSecond ?? port.bitsPerSecond };
    if (link === undefined) return { ...base, to: null, mode: 'unused', vlans: [], joinedAs: null, poeWatts: null };
    const far = farEnd(link, deviceId, port.name);
    const to = `${plan.devices.get(far.deviceId)?.name ?? far.deviceId} ${far.port}`;
    const common = { ...base, to, joinedAs: link.joinedAs, poeWatts: fed.get(port.name) ?? null };
    if (modelOf(plan, far.deviceId)?.switching) {
      for (const id of link.carries ?? []) seen.add(id);
      return { ...common, mode: 'trunk', vlans: (link.carries ?? []).map((id) => vlanOf(plan.subnets.get(id))) };
    }
    const subnetId = subnetOfPort(plan, far.deviceId, far.port);
    if (subnetId !== null) seen.add(subnetId);
    return { ...common, mode: 'access', vlans: subnetId === null ? [] : [vlanOf(plan.subnets.get(subnetId))] };
  });
  const addresses = [...interfacesOf(plan, deviceId).values()].flatMap((i) => {
    if (i.address === null) return [];
    if (i.subnetId !== null) seen.add(i.subnetId);
    const subnet = plan.subnets.get(i.subnetId ?? '')?.name ?? '';
    return [{ subnet, address: i.address, isRouted: isRouted(i) }];
  });
  const vlans = [...plan.subnets.values()]
    .filter((s) => seen.has(s.id) || s.querierIds.includes(deviceId))
    .sort((a, b) => (a.vlan ?? 0) - (b.vlan ?? 0))
    .map((s) => ({
      vlan: vlanOf(s),
      name: s.name,
      isQuerier: s.querierIds.includes(deviceId),
      querier: s.querierIds[0] === undefined ? null : (plan.devices.get(s.querierIds[0])?.name ?? s.querierIds[0]),
    }));
  return { name: device.name, model: model.name, addresses, settings, vlans, ports };
}

const PIM_WORDS = { sparse: 'sparse mode', 'source-specific': 'source-specific', dense: 'dense mode' } as const;
const TREE_WORDS = {
  one: 'one tree for all VLANs (RSTP)',
  several: 'several trees (MSTP)',
  'per-vlan': 'one tree per VLAN',
} as const;
const onOff = (is: boolean) => (is ? 'on' : 'off');

/** The sheet as plain text, in words that fit any maker's switch. One setting a line. */
export function switchSheetText(sheet: SwitchSheet): string {
  const { settings } = sheet;
  const lines = [
    `Switch            ${sheet.name}`,
    `Model             ${sheet.model}`,
    ...sheet.addresses.map((a) => `Address           ${a.address}  ${a.subnet}${a.isRouted ? '  (routed)' : ''}`),
    '',
    'IGMP',
    `  snooping        ${onOff(settings.snooping)}`,
    `  version         ${settings.igmpVersion}`,
    `  multicast routing (PIM)  ${onOff(settings.multicastRouting)}${settings.pimMode === null ? '' : `, ${PIM_WORDS[settings.pimMode]}`}`,
    ...(settings.rendezvousPoint === null ? [] : [`  rendezvous point         ${settings.rendezvousPoint}`]),
    ...sheet.vlans.map(
      (v) =>
        `  VLAN ${v.vlan.padEnd(6)}     querier ${onOff(v.isQuerier)}${v.isQuerier || v.querier === null ? '' : ` (${v.querier} asks)`}`,
    ),
    '',
    'DiffServ',
    `  trust marks     ${onOff(settings.trustsDscp)}`,
    ...[...settings.queueByDscp]
      .sort((a, b) => b.queue - a.queue)
      .map((q) => `  DSCP ${String(q.dscp).padEnd(6)}     queue ${q.queue}, strict priority`),
    '  all others      queue 0',
    '',
    'Links',
    `  energy-efficient Ethernet  ${onOff(settings.energySaving)}`,
    `  spanning tree   ${onOff(settings.spanningTree)}${settings.spanningTree ? `, ${TREE_WORDS[settings.spanningTrees]}` : ''}, bridge priority ${settings.bridgePriority}`,
    '',
    'VLANs',
    ...sheet.vlans.map((v) => `  ${v.vlan.padEnd(6)} ${v.name}`),
    '',
    'Sockets',
    ...sheet.ports.map((p) => {
      if (p.mode === 'unused') return `  ${p.port.padEnd(12)} off`;
      const vlans = p.vlans.length > 0 ? p.vlans.join(', ') : p.mode === 'trunk' ? 'all' : 'none';
      const extra = `${p.joinedAs === null ? '' : `, joined as ${p.joinedAs}`}${p.poeWatts ? `, PoE ${p.poeWatts} W` : ''}`;
      const how = p.mode === 'trunk' ? `tagged ${vlans}` : `untagged ${vlans}`;
      return `  ${p.port.padEnd(12)} ${speedText(p.bitsPerSecond).padEnd(9)} ${how}${extra}  ${p.to}`;
    }),
    '',
  ];
  return lines.join('\n');
}

const speedText = (bitsPerSecond: number) =>
  bitsPerSecond >= 1e9 ? `${bitsPerSecond / 1e9} Gb/s` : `${bitsPerSecond / 1e6} Mb/s`;
