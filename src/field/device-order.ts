import { fedChannels, type ChannelMap } from '../core/formats/is08';
import { CHANNELS_UNTOLD } from '../core/formats/is04';
import type { ChannelRange } from '../core/models/models-table';
import { modelOf, type Plan } from '../core/plan/plan';
import { inStep, streamFeeding } from '../core/streams/channel-order';
import type { FieldNode } from './field-resources';
import type { FieldSnapshot } from './field-snapshot';

/**
 * Devices that offer no channel map (IS-08): what their streams carry and feed is so for good, and known from their model alone.
 */

/** The order of one side of a device that offers no channel map; null: it has one, or nothing is known of its order. */
export function orderOf(
  plan: Plan,
  deviceId: string,
  side: 'send' | 'receive',
  node: FieldNode | undefined,
): readonly ChannelRange[] | null {
  const model = modelOf(plan, deviceId);
  if (model === undefined || (node?.device?.channelMapHrefs.length ?? 0) > 0) return null;
  return side === 'send' ? model.sendOrder : model.receiveOrder;
}

/** The order of a device that offers no channel map, as far as its sources and its receivers' caps tell; null: it offers one. */
export function foundOrder(
  { device, senders, receivers }: FieldNode,
  channelsOfSender: (senderId: string) => number | null,
): {
  readonly sendOrder: readonly ChannelRange[] | null;
  readonly receiveOrder: readonly ChannelRange[] | null;
} | null {
  if (device === null || device.channelMapHrefs.length > 0) return null;
  const widths = (all: readonly number[]) => (all.length === 0 ? null : inStep(all));
  return {
    sendOrder: widths(senders.map((s) => channelsOfSender(s.id) ?? CHANNELS_UNTOLD)),
    receiveOrder: widths(
      receivers.map(({ takes }) => Math.max(...takes.map((t) => t.channelsMax), 0) || CHANNELS_UNTOLD),
    ),
  };
}

type Fed = ReturnType<typeof fedChannels>[number];

/** The channels that each stream of a receiver feeds, whether anything is received there or not. */
export function fedInOrder(order: readonly ChannelRange[]): Fed[] {
  return order.flatMap(({ first, channels }, n) =>
    Array.from({ length: channels }, (_, k): Fed => ({
      channel: first + k,
      streamNumber: n + 1,
      position: k + 1,
    })).filter(({ channel, streamNumber }) => streamFeeding(order, channel)?.streamNumber === streamNumber),
  );
}

/** Channels that a device feeds from its streams: as its channel map has it, or where it offers none as its model does and something is received. */
export function fedNow(
  plan: Plan,
  deviceId: string,
  node: FieldNode | undefined,
  field: FieldSnapshot,
): readonly Fed[] {
  if (!node?.device) return [];
  const map: ChannelMap | undefined = field.channelMaps.get(node.device.id);
  if (map !== undefined) return fedChannels(map, node.receivers);
  const isOn = ({ streamNumber }: Fed) =>
    field.readings.get(node.receivers[streamNumber - 1]?.id ?? '')?.active.isEnabled === true;
  return fedInOrder(orderOf(plan, deviceId, 'receive', node) ?? []).filter(isOn);
}
