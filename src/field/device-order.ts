import { fedChannels, type ChannelMap } from '../core/formats/is08';
import type { ChannelRange } from '../core/models/models-table';
import { modelOf, type Plan } from '../core/plan/plan';
import { streamFeeding } from '../core/streams/channel-order';
import type { FieldNode } from './field-resources';
import type { FieldSnapshot } from './follower';

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

type Fed = ReturnType<typeof fedChannels>[number];

/** The channels that each stream of a receiver feeds, whether anything is heard there or not. */
export function fedInOrder(order: readonly ChannelRange[]): Fed[] {
  return order.flatMap(({ first, channels }, n) =>
    Array.from({ length: channels }, (_, k): Fed => ({
      channel: first + k,
      streamNumber: n + 1,
      position: k + 1,
    })).filter(({ channel, streamNumber }) => streamFeeding(order, channel)?.streamNumber === streamNumber),
  );
}

/** Channels that a device feeds from its streams: as its channel map has it, or where it offers none as its model does and something is heard. */
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
