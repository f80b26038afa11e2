import type { Plan } from '@/core/plan/plan';
import type { LaneState } from '@/field/lane-state';
import { isAtEdge } from './loom';
import { leastShown, searchFor, withSlips, type Rank } from '@/ui/parts/find-text';
import { isInPlace } from '@/ui/parts/place';
import { channelName } from '@/ui/parts/names';
import type { FieldView, View } from '@/ui/session/plan-store';
import { evidenceOf, stateOf } from '@/ui/session/shown';

/** One line of the lane sheet: the head of a receiving device, or one of its channels. */
export type LaneRow =
  | { readonly kind: 'head'; readonly deviceId: string; readonly shown: number }
  | { readonly kind: 'channel'; readonly deviceId: string; readonly channel: number };

export type ChannelRow = Extract<LaneRow, { kind: 'channel' }>;
export type SortColumn = 'channel' | 'label' | 'state' | 'hears' | 'stream' | 'rate' | 'offset';
export interface Sort {
  readonly column: SortColumn;
  readonly isDescending: boolean;
}
export type StateFilter = 'any' | 'free' | 'fed' | LaneState;

export interface RowFilter {
  readonly text: string;
  readonly placeId: string | null;
  /** Edges of the loom: only lanes from one, into the other. */
  readonly from: string | null;
  readonly to: string | null;
  readonly state: StateFilter;
  readonly sort: Sort;
  readonly folded: ReadonlySet<string>;
}

export const rowKey = (deviceId: string, channel: number) => `${deviceId}:${channel}`;

/** The rows to show: devices with receiver channels by place and name, each with the channels that pass the filter. */
export function laneRows(plan: Plan, view: View, field: FieldView, filter: RowFilter): LaneRow[] {
  const search = searchFor(filter.text);
  const devices: { readonly deviceId: string; readonly channels: number[]; readonly ranks: number[] }[] = [];
  let best: Rank = 0;
  const missed: { readonly deviceId: string; readonly channel: number; readonly text: string }[] = [];
  for (const device of receivingDevices(plan, filter.placeId)) {
    if (!isAtEdge(plan, device.id, filter.to)) continue;
    const count = plan.models.get(device.modelId)?.channelsReceive ?? 0;
    const lanes = view.lanes.get(device.id);
    const place = plan.places.get(device.placeId ?? '')?.name ?? '';
    const deviceText = `${device.name} ${place}`;
    const channels: number[] = [];
    const ranks: number[] = [];
    for (let channel = 1; channel <= count; channel += 1) {
      const lane = lanes?.get(channel);
      if (filter.from !== null && (lane === undefined || !isAtEdge(plan, lane.senderDeviceId, filter.from))) continue;
      if (filter.state !== 'any') {
        const isFree = lane === undefined;
        if (filter.state === 'free' ? !isFree : isFree) continue;
        if (
          lane !== undefined &&
          filter.state !== 'fed' &&
          stateOf(lane, evidenceOf(field, device.id, channel)) !== filter.state
        )
          continue;
      }
      if (!search.isEmpty) {
        const own = channelName(plan, device.id, 'receive', channel);
        const heard = lane
          ? `${plan.devices.get(lane.senderDeviceId)?.name ?? ''} ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
          : '';
        const laneText = `${deviceText} ${own} ${heard}`;
        const rank = search.rank(laneText);
        if (rank === 0) {
          if (best === 0) missed.push({ deviceId: device.id, channel, text: laneText });
          continue;
        }
        if (rank > best) best = rank;
        ranks.push(rank);
      }
      channels.push(channel);
    }
    if (channels.length > 0) devices.push({ deviceId: device.id, channels, ranks });
  }
  if (devices.length === 0) {
    const found = withSlips(
      search,
      missed.map((m) => m.text),
    ).map((n) => missed[n] as (typeof missed)[number]);
    for (const { deviceId, channel } of found) {
      const last = devices.at(-1);
      if (last?.deviceId === deviceId) {
        last.channels.push(channel);
        last.ranks.push(1);
      } else devices.push({ deviceId, channels: [channel], ranks: [1] });
    }
  }
  const least = leastShown(search, best);
  const rows: LaneRow[] = [];
  for (const { deviceId, channels: passing, ranks } of devices) {
    const channels = search.isEmpty ? passing : passing.filter((_, n) => (ranks[n] as number) >= least);
    if (channels.length === 0) continue;
    sortChannels(channels, plan, view, field, deviceId, filter.sort);
    rows.push({ kind: 'head', deviceId, shown: channels.length });
    if (filter.folded.has(deviceId)) continue;
    for (const channel of channels) rows.push({ kind: 'channel', deviceId, channel });
  }
  return rows;
}

function receivingDevices(plan: Plan, placeId: string | null) {
  const placeName = (id: string | null) => plan.places.get(id ?? '')?.name ?? '';
  return [...plan.devices.values()]
    .filter((d) => (plan.models.get(d.modelId)?.channelsReceive ?? 0) > 0 && isInPlace(plan, d.placeId, placeId))
    .map((d) => ({ device: d, place: placeName(d.placeId) }))
    .sort((a, b) => compare(a.place, b.place) || compare(a.device.name, b.device.name))
    .map(({ device }) => device);
}

const collator = new Intl.Collator('en', { numeric: true });
const compare = (a: string, b: string) => collator.compare(a, b);

function sortChannels(
  channels: number[],
  plan: Plan,
  view: View,
  field: FieldView,
  deviceId: string,
  sort: Sort,
): void {
  if (sort.column === 'channel' && !sort.isDescending) return;
  const lanes = view.lanes.get(deviceId);
  const keyOf = (channel: number): string | number => {
    const lane = lanes?.get(channel);
    switch (sort.column) {
      case 'channel':
        return channel;
      case 'label':
        return channelName(plan, deviceId, 'receive', channel);
      case 'state':
        return lane ? stateOf(lane, evidenceOf(field, deviceId, channel)) : '';
      case 'hears':
        return lane
          ? `${plan.devices.get(lane.senderDeviceId)?.name ?? ''} ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
          : '';
      case 'stream':
        return lane?.streamId ? `${lane.streamId} ${lane.position ?? 0}` : '';
      case 'rate':
        return lane ? (plan.devices.get(lane.senderDeviceId)?.rateHz ?? 0) : 0;
      case 'offset':
        return lane?.offsetNs ?? 0;
    }
  };
  const keys = new Map(channels.map((c) => [c, keyOf(c)]));
  const sign = sort.isDescending ? -1 : 1;
  channels.sort((a, b) => {
    const x = keys.get(a) as string | number;
    const y = keys.get(b) as string | number;
    const order = typeof x === 'number' && typeof y === 'number' ? x - y : compare(String(x), String(y));
    return order === 0 ? a - b : order * sign;
  });
}
