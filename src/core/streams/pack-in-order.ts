import type { ChannelRange } from '../models/models-table';
import { channelsInOrder } from './channel-order';
import { numbered, type Draft } from './drafts';
import type { StreamFormat } from './format';
import { formatKey } from './format';
import type { KeptStream } from './kept-streams';
import { bringsRun, bringsRunWithOthers } from './map-limits';
import { inOrderOfReceivers } from './pack';
import { packingOf, type Packing, type Demand } from './packing';

/** One of the sender's streams and who receives it. */
interface Carried {
  readonly streamNumber: number;
  readonly channels: readonly number[];
  readonly kept: KeptStream | null;
  /** Null while nobody receives it: then it may still go out in any format. */
  format: { readonly key: string; readonly is: StreamFormat } | null;
  readonly receiving: Set<number>;
}

/**
 * As packSender for a sender without a channel map, whose streams carry the same channels for good: every receiver gets the fewest of
 * them in which it finds what it wants. What is in none of them, or only in one that is too wide or goes out in another format, has no place.
 * @param order the channels of each of its streams
 * @param isUnicast each stream goes to one receiver only
 */
export function packInOrder(
  senderDeviceId: string,
  order: readonly ChannelRange[],
  channelsSend: number,
  demands: readonly Demand[],
  kept: readonly KeptStream[],
  isUnicast: boolean,
): Packing {
  const ordered = inOrderOfReceivers(demands);
  const wantedFormats = new Set(ordered.map((w) => w.formatKey));
  const all = order.flatMap((range, n): Carried[] => {
    const channels = channelsInOrder(range, channelsSend);
    if (channels.length === 0) return [];
    const known = kept.find((k) => k.streamNumber === n + 1 && k.channels.join() === channels.join()) ?? null;
    // What carries keeps its format, as long as anyone wants that.
    const key = known === null ? null : formatKey(known.format);
    const isWanted = known !== null && key !== null && (wantedFormats.has(key) || known.isHeld);
    const format = isWanted ? { key, is: known.format } : null;
    return [{ streamNumber: n + 1, channels, kept: isWanted ? known : null, format, receiving: new Set<number>() }];
  });
  ordered.forEach((demand, index) => {
    const isOpen = (c: Carried) =>
      c.channels.length <= demand.channelsMax &&
      (c.format === null || c.format.key === demand.formatKey) &&
      (!isUnicast || c.receiving.size === 0 || c.receiving.has(index));
    const hear = (c: Carried) => {
      c.format ??= { key: demand.formatKey, is: demand.format };
      c.receiving.add(index);
    };
    if (demand.runs !== undefined) {
      for (const run of demand.runs) {
        const isFree = (c: Carried) => run.orderedFor === undefined || !c.receiving.has(index);
        const bringing = all.filter((c) => isOpen(c) && isFree(c) && bringsRunWithOthers(c.channels, run));
        const best = bringing.find((c) => bringsRun(c.channels, run)) ?? bringing[0];
        if (best !== undefined) hear(best);
      }
      return;
    }
    const left = new Set(demand.senderChannels);
    while (left.size > 0) {
      let best: Carried | null = null;
      let most = 0;
      for (const c of all) {
        const gain = isOpen(c) ? c.channels.filter((channel) => left.has(channel)).length : 0;
        // Of equals one that goes out already.
        if (gain < most || gain === 0 || (gain === most && (c.format === null || best?.format !== null))) continue;
        best = c;
        most = gain;
      }
      if (best === null) break;
      hear(best);
      for (const channel of best.channels) left.delete(channel);
    }
  });
  const drafts = all.flatMap(({ streamNumber, channels, kept: known, format, receiving }): Draft[] => {
    if (format === null || receiving.size === 0) return [];
    const receivers = [...receiving].sort((a, b) => a - b);
    const draft = { format: format.is, channels: [...channels], receivers, inOrderFor: receivers, kept: known };
    return [{ ...draft, streamNumber, channelsMax: channels.length }];
  });
  const streams = numbered(senderDeviceId, drafts, ordered);
  return packingOf(streams);
}
