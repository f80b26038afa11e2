import { type Leg } from '../models/models-table';
import type { StreamGroups } from './stream-groups';
import type { SentStream } from './sent-streams-table';
import type { Essence } from './essence';
import { type StreamFormat } from './format';

/** In place of a sender channel: a position of a stream that is left empty. */
export const NOTHING = 0;

/** One RTP stream of the stream plan: some of a sender's channels in one format, on one or two legs. */
export interface Stream {
  /** `<sender device id>/<streamNumber>`. */
  readonly id: string;
  readonly senderDeviceId: string;
  /** Which of the sender's streams it is, from 1. Above the sender's budget the stream cannot be sent. */
  readonly streamNumber: number;
  /** Sender channels in their order within the stream; 0 (`NOTHING`) where a position is left empty. */
  readonly channels: readonly number[];
  /** Channels on the wire: as many as `channels`, one more where the encoding wants an even count, or what the sender says that it sends. */
  readonly width: number;
  readonly essence: Essence;
  readonly format: StreamFormat;
  readonly formatKey: string;
  readonly legs: readonly Leg[];
  readonly receiverDeviceIds: readonly string[];
  /** Where its packets go when each receiver gets a copy of its own; null: to a group. */
  readonly unicastTo: StreamGroups | null;
  /** The record of when it was last sent, when packing kept it. */
  readonly sent: SentStream | null;
  /** Held by hand: packing never touches it. */
  readonly isHeld: boolean;
  /** Where its groups are looked for first. */
  readonly groupSeed: number;
  /** Some of its receivers can be fed from it only because its channels stand just so: repacking leaves it. */
  readonly isInOrder: boolean;
}

/** Whether two streams would be told apart by any device. */
export function isSameStream(a: Stream, b: Stream): boolean {
  return (
    a.id === b.id &&
    a.formatKey === b.formatKey &&
    a.sent === b.sent &&
    a.isHeld === b.isHeld &&
    a.isInOrder === b.isInOrder &&
    a.unicastTo?.A === b.unicastTo?.A &&
    a.unicastTo?.B === b.unicastTo?.B &&
    a.channels.length === b.channels.length &&
    a.channels.every((c, i) => c === b.channels[i]) &&
    a.legs.join() === b.legs.join() &&
    a.receiverDeviceIds.length === b.receiverDeviceIds.length &&
    a.receiverDeviceIds.every((r, i) => r === b.receiverDeviceIds[i])
  );
}
