import { isIn } from '@/core/findings/areas';
import { fitnessOf, type FitnessVerdict } from '@/core/network/fitness';
import { powerOf } from '@/core/network/power';
import { shareOf } from '@/core/network/loads';
import { subnetUse, type SubnetUse } from '@/core/network/subnets';
import type { Finding } from '@/core/findings/finding';
import type { Plan } from '@/core/plan/plan';
import { cablesOf } from '@/core/plan/sockets';
import type { Device } from '@/core/plan/devices-table';
import type { Link } from '@/core/network/links-table';
import type { Subnet } from '@/core/network/subnets-table';
import { deviceName } from '@/ui/parts/names';
import { filtered, type Search } from '@/ui/parts/find-text';
import { isInPlace } from '@/ui/parts/place';
import { NOTHING_WRONG, wrongBy, type Wrong } from '@/ui/parts/wrong';
import type { View } from '@/ui/session/plan-store';
import type { StreamView } from '@/workers/reckon-view';

/** What the sheets of the network stage show, row by row. */

/** The cables, devices, subnets and streams that a finding of the network is about. */
export function linkIdsOf(f: Finding): readonly string[] {
  return 'linkId' in f ? [f.linkId] : 'linkIds' in f ? f.linkIds : [];
}
export function subnetIdsOf(f: Finding): readonly string[] {
  if (f.about === 'answers-elsewhere') return f.planned.map((p) => p.subnetId);
  return 'subnetId' in f ? [f.subnetId] : 'subnetIds' in f ? f.subnetIds : [];
}
export function streamIdsOf(f: Finding): readonly string[] {
  if ('streamId' in f) return [f.streamId];
  if ('streamIds' in f) return f.streamIds;
  return f.about === 'group-collision' ? f.groups.map((g) => g.streamId) : [];
}

const textOf = (row: { readonly text: string }) => row.text;

export interface Flow {
  readonly bitsPerSecond: number;
  readonly share: number;
  readonly streams: number;
}

export interface CableRow {
  /** What a filter looks at. */
  readonly text: string;
  readonly link: Link;
  readonly from: string;
  readonly to: string;
  /** From `from` to `to`, and back. */
  readonly there: Flow;
  readonly back: Flow;
  readonly busiest: number;
  readonly isIdle: boolean;
  readonly wrong: Wrong;
}

export function cableRows(plan: Plan, view: View, search: Search, place: string | null): readonly CableRow[] {
  const { network } = view;
  const indexOf = new Map(network.linkIds.map((id, n) => [id, n]));
  const wrong = wrongBy(view.findings, linkIdsOf);
  const rows: CableRow[] = [];
  for (const link of plan.links.values()) {
    const ends = [plan.devices.get(link.from.deviceId), plan.devices.get(link.to.deviceId)];
    if (!ends.some((d) => isInPlace(plan, d?.placeId ?? null, place))) continue;
    const from = `${deviceName(plan, link.from.deviceId)} ${link.from.port}`;
    const to = `${deviceName(plan, link.to.deviceId)} ${link.to.port}`;
    const text = `${from} ${to} ${link.cable ?? ''} ${link.joinedAs ?? ''}`;
    const index = indexOf.get(link.id);
    const flow = (back: 0 | 1): Flow => {
      if (index === undefined) return { bitsPerSecond: 0, share: 0, streams: 0 };
      const bitsPerSecond = network.bitsPerSecond[2 * index + back] ?? 0;
      const streams = network.streams[2 * index + back] ?? 0;
      return { bitsPerSecond, share: shareOf(bitsPerSecond, network.usableBitsPerSecond[index] ?? 0), streams };
    };
    const there = flow(0);
    const back = flow(1);
    rows.push({
      text,
      link,
      from,
      to,
      there,
      back,
      busiest: Math.max(there.share, back.share),
      isIdle: network.idleLinkIds.has(link.id),
      wrong: wrong.get(link.id) ?? NOTHING_WRONG,
    });
  }
  return filtered(rows, search, textOf);
}

export interface SubnetRow {
  /** What a filter looks at. */
  readonly text: string;
  readonly subnet: Subnet;
  readonly use: SubnetUse;
  readonly queriers: string;
  readonly wrong: Wrong;
}

export function subnetRows(plan: Plan, view: View, search: Search): readonly SubnetRow[] {
  const wrong = wrongBy(view.findings, subnetIdsOf);
  const rows = [...plan.subnets.values()].map((subnet) => ({
    text: `${subnet.name} ${subnet.cidr} ${subnet.vlan ?? ''} ${subnet.role}`,
    subnet,
    use: subnetUse(plan, subnet),
    queriers: subnet.querierIds.map((id) => deviceName(plan, id)).join(', '),
    wrong: wrong.get(subnet.id) ?? NOTHING_WRONG,
  }));
  return filtered(rows, search, textOf);
}

export interface SwitchRow {
  /** What a filter looks at. */
  readonly text: string;
  readonly device: Device;
  readonly place: string;
  readonly modelName: string;
  readonly fitness: FitnessVerdict;
  readonly portsUsed: number;
  readonly ports: number;
  readonly groups: number;
  /** Null: not known. */
  readonly groupLimit: number | null;
  readonly watts: number;
  /** Null: not known. */
  readonly budgetW: number | null;
  readonly wrong: Wrong;
}

export function switchRows(plan: Plan, view: View, search: Search, place: string | null): readonly SwitchRow[] {
  const wrong = wrongBy(view.findings, (f) => (isIn('network', f) ? f.deviceIds : []));
  const power = powerOf(plan);
  const rows: SwitchRow[] = [];
  for (const device of plan.devices.values()) {
    const model = plan.models.get(device.modelId);
    if (!model?.switching || !isInPlace(plan, device.placeId, place)) continue;
    const where = plan.places.get(device.placeId ?? '')?.name ?? '';
    const groups = view.network.groupsAtSwitch.get(device.id) ?? 0;
    const fed = power.get(device.id);
    rows.push({
      text: `${device.name} ${model.name} ${where}`,
      device,
      place: where,
      modelName: model.name,
      fitness: fitnessOf(model, groups)?.verdict ?? 'fit',
      portsUsed: cablesOf(plan, device.id).size,
      ports: model.ports.length,
      groups,
      groupLimit: model.switching.groupTableSize,
      watts: fed?.reservedW ?? 0,
      budgetW: fed === undefined ? 0 : fed.budgetW,
      wrong: wrong.get(device.id) ?? NOTHING_WRONG,
    });
  }
  return filtered(rows, search, textOf);
}

export interface StreamRow {
  /** What a filter looks at. */
  readonly text: string;
  readonly stream: StreamView;
  readonly name: string;
  readonly wrong: Wrong;
}

export function streamRows(
  plan: Plan,
  view: View,
  streams: readonly StreamView[],
  search: Search,
  place: string | null,
): readonly StreamRow[] {
  const wrong = wrongBy(
    view.findings.filter((f) => isIn('network', f)),
    streamIdsOf,
  );
  const rows = streams
    .filter((s) => isInPlace(plan, plan.devices.get(s.senderDeviceId)?.placeId ?? null, place))
    .map((stream) => {
      const name = `${deviceName(plan, stream.senderDeviceId)} S${stream.streamNumber}`;
      const heardBy = stream.receiverIds.map((id) => deviceName(plan, id)).join(' ');
      const text = `${name} ${stream.groupA ?? ''} ${stream.groupB ?? ''} ${heardBy}`;
      return { text, stream, name, wrong: wrong.get(stream.id) ?? NOTHING_WRONG };
    });
  return filtered(rows, search, textOf);
}

export const dhcpText = (subnet: Subnet): string =>
  subnet.dhcp === null ? '' : `${subnet.dhcp.first} – ${shortEnd(subnet.dhcp.first, subnet.dhcp.last)}`;

/** The part of the second address in which it differs: `10.71.36.200 – .239`. */
function shortEnd(first: string, last: string): string {
  const a = first.split('.');
  const b = last.split('.');
  const n = a.findIndex((part, i) => part !== b[i]);
  return n <= 0 ? last : `.${b.slice(n).join('.')}`;
}
