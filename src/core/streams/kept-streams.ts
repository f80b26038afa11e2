import type { SentStream } from './sent-streams-table';
import type { StreamLayout } from './layouts-table';
import { formatKey, type StreamFormat } from './format';

/** A stream that packing keeps as it is for as long as any of its channels is wanted: it was sent, or laid out so. */
export interface KeptStream {
  readonly slot: number;
  readonly channels: readonly number[];
  readonly format: StreamFormat;
  /** Null while it is only laid out. */
  readonly sent: SentStream | null;
  readonly isHeld: boolean;
}

/**
 * What packing keeps of a sender, in the order in which it counts: layouts that are held or carry, then the other layouts,
 * then what was sent in slots for which nothing is laid out.
 */
export function keptStreams(layouts: Iterable<StreamLayout>, sent: ReadonlyMap<number, SentStream>): KeptStream[] {
  const bySlot = new Map<number, KeptStream>();
  for (const { slot, channels, format, isHeld } of layouts) {
    const was = sent.get(slot);
    const isAsSent =
      was !== undefined && formatKey(was.format) === formatKey(format) && was.channels.join() === channels.join();
    bySlot.set(slot, { slot, channels, format, isHeld, sent: isAsSent ? was : null });
  }
  const inOrder = (a: KeptStream, b: KeptStream) => a.slot - b.slot;
  const isFirst = (k: KeptStream) => k.isHeld || k.sent !== null;
  const laid = [...bySlot.values()].sort((a, b) => Number(isFirst(b)) - Number(isFirst(a)) || inOrder(a, b));
  const carried = [...sent.values()]
    .filter(({ slot }) => !bySlot.has(slot))
    .map((was): KeptStream => ({
      slot: was.slot,
      channels: was.channels,
      format: was.format,
      isHeld: false,
      sent: was,
    }))
    .sort(inOrder);
  return [...laid, ...carried];
}
