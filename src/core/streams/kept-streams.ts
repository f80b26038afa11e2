import type { SentStream } from './sent-streams-table';
import type { StreamLayout } from './layouts-table';
import { formatKey, type StreamFormat } from './format';

/** A stream that packing keeps as it is for as long as any of its channels is wanted: it was sent, or laid out so. */
export interface KeptStream {
  readonly streamNumber: number;
  readonly channels: readonly number[];
  readonly format: StreamFormat;
  /** Null while it is only laid out. */
  readonly sent: SentStream | null;
  readonly isHeld: boolean;
}

const NOTHING_KEPT: readonly KeptStream[] = [];

/**
 * What packing keeps of a sender, in the order in which it counts: layouts that are held or carry, then the other layouts,
 * then what was sent under numbers for which nothing is laid out.
 */
export function keptStreams(
  layouts: ReadonlyMap<number, StreamLayout>,
  sent: ReadonlyMap<number, SentStream>,
): readonly KeptStream[] {
  if (layouts.size === 0 && sent.size === 0) return NOTHING_KEPT;
  const byNumber = new Map<number, KeptStream>();
  for (const { streamNumber, channels, format, isHeld } of layouts.values()) {
    const was = sent.get(streamNumber);
    const isAsSent =
      was !== undefined && formatKey(was.format) === formatKey(format) && was.channels.join() === channels.join();
    byNumber.set(streamNumber, { streamNumber, channels, format, isHeld, sent: isAsSent ? was : null });
  }
  const inOrder = (a: KeptStream, b: KeptStream) => a.streamNumber - b.streamNumber;
  const isFirst = (k: KeptStream) => k.isHeld || k.sent !== null;
  const laid = [...byNumber.values()].sort((a, b) => Number(isFirst(b)) - Number(isFirst(a)) || inOrder(a, b));
  const carried = [...sent.values()]
    .filter(({ streamNumber }) => !byNumber.has(streamNumber))
    .map((was): KeptStream => ({
      streamNumber: was.streamNumber,
      channels: was.channels,
      format: was.format,
      isHeld: false,
      sent: was,
    }))
    .sort(inOrder);
  return [...laid, ...carried];
}
