import type { SentStream } from './sent-streams-table';
import type { StreamLayout } from './layouts-table';
import { LEGS, type Leg } from '../models/models-table';
import { formatKey, type StreamFormat } from './format';

/** A stream that packing keeps as it is for as long as any of its channels is wanted: it was sent, or laid out so. */
export interface KeptStream {
  readonly streamNumber: number;
  readonly channels: readonly number[];
  readonly format: StreamFormat;
  /** Null while it is only laid out. */
  readonly sent: SentStream | null;
  /** The legs on which it was sent, as far as its sender still has them: these stay, whoever leaves. */
  readonly legs: readonly Leg[];
  readonly isHeld: boolean;
  /** Somebody decided that it is so: it counts before what was only sent. */
  readonly isLaidOut: boolean;
}

const NOTHING_KEPT: readonly KeptStream[] = [];
const NO_LEGS: readonly Leg[] = [];

/**
 * What packing keeps of a sender, in the order in which it counts: layouts that are held or carry, then the other layouts,
 * then what was sent under numbers for which nothing is laid out.
 * @param senderLegs those on which the sender can send
 */
export function keptStreams(
  layouts: ReadonlyMap<number, StreamLayout>,
  sent: ReadonlyMap<number, SentStream>,
  senderLegs: readonly Leg[] = LEGS,
): readonly KeptStream[] {
  if (layouts.size === 0 && sent.size === 0) return NOTHING_KEPT;
  const legsOf = (was: SentStream) => senderLegs.filter((leg) => (leg === 'A' ? was.groupA : was.groupB) !== null);
  const byNumber = new Map<number, KeptStream>();
  for (const { streamNumber, channels, format, isHeld } of layouts.values()) {
    const was = sent.get(streamNumber);
    const isAsSent =
      was !== undefined && formatKey(was.format) === formatKey(format) && was.channels.join() === channels.join();
    const own = isAsSent ? { sent: was, legs: legsOf(was) } : { sent: null, legs: NO_LEGS };
    byNumber.set(streamNumber, { streamNumber, channels, format, isHeld, isLaidOut: true, ...own });
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
      isLaidOut: false,
      sent: was,
      legs: legsOf(was),
    }))
    .sort(inOrder);
  return [...laid, ...carried];
}
