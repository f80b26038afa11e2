import { layoutsOf } from '../core/plan/plan';
import type { Reckoning } from '../core/reckon/reckoning';
import type { Stream } from '../core/streams/stream';
import type { PackedStream, PackedWhy } from './reckon-view';

/** Why a stream holds what it holds. */
export function packedStream(reckoning: Reckoning, stream: Stream): PackedStream {
  const { senderDeviceId, streamNumber, channels, format } = stream;
  const receivers = new Map<number, string[]>(channels.map((c) => [c, []]));
  for (const receiverId of stream.receiverDeviceIds) {
    const heard = new Set<number>();
    for (const { reception, subscription } of reckoning.lanesByReceiver.get(receiverId)?.values() ?? []) {
      if (reception?.stream === stream) heard.add(subscription.senderChannel);
    }
    for (const channel of heard) receivers.get(channel)?.push(receiverId);
  }
  const lists = [...receivers.values()].map((ids) => ids.join());
  return { senderDeviceId, streamNumber, channels, format, why: why(), idle: lists.filter((l) => l === '').length };

  function why(): PackedWhy {
    if (stream.isHeld) return 'held';
    if (stream.sent !== null) return 'as-sent';
    if (stream.unicastTo !== null) return 'unicast';
    if (layoutsOf(reckoning.plan, senderDeviceId).has(streamNumber)) return 'laid-out';
    return lists.every((l) => l === lists[0]) ? 'like-receivers' : 'joined';
  }
}
